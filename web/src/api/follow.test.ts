import { QueryClient, QueryObserver } from "@tanstack/react-query";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { hand } from "../ahead/hand";
import type { ReelView } from "./client";
import type { Change } from "./events";
import { follow } from "./follow";
import { keysOf } from "./keys";

let tell: (c: Change) => void;
vi.mock("./events", () => ({
  onChange: (f: (c: Change) => void) => {
    tell = f;
    return () => undefined;
  },
}));

let show: Parameters<typeof hand.onTold>[0];

const settle = () => vi.advanceTimersByTimeAsync(1000);
let queries: QueryClient;
let end: () => void;

beforeEach(() => {
  vi.useFakeTimers();
  queries = new QueryClient({ defaultOptions: { queries: { staleTime: 5000 } } });
  vi.stubGlobal("localStorage", { getItem: () => "ines", setItem: () => undefined });
  vi.spyOn(hand, "onTold").mockImplementation((f) => {
    show = f;
  });
  vi.spyOn(hand, "changed").mockReturnValue(undefined);
  end = follow(queries);
});

afterEach(() => {
  end();
  queries.clear();
  vi.useRealTimers();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

describe("what the server says has changed", () => {
  it("is loaded by a room that is opened later, however soon", async () => {
    let n = 0;
    const options = { queryKey: keysOf.takes("p"), queryFn: () => Promise.resolve(++n), staleTime: 5000 };
    const first = new QueryObserver(queries, options).subscribe(() => undefined);
    await settle();
    expect(n).toBe(1);
    tell({ kind: "takes", id: "p" });
    first(); // the room is left before anything was fetched
    await settle();
    const second = new QueryObserver(queries, options).subscribe(() => undefined);
    await settle();
    expect(n).toBe(2);
    second();
  });

  it("is loaded where it is shown, and nothing else is", async () => {
    let [takes, others] = [0, 0];
    const a = new QueryObserver(queries, { queryKey: keysOf.takes("p"), queryFn: () => Promise.resolve(++takes) }).subscribe(
      () => undefined,
    );
    const b = new QueryObserver(queries, { queryKey: keysOf.takes("q"), queryFn: () => Promise.resolve(++others) }).subscribe(
      () => undefined,
    );
    await settle();
    for (let i = 0; i < 20; i++) tell({ kind: "takes", id: "p" });
    await settle();
    expect([takes, others]).toEqual([2, 1]);
    tell({ kind: "", id: "" });
    await settle();
    expect([takes, others]).toEqual([3, 2]);
    [a, b].forEach((f) => f());
  });

  it("of reels is passed to the outbox, and what that says of them is shown", async () => {
    const heard = vi.spyOn(hand, "changed").mockReturnValue(undefined);
    tell({ kind: "reel", id: "r", revision: 7 });
    tell({ kind: "", id: "" });
    expect(heard.mock.calls.map(([reel, revision]) => [reel, revision])).toEqual([
      ["r", 7],
      ["", Number.MAX_SAFE_INTEGER],
    ]);
    const key = keysOf.reel("r");
    show({ tell: "reel", reel: "r", view: { id: "r", revision: 9 } as ReelView, planned: true });
    expect(queries.getQueryData(key)).toBeUndefined(); // no room shows it
    queries.setQueryData(key, { id: "r", revision: 6 } as ReelView);
    show({ tell: "reel", reel: "r", view: { id: "r", revision: 8 } as ReelView, planned: false });
    expect(queries.getQueryData<ReelView>(key)?.revision).toBe(8);
    show({ tell: "reel", reel: "r", view: { id: "r", revision: 7 } as ReelView, planned: false });
    expect(queries.getQueryData<ReelView>(key)?.revision).toBe(8); // it was overtaken
    show({ tell: "reel", reel: "r", view: { id: "r", revision: 7, name: "mine" } as ReelView, planned: true });
    expect(queries.getQueryData<ReelView>(key)).toMatchObject({ revision: 7, name: "mine" }); // what waits is on it
    show({ tell: "lost", reel: "r" });
    expect(queries.getQueryState(key)?.isInvalidated).toBe(true);
  });
});
