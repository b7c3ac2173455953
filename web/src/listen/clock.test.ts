import { expect, it } from "vitest";

import { Clock } from "./clock";

it("is where what is heard stands, and not what is put out", () => {
  const c = new Clock();
  c.begin(1000);
  expect(c.heard({ frames: 1024, position: 2024, pace: 1 }, 3000), "nothing is heard yet").toBe(1000);
  expect(c.heard({ frames: 2048, position: 3048, pace: 1 }, 3000)).toBe(1000);
  expect(c.heard({ frames: 4096, position: 5096, pace: 1 }, 3000)).toBe(1000 + 1024 + 72);
  expect(c.heard({ frames: 5120, position: 6120, pace: 1 }, 0)).toBe(6120);
});

it("goes at the pace of what plays, and back where that does", () => {
  const c = new Clock();
  c.begin(0);
  const at = [1, 2, 3, 4, 5, 6].map((n) => {
    const frames = n * 1024;
    const position = (frames / 2) % 1500; // a loop at half speed
    return c.heard({ frames, position, pace: 0.5 }, 1024);
  });
  expect(at).toEqual([0, 512, 1024, 1536 - 1500, 2048 - 1500, 2560 - 1500]);
});
