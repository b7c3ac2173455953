import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";

import { root } from "../testroot";
import { rates } from "./rates";
import { countOf, day, duration, frameAt, frameOfCount, label, labelAt, parse, parseNear, sampleOf } from "./timecode";

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

  it("agrees with the server on the cases that both have", () => {
    type Case = { rate: { num: number; den: number; drop: boolean }; sampleRate: number; frame: number; sample: number; label: string };
    const cases = JSON.parse(readFileSync(`${root}/core/timecode/testdata/cases.json`, "utf8")) as Case[];
    expect(cases.length).toBeGreaterThan(400);
    for (const c of cases) {
      const what = JSON.stringify(c);
      expect(label(c.frame, c.rate), what).toBe(c.label);
      expect(sampleOf(c.frame, c.sampleRate, c.rate), what).toBe(c.sample);
      expect(labelAt(c.sample, c.sampleRate, c.rate), what).toBe(c.label);
      if (c.frame > 0) expect(labelAt(c.sample - 1, c.sampleRate, c.rate), what).not.toBe(c.label);
      expect(parse(c.label, c.sampleRate, c.rate), what).toBe(c.sample);
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
    expect(duration(48000 * 59.96, 48000)).toBe("1:00.0");
    expect(duration(48000 * 59.94, 48000)).toBe("0:59.9");
  });

  it("counts labels and frames both ways", () => {
    for (const r of [pal, drop, film, { num: 60000, den: 1001, drop: true }]) {
      for (let f = 0; f < 220000; f += 83) expect(frameOfCount(countOf(f, r), r)).toBe(f);
    }
    expect(label(frameOfCount(60 * 30, drop), drop)).toBe("00:01:00;02"); // the label that is left out
    expect(label(frameOfCount(600 * 30, drop), drop)).toBe("00:10:00;00");
    expect(label(frameOfCount(90 * 30, drop), drop)).toBe("00:01:30;00");
  });

  it("knows every rate that the server knows, by name", () => {
    const go = readFileSync(`${root}/core/timecode/timecode.go`, "utf8");
    const known = [.../var Rates = \[\]Rate\{([\s\S]*?)\n\}/.exec(go)![1]!.matchAll(/\{(\d+), (\d+), (true|false)\}/g)].map((m) => ({
      num: Number(m[1]),
      den: Number(m[2]),
      drop: m[3] === "true",
    }));
    expect(known.length).toBeGreaterThan(9);
    expect(rates.map((x) => x.rate)).toEqual(known);
  });

  it("reads a timecode on the day that lies nearest", () => {
    const hour = 3600 * 48000;
    expect(parseNear("00:05:00:00", 23 * hour, 48000, pal)).toBe(24 * hour + 300 * 48000);
    expect(parseNear("23:55:00:00", 24 * hour + 1, 48000, pal)).toBe(24 * hour - 300 * 48000);
    expect(parseNear("10:00:00:00", 11 * hour, 48000, pal)).toBe(10 * hour);
    expect(parseNear("23:00:00:00", hour, 48000, pal)).toBe(23 * hour); // no day comes before the first
    for (const r of [pal, drop, { num: 24000, den: 1001, drop: false }]) {
      const late = day(48000, r) + sampleOf(99, 48000, r);
      expect(parseNear(labelAt(late, 48000, r), late - 48000, 48000, r)).toBe(late);
    }
  });

  it("refuses what no clock shows, and what drop-frame leaves out", () => {
    for (const text of ["24:00:00:00", "00:60:00:00", "00:00:60:00", "00:00:00:25", "x10:00:00:00", "10:00:00:00x", "1:2:3", "", "late"])
      expect(parse(text, 48000, pal), text).toBeNull();
    expect(parse(" 10:00:00:00 ", 48000, pal)).toBe(36_000 * 48000);
    expect(parse(":1:2:3:4", 48000, pal)).toBe(parse("01:02:03:04", 48000, pal));
    for (const text of ["00:01:00;00", "00:01:00;01", "00:59:00;01"]) expect(parse(text, 48000, drop), text).toBeNull();
    for (const text of ["00:01:00;02", "00:01:01;00", "00:10:00;00", "00:00:00;00"]) expect(parse(text, 48000, drop), text).not.toBeNull();
    expect(parseNear("late", 0, 48000, pal)).toBeNull();
  });

  it("goes from counts that drop-frame leaves out to the next frame that there is", () => {
    expect([1799, 1800, 1801, 1802, 1803].map((c) => frameOfCount(c, drop))).toEqual([1799, 1800, 1800, 1800, 1801]);
    expect([17_999, 18_000, 18_001].map((c) => frameOfCount(c, drop))).toEqual([17_981, 17_982, 17_983]);
    expect([1799, 1800, 17_981, 17_982].map((f) => countOf(f, drop))).toEqual([1799, 1802, 17_999, 18_000]);
  });

  it("knows how long the clock's day is, and which day is nearest", () => {
    expect(day(48000, pal)).toBe(86_400 * 48000);
    expect(day(48000, drop)).toBe(Math.ceil((2_589_408 * 48000 * 1001) / 30000)); // 24 hours less 108 labels an hour
    expect(parseNear("00:00:00:00", 0, 48000, pal)).toBe(0);
    expect(parseNear("23:59:59:00", 86_400 * 48000 + 10, 48000, pal)).toBe(86_399 * 48000);
    expect(parseNear("00:00:01:00", 86_399 * 48000, 48000, pal)).toBe(86_401 * 48000);
    expect(parseNear("23:00:00:00", 48000, 48000, pal)).toBe(82_800 * 48000); // never before the first midnight
  });
});
