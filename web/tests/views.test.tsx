import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { createRoot } from "react-dom/client";
import { generatePath, MemoryRouter } from "react-router";
import { beforeAll, describe, expect, it, vi } from "vitest";
import { ThemeProvider } from "../src/app/mode";
import { Routes } from "../src/app/routes";
import { system } from "../src/app/theme";
import { VIEWS } from "../src/app/views";

vi.mock("../src/views/compare/CompareView", () => new Promise(() => undefined));
vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);

beforeAll(async () => {
  await Promise.all(VIEWS.map((v) => v.title !== "Compare" && v.load()));
});

const PATH = { review: "7", setup: "3", measurement: "gamut", run: "9" };

/** The application at an address, with a server that never answers; what was asked of it. */
async function at(address: string) {
  const asked: string[] = [];
  vi.stubGlobal(
    "EventSource",
    class extends EventTarget {
      close() {}
    },
  );
  vi.stubGlobal("fetch", (request: Request) => {
    asked.push(new URL(request.url).pathname + new URL(request.url).search);
    return new Promise(() => undefined);
  });
  const box = document.createElement("div");
  document.body.append(box);
  const root = createRoot(box);
  await act(async () =>
    root.render(
      <ChakraProvider value={system}>
        <QueryClientProvider client={new QueryClient()}>
          <ThemeProvider>
            <MemoryRouter initialEntries={[address]}>
              <Routes />
            </MemoryRouter>
          </ThemeProvider>
        </QueryClientProvider>
      </ChakraProvider>,
    ),
  );
  const leave = () => {
    act(() => root.unmount());
    box.remove();
  };
  return { asked, box, leave };
}

describe("views", () => {
  it("have an address and a name each", () => {
    for (const part of ["route", "title"] as const) expect(new Set(VIEWS.map((v) => v[part])).size).toBe(VIEWS.length);
  });
  it.each(VIEWS.map((v) => [v.title, v.route] as const))("%s is named at once", async (title, route) => {
    const { leave } = await at(`/${generatePath(route, PATH)}`);
    expect(document.title).toBe(`${title} · Lumenar`);
    leave();
  });
  it("are asked for before their script is there", async () => {
    const { asked, box, leave } = await at("/compare");
    expect(box.querySelector("main")?.textContent).toBe("Loading");
    expect(asked).toContain("/api/v1/compare/setups");
    leave();
  });
  it("ask for what their address says", async () => {
    const plates = await at("/review/7/plates/3/gamut?pin=srgb&overlay=5");
    expect(plates.asked).toContain("/api/v1/reviews/7/plates/3/gamut?overlay=5&pin=srgb");
    plates.leave();
    const menu = await at("/review/7/menu?unit=4");
    expect(menu.asked).toContain("/api/v1/reviews/7/menu?unit=4");
    menu.leave();
  });
  it("stand in the top bar where they belong", async () => {
    const links = (box: Element) =>
      [...box.querySelectorAll("header > a, header > nav:not([aria-label='Where am I']) a")].map((a) =>
        a.getAttribute("href"),
      );
    const shelf = await at("/");
    expect(links(shelf.box)).toEqual(["/", "/compare", "/purposes", "/targets", "/instruments"]);
    shelf.leave();
    const board = await at("/review/7");
    expect(links(board.box)).toEqual([
      "/",
      "/review/7/menu",
      "/review/7",
      "/review/7/findout",
      "/review/7/conditions",
      "/review/7/tuning",
      "/review/7/verdict",
      "/review/7/report",
      "/compare",
      "/purposes",
      "/targets",
      "/instruments",
    ]);
    board.leave();
  });
  it("offer a way out of an address that is none", async () => {
    const { box, leave } = await at("/nowhere/at/all");
    expect(document.title).toBe("No such page · Lumenar");
    expect(box.querySelector('main a[href="/"]')?.textContent).toBe("To the Shelf");
    leave();
  });
});
