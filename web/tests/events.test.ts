import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { describe, expect, it } from "vitest";
import { stale } from "../src/api/events";

/** Something that is watched, with answers that come when the test lets them. */
function watched(key: string) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const answers: ((value: string) => void)[] = [];
  const observer = new QueryObserver<string>(client, {
    queryKey: [key, 1],
    queryFn: () => new Promise<string>((resolve) => answers.push(resolve)),
  });
  const leave = observer.subscribe(() => {});
  const soon = () => new Promise((resolve) => setTimeout(resolve, 5));
  const answer = async (value: string) => {
    answers.at(-1)?.(value);
    await soon();
  };
  return { client, asked: () => answers.length, answer, data: () => observer.getCurrentResult().data, leave };
}

describe("what the server tells", () => {
  it("is asked for anew though it is being read for the first time at that moment", async () => {
    const it = watched("experiment");
    stale(it.client, ["experiment"]);
    expect(it.asked()).toBe(1);
    // The answer on its way was written before that.
    await it.answer("working");
    expect(it.asked()).toBe(2);
    await it.answer("done");
    expect(it.data()).toBe("done");
    expect(it.asked()).toBe(2);
    it.leave();
  });
  it("is asked for once where it was read before", async () => {
    const it = watched("experiment");
    await it.answer("working");
    stale(it.client, ["experiment"]);
    expect(it.asked()).toBe(2);
    await it.answer("done");
    expect(it.data()).toBe("done");
    expect(it.asked()).toBe(2);
    it.leave();
  });
  it("concerns nothing else", async () => {
    const it = watched("menu");
    stale(it.client, ["experiment"]);
    await it.answer("a menu");
    expect(it.asked()).toBe(1);
    it.leave();
  });
});
