import { expect, test } from "vitest";

import { scrubbedFrom } from "./listening";

test("a place that is drawn over is heard for a moment, the way that the hand goes, and never from before the day", () => {
  expect(scrubbedFrom(96_000, false, 48_000)).toEqual({ back: false, until: 101_760 });
  expect(scrubbedFrom(96_000, true, 48_000)).toEqual({ back: true, until: 90_240 });
  expect(scrubbedFrom(100, true, 48_000)).toEqual({ back: true, until: 0 });
});
