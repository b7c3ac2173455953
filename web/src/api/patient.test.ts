import { readFileSync } from "node:fs";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { newKey } from "../ahead/key";
import { makes, patient } from "./patient";

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

test("what makes something by the contract, and nothing else, is made again", () => {
  const contract = readFileSync(new URL("../../../api/openapi.yaml", import.meta.url), "utf8");
  let seen = 0;
  for (const item of contract.split(/^ {2}(?=\/)/m).slice(1)) {
    const path = /^(\S+):/.exec(item)![1]!;
    const post = /^ {4}post:\n((?: {5,}.*\n)*)/m.exec(item)?.[1];
    if (!post || path === "/uploads/") continue;
    seen++;
    expect([path, makes.test(path)]).toEqual([path, /"20[12]"/.test(post) && post.includes("parameters/Key")]);
  }
  expect(seen).toBeGreaterThan(40);
});

/** Answers as it is told, one call after another, and notes keys and bodies. */
function server(answers: (number | Error)[]) {
  const calls: [string | null, string][] = [];
  vi.stubGlobal("fetch", async (r: Request) => {
    calls.push([r.headers.get("Idempotency-Key"), await r.text()]);
    const a = answers[calls.length - 1]!;
    if (a instanceof Error) throw a;
    return new Response("{}", { status: a });
  });
  return calls;
}

const post = (path: string) => new Request(`http://here/api/v1${path}`, { method: "POST", body: '{"name":"Reel 1"}' });

test("an answer that is lost is asked for again under the same key, with the same body", async () => {
  const calls = server([new TypeError("lost"), 503, 201]);
  const answer = patient(post("/productions/p/reels"));
  await vi.runAllTimersAsync();
  expect((await answer).status).toBe(201);
  expect(new Set(calls.map(([key]) => key)).size).toBe(1);
  expect(calls.map(([, body]) => body)).toEqual(Array(3).fill('{"name":"Reel 1"}'));
  expect(calls[0]![0]).toMatch(/^\w+(-\w+){3}$/);
});

test("a refusal is an answer, and so is the last try", async () => {
  expect((await patient((server([400]), post("/productions")))).status).toBe(400);
  const calls = server([503, 503, 503, 503]);
  const answer = patient(post("/productions"));
  await vi.runAllTimersAsync();
  expect((await answer).status).toBe(503);
  expect(calls.length).toBe(4);
});

test("what does not make anything is asked for once, and a key that it has stays", async () => {
  const calls = server([503, 503, 503]);
  await patient(post("/productions/p/takes/undo"));
  await patient(new Request("http://here/api/v1/productions"));
  const own = post("/productions/p/reels");
  own.headers.set("Idempotency-Key", "own");
  await patient(own);
  expect(calls.map(([key]) => key)).toEqual([null, null, "own"]);
  expect(newKey()).not.toBe(newKey());
});
