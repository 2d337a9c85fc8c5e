import { afterEach, describe, expect, it, vi } from "vitest";
import { ApiError, api, got } from "../src/api/client";

afterEach(() => vi.unstubAllGlobals());

describe("what is sent", () => {
  const meter = { name: "Meter 3", kind: "colorimeter", repeatability_percent: 0.2 } as never;
  it("is never a number that is none, which would say that nobody states it", async () => {
    const sent = vi.fn();
    vi.stubGlobal("fetch", sent);
    for (const none of [Number.NaN, Number.POSITIVE_INFINITY]) {
      const body = { ...(meter as object), floor_cd_m2: none } as never;
      const refused = await got(api.POST("/api/v1/meters", { body })).catch((e) => e);
      expect(refused).toBeInstanceOf(ApiError);
      expect(refused.problem.detail).toBe("floor cd m2: a number is wanted. Nothing was changed.");
      expect(refused.problem.place).toBe("floor_cd_m2");
    }
    expect(sent).not.toHaveBeenCalled();
  });
  it("keeps what is known not to be stated", async () => {
    const bodies: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      bodies.push(await request.text());
      return new Response("{}", { headers: { "content-type": "application/json" } });
    });
    const body = { ...(meter as object), floor_cd_m2: null, absolute: 0 } as never;
    await got(api.POST("/api/v1/meters", { body }));
    expect(JSON.parse(bodies[0] ?? "")).toEqual({ ...(meter as object), floor_cd_m2: null, absolute: 0 });
  });
  it("names the address's trouble where no server answers", async () => {
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("Failed to fetch")));
    const said = await got(api.GET("/api/v1/reviews")).catch((e) => e);
    expect(said.problem.detail).toContain("The server doesn't answer. Nothing is lost");
  });
});
