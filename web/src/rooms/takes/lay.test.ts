import { describe, expect, it } from "vitest";

import { newReelName } from "./lay";

describe("a new reel", () => {
  it("has a name that is free", () => {
    expect(newReelName([])).toBe("Reel 1");
    expect(newReelName(["Reel 1, Crossing", "Reel 3"])).toBe("Reel 2");
  });
});
