import { expect, test } from "vitest";

import { freeName } from "./page";

test("a production that begins with a file is called as it, once", () => {
  expect(freeName("Ferry promo.wav", [])).toBe("Ferry promo");
  expect(freeName("Ferry promo.wav", ["Ferry promo", "Ferry promo 2"])).toBe("Ferry promo 3");
  expect(freeName(".wav", [])).toBe("Production");
});
