import { readFileSync } from "node:fs";
import { afterEach, expect, test, vi } from "vitest";

import type { Errand } from "../ahead/edits";
import { hand } from "../ahead/hand";
import { newKey } from "../ahead/key";
import { edits, errandName, errands, looks, pieces } from "./errands";
import { patient } from "./patient";

afterEach(() => {
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

test("all that the contract lets one change is an errand, an edit of a reel, or comes in pieces; and looking is told apart from it", () => {
  const contract = readFileSync(new URL("../../../api/openapi.yaml", import.meta.url), "utf8");
  const seen: string[] = [];
  for (const item of contract.split(/^ {2}(?=\/)/m).slice(1)) {
    const path = /^(\S+):/.exec(item)![1]!;
    for (const [, method] of item.matchAll(/^ {4}(post|put|patch|delete):/gm)) {
      const is = [errands.some(([m, p]) => m === method!.toUpperCase() && p === path), looks.includes(path), edits.includes(path)];
      expect([method, path, [...is, pieces.includes(path)].filter(Boolean).length]).toEqual([method, path, 1]);
      seen.push(`${method!.toUpperCase()} ${path}`);
    }
  }
  for (const [method, path] of errands) expect(seen).toContain(`${method} ${path}`);
  for (const path of [...looks, ...edits, ...pieces])
    expect(
      seen.some((s) => s.endsWith(` ${path}`)),
      path,
    ).toBe(true);
});

test("an errand is known by its method and its whole path", () => {
  expect(errandName("PATCH", "/takes/1")).toBe("change a take");
  expect(errandName("GET", "/takes/1")).toBeUndefined();
  expect(errandName("POST", "/takes/1/treat/learn")).toBeUndefined();
  expect(errandName("POST", "/reels/1/commands")).toBeUndefined();
});

const request = (method: string, path: string, body?: string, headers = {}) =>
  new Request(`http://here/api/v1${path}`, { method, body, headers: { "Loom-Author": "In%C3%A9s", ...headers } });

test("what changes something goes by way of the outbox, whole, and its answer is as the server's", async () => {
  const ran: Errand[] = [];
  vi.spyOn(hand, "run").mockImplementation((e) => {
    ran.push(e);
    return Promise.resolve({ status: 201, body: '{"id":"r"}', type: "application/json", location: "/api/v1/reels/r" });
  });
  const answer = await patient(request("POST", "/specs?production=p", "a: 1", { "Content-Type": "application/yaml" }));
  expect(ran).toEqual([
    { method: "POST", path: "/specs?production=p", body: "a: 1", type: "application/yaml", author: "Inés", key: ran[0]!.key },
  ]);
  expect(ran[0]!.key).toMatch(/^\w+(-\w+){3}$/);
  expect([answer.status, await answer.json(), answer.headers.get("Location")]).toEqual([201, { id: "r" }, "/api/v1/reels/r"]);
  await patient(request("DELETE", "/reels/r", undefined, { "Idempotency-Key": "own" }));
  expect([ran[1]!.key, ran[1]!.body]).toEqual(["own", null]);
  expect(newKey()).not.toBe(newKey());
});

test("nothing is answered with nothing", async () => {
  vi.spyOn(hand, "run").mockResolvedValue({ status: 204, body: "", type: "", location: "" });
  const answer = await patient(request("POST", "/productions/p/takes/undo", "{}"));
  expect([answer.status, answer.body]).toEqual([204, null]);
});

test("who looks at a reel with a question waits for its edits, and asks the server itself", async () => {
  const settled = vi.spyOn(hand, "settled").mockResolvedValue({});
  const asked: string[] = [];
  vi.stubGlobal("fetch", (r: Request) => {
    asked.push(r.url);
    return Promise.resolve(new Response("{}"));
  });
  await patient(request("POST", "/reels/r/plan", "{}"));
  await patient(request("GET", "/reels/r"));
  await patient(request("POST", "/productions/p/lay/look", "{}"));
  expect(settled.mock.calls).toEqual([["r"], [""]]);
  expect(asked).toHaveLength(3);
});
