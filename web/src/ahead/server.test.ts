import { afterEach, expect, it, vi } from "vitest";

import type { Waiting } from "./edits";
import { sentOf, server } from "./server";

const edit = (of: object) =>
  ({
    reel: "r",
    path: "commands",
    kind: "command",
    body: { kind: "setTrack" },
    seen: 7,
    author: "Inés",
    key: "me.1",
    ...of,
  }) as unknown as Waiting;

afterEach(() => vi.unstubAllGlobals());

const answers = (status: number, body: object) => {
  const asked = vi.fn((_: string, __: RequestInit) => Promise.resolve(new Response(JSON.stringify(body), { status })));
  vi.stubGlobal("fetch", asked);
  return asked;
};

it.each([
  [{}, { revision: 7, kind: "setTrack" }],
  [
    { path: "ties", body: { at: [] } },
    { revision: 7, at: [] },
  ],
  [
    { path: "spec", kind: "other", body: { spec: "s" } },
    { revision: 7, spec: "s" },
  ],
  [
    { path: "cutlist", kind: "other", body: { name: "v4", revision: 5 } },
    { revision: 5, name: "v4" },
  ],
  [{ path: "undo", kind: "undo", body: { key: "me.0" } }, { key: "me.0" }],
  [
    { path: "redo", kind: "other", body: { step: 4, over: true } },
    { step: 4, over: true },
  ],
])("an edit says what was seen, but for steps, which are named: %j", (of, sent) => {
  expect(sentOf(edit(of))).toEqual(sent);
});

it("is sent under its key, by its author, and asks for what has changed since", async () => {
  const asked = answers(200, { id: "r", revision: 8 });
  expect(await server.send(edit({}), 6)).toEqual({ view: { id: "r", revision: 8 } });
  const [url, how] = asked.mock.calls[0]!;
  expect(url).toBe("/api/v1/reels/r/commands?since=6");
  expect(how.headers).toMatchObject({ "Idempotency-Key": "me.1", "Loom-Author": "In%C3%A9s" });
});

it.each([
  [409, { title: "Jonas was first", kind: "stale" }, { refused: { sentence: "Jonas was first", kind: "stale" } }],
  [
    409,
    { title: "Jonas did", kind: "met", step: 4, at: "2026-01-01" },
    { refused: { sentence: "Jonas did", kind: "met", step: 4, at: "2026-01-01" } },
  ],
  [500, {}, { refused: { sentence: "The server answered 500", kind: "" } }],
  [503, { title: "Not now", kind: "away" }, "unsure"],
  [502, {}, "unsure"],
  [429, {}, "unsure"],
])("%i is told from what nobody knows of", async (status, body, becomes) => {
  answers(status, body);
  expect(await server.send(edit({}), 6)).toEqual(becomes);
});

it("nobody knows of an answer that is lost, at its beginning or in its middle", async () => {
  vi.stubGlobal("fetch", () => Promise.reject(new TypeError("lost")));
  expect(await server.send(edit({}), 6)).toBe("unsure");
  vi.stubGlobal("fetch", () => Promise.resolve(new Response('{"id":"r","rev')));
  expect(await server.send(edit({}), 6)).toBe("unsure");
});
