import { expect, it } from "vitest";

import { dayAndTime, timeOrDay } from "./when";

it("is said with 24 hours, and the day where it is another", () => {
  const evening = new Date(2026, 10, 26, 20, 59);
  expect(dayAndTime(evening.toISOString())).toMatch(/2026.*20:59$/);
  expect(timeOrDay(evening.toISOString(), new Date(2026, 10, 26, 23, 1))).toBe("20:59");
  expect(timeOrDay(new Date(2026, 10, 26, 0, 5).toISOString(), evening)).toBe("00:05");
  expect(timeOrDay(evening.toISOString(), new Date(2026, 10, 27, 1, 0))).toMatch(/26/);
});
