import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { once, Problem } from "./client";

describe("B16. an edit whose answer is lost", () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());

  const failing = (kinds: string[]) => {
    const keys: string[] = [];
    const call = (key: string) => {
      keys.push(key);
      const kind = kinds[keys.length - 1];
      return kind === undefined ? Promise.resolve("done") : Promise.reject(new Problem("No", kind));
    };
    return { keys, call };
  };

  it("is sent again under its own key", async () => {
    const a = failing(["offline", "away"]);
    const done = once(a.call);
    await vi.runAllTimersAsync();
    expect(await done).toBe("done");
    expect(a.keys).toHaveLength(3);
    expect(new Set(a.keys).size).toBe(1);
    const b = failing([]);
    await once(b.call);
    expect(b.keys[0]).not.toBe(a.keys[0]);
  });

  it("is given up after a while, and at once where it was refused", async () => {
    const lost = failing(Array<string>(9).fill("offline"));
    const given = expect(once(lost.call)).rejects.toThrow("No");
    await vi.runAllTimersAsync();
    await given;
    expect(lost.keys).toHaveLength(4);
    const refused = failing(["stale"]);
    await expect(once(refused.call)).rejects.toThrow("No");
    expect(refused.keys).toHaveLength(1);
  });
});
