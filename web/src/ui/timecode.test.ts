import { describe, expect, it } from "vitest";

import { duration, frameAt, label, labelAt, parse, sampleOf } from "./timecode";

const pal = { num: 25, den: 1, drop: false };
const drop = { num: 30000, den: 1001, drop: true };
const film = { num: 24000, den: 1001, drop: false };

describe("timecode", () => {
  it("labels frames as the standard counts them", () => {
    expect(label(25 * 3600 * 10 + 25 * 83 + 14, pal)).toBe("10:01:23:14");
    expect(label(1799, drop)).toBe("00:00:59;29");
    expect(label(1800, drop)).toBe("00:01:00;02");
    expect(label(17982, drop)).toBe("00:10:00;00");
    expect(label(107892, drop)).toBe("01:00:00;00");
  });

  it("comes back from samples at every rate", () => {
    for (const r of [pal, drop, film]) {
      for (let f = 0; f < 200000; f += 997) expect(frameAt(sampleOf(f, 48000, r), 48000, r)).toBe(f);
    }
  });

  it("reads what a person types", () => {
    expect(parse("10:00:00:00", 48000, pal)).toBe(36000 * 48000);
    expect(parse("10000000", 48000, pal)).toBe(36000 * 48000);
    expect(parse("1.12", 48000, pal)).toBeNull();
    expect(parse("112", 48000, pal)).toBe(48000 + 12 * 1920);
    expect(parse("00:01:00;00", 48000, drop)).toBeNull();
    expect(parse("10:00:00:25", 48000, pal)).toBeNull();
    expect(parse("soon", 48000, pal)).toBeNull();
  });

  it("formats for tables", () => {
    expect(labelAt(36000 * 48000 + 1919, 48000, pal)).toBe("10:00:00:00");
    expect(duration(48000 * 62.44, 48000)).toBe("1:02.4");
  });
});
