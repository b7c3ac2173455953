import { MutationObserver, QueryClient, QueryObserver } from "@tanstack/react-query";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { api, type ReelView } from "./client";
import type { Change } from "./events";
import { follow } from "./follow";
import { editsOf, keysOf } from "./keys";

let tell: (c: Change) => void;
vi.mock("./events", () => ({
  onChange: (f: (c: Change) => void) => {
    tell = f;
    return () => undefined;
  },
}));

const settle = () => vi.advanceTimersByTimeAsync(1000);
let queries: QueryClient;
let end: () => void;

beforeEach(() => {
  vi.useFakeTimers();
  queries = new QueryClient({ defaultOptions: { queries: { staleTime: 5000 } } });
  end = follow(queries);
});

afterEach(() => {
  end();
  queries.clear();
  vi.useRealTimers();
  vi.restoreAllMocks();
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

  it("is fetched of a reel after an edit during which somebody else's was told", async () => {
    const get = vi.spyOn(api, "GET").mockResolvedValue({ data: { id: "r", revision: 8, since: 8 }, response: new Response() } as never);
    queries.setQueryData(keysOf.reel("r"), { id: "r", revision: 6 } as ReelView);
    let answer = () => undefined as void;
    const edit = new MutationObserver(queries, { scope: { id: editsOf("r") }, mutationFn: () => new Promise<void>((r) => (answer = r)) });
    const done = edit.mutate();
    await settle();
    tell({ kind: "reel", id: "r", revision: 7 });
    tell({ kind: "reel", id: "r", revision: 8 });
    await settle();
    expect(get).not.toHaveBeenCalled();
    queries.setQueryData(keysOf.reel("r"), { id: "r", revision: 7 } as ReelView);
    answer();
    await done;
    await settle();
    expect(get).toHaveBeenCalledOnce();
    tell({ kind: "reel", id: "r", revision: 7 });
    await settle();
    expect(get).toHaveBeenCalledOnce();
  });
});
