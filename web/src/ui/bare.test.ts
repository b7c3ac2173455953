import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";

import { bare } from "./bare";

const root = new URL("../../..", import.meta.url).pathname;

describe("the name of a file without its ending", () => {
  it("is what the server makes of it", () => {
    const names = JSON.parse(readFileSync(`${root}/core/take/testdata/bare.json`, "utf8")) as Record<string, string>;
    expect(Object.keys(names).length).toBeGreaterThan(5);
    for (const [name, want] of Object.entries(names)) expect(bare(name)).toBe(want);
  });
});
