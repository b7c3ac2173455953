import { describe, expect, it } from "vitest";

import type { Clip } from "../../../api/client";
import type { Extent } from "../../../draw/overview";
import { channelIn, clipIn, heightsInWords, heightsOf, tallOf, trackGain, type Raw } from "./sounding";

/** Numbers that look random and are the same each time (Park and Miller's), from 0 to 1. */
function dice(seed: number) {
  let s = seed;
  return () => {
    s = (s * 48271) % 2147483647;
    return s / 2147483647;
  };
}

const frames = 20_000;
const takes = Object.fromEntries(
  ["boom", "other"].map((take, t) => {
    const roll = dice(17 + t);
    // Words and pauses.
    const words = Array.from({ length: frames }, (_, i) => (Math.floor(i / 1700) % 2 === 0 ? 1 : 0.002) * (roll() * 2 - 1) * 0.9);
    return [take, [words, words.map((v) => v / 2)]];
  }),
);

const at = (take: string, channel: number, frame: number) => takes[take]![channel]![frame] ?? 0;

/** What takes have, without bins: what is tested is what is made of it. */
const raw: Raw = (take, channel, from, to) => {
  const e: Extent = { low: 0, high: 0, rms: 0 };
  const [a, b] = [Math.round(from), Math.max(Math.round(to), Math.round(from) + 1)];
  for (let i = a; i < b; i++) {
    const v = at(take, channel, i);
    e.low = Math.min(e.low, v);
    e.high = Math.max(e.high, v);
    e.rms += v * v;
  }
  e.rms = Math.sqrt(e.rms / (b - a));
  return e;
};

const db = (x: number) => Math.exp((x / 20) * Math.LN10);
const rising = (f: { length: number; curve?: string } | undefined, from: number) => {
  if (!f || from >= f.length) return 1;
  const x = Math.max(0, from / f.length);
  return f.curve === "power" ? Math.cos(((1 - x) * Math.PI) / 2) : f.curve === "s" ? (1 - Math.cos(x * Math.PI)) / 2 : x;
};

/** One sample of a clip by the definitions of core/engine/reference_test.go, and none of our own code. */
function sample(c: Clip, channel: number, place: number): number {
  if (place < c.start || place >= c.start + c.length) return 0;
  const l = c.lanes?.[channel] ?? {};
  const frame = place - c.start + c.offset;
  let x = at(c.take, c.channels[channel]!, frame - (l.delay ?? 0));
  for (const h of l.hushes ?? [])
    if (frame >= h.from && frame < h.to)
      x *= 1 - Math.min(1, Math.min(frame - h.from, h.to - frame) / Math.min(64, Math.floor((h.to - h.from) / 2)));
  for (const b of l.borrowed ?? []) {
    if (frame < b.from || frame >= b.to) continue;
    const edge = Math.min(frame - b.from, b.to - frame);
    x =
      x * rising(b.fade, b.fade.length - edge) +
      rising(b.fade, edge) * db(b.gainDB ?? 0) * at(b.take, b.channel, b.offset + frame - b.from);
  }
  for (const d of l.dips ?? [])
    if (frame >= d.from && frame < d.to) x *= db(d.gainDB * Math.min(1, Math.min(frame - d.from, d.to - frame) / d.ramp));
  if (l.invert) x = -x;
  x *= db(l.gainDB ?? 0) * rising(l.fadeIn, place - c.start) * rising(l.fadeOut, c.start + c.length - place);
  let curve = 0;
  const points = c.gain ?? [];
  points.forEach((p, i) => {
    const next = points[i + 1];
    if (i === 0 && frame <= p.at) curve = p.value;
    if (frame >= p.at) curve = next ? p.value + (next.value - p.value) * Math.min(1, (frame - p.at) / (next.at - p.at)) : p.value;
  });
  return x * db(c.gainDB + curve) * rising(c.fadeIn, place - c.start) * rising(c.fadeOut, c.start + c.length - place);
}

const plain = {
  id: "c",
  track: "t",
  take: "boom",
  name: "12A/3",
  channels: [0],
  start: 50_000,
  offset: 900,
  length: 15_000,
  frames,
  gainDB: 0,
} as Clip;
const edits: [string, Partial<Clip>][] = [
  ["nothing", {}],
  ["a gain", { gainDB: -30 }],
  [
    "a curve",
    {
      gain: [
        { at: 2000, value: 0 },
        { at: 6000, value: -96 },
        { at: 9000, value: -96 },
        { at: 9500, value: 6 },
      ],
    },
  ],
  ["fades", { fadeIn: { length: 3000, curve: "s" }, fadeOut: { length: 5000, curve: "power" } }],
  [
    "a hush",
    {
      lanes: [
        {
          hushes: [
            { from: 2200, to: 6100 },
            { from: 8000, to: 8060 },
          ],
        },
      ],
    },
  ],
  ["a dip", { lanes: [{ dips: [{ from: 3000, to: 9000, gainDB: -18, ramp: 900 }] }] }],
  ["a delay", { lanes: [{ delay: 2400 }] }],
  ["a delay the other way", { lanes: [{ delay: -700 }] }],
  [
    "what is borrowed",
    {
      lanes: [
        {
          borrowed: [
            {
              from: 3000,
              to: 8000,
              take: "other",
              title: "12A/4",
              channel: 1,
              offset: 200,
              gainDB: -6,
              fade: { length: 800, curve: "power" },
            },
          ],
        },
      ],
    },
  ],
  [
    "polarity, a level and fades of a channel",
    { lanes: [{ invert: true, gainDB: 4, fadeIn: { length: 700 }, fadeOut: { length: 900, curve: "s" } }] },
  ],
  ["a channel that is off", { lanes: [{ off: true }] }],
  [
    "all of it",
    {
      gainDB: -3,
      gain: [
        { at: 1000, value: -6 },
        { at: 12_000, value: 3 },
      ],
      fadeIn: { length: 2000 },
      lanes: [
        {
          delay: 90,
          invert: true,
          gainDB: 2,
          hushes: [{ from: 1700, to: 2900 }],
          dips: [{ from: 4000, to: 7000, gainDB: -12, ramp: 500 }],
          borrowed: [{ from: 9000, to: 12_000, take: "other", title: "", channel: 0, offset: -300, fade: { length: 300, curve: "s" } }],
        },
      ],
    },
  ],
];
const zooms = [1, 3, 7, 16, 33, 64, 100, 181, 350, 777];

describe.each(edits)("what is drawn of a clip with %s", (name, edit) => {
  it.each(zooms)("is what sounds, at %i samples a pixel", (perPixel) => {
    const c = { ...plain, ...edit } as Clip;
    const off = c.lanes?.[0]?.off;
    let silent = 0;
    for (let from = c.start - 3 * perPixel - 1; from < c.start + c.length + 3 * perPixel; from += perPixel) {
      const e = channelIn(raw, c, 0, from, from + perPixel)!;
      let low = 0;
      let high = 0;
      for (let i = from; i < from + perPixel; i++) {
        const v = off ? 0 : sample(c, 0, i);
        low = Math.min(low, v);
        high = Math.max(high, v);
      }
      // Never less than what sounds. Of one sample it is what sounds; of more, where the gain changes or two cross, as much as they can come to.
      expect(e.high, `${name} at ${from}`).toBeGreaterThan(high - 0.012);
      expect(e.low, `${name} at ${from}`).toBeLessThan(low + 0.012);
      const slack = perPixel === 1 ? 0.035 : perPixel <= 64 ? 0.4 : 1.2;
      expect(e.high - high, `${name} at ${from}`).toBeLessThan(slack);
      expect(low - e.low, `${name} at ${from}`).toBeLessThan(slack);
      if (/^(nothing|a gain|a delay.*|a channel that is off)$/.test(name)) {
        expect(e.high, `${name} at ${from}`).toBeCloseTo(high, 12);
        expect(e.low, `${name} at ${from}`).toBeCloseTo(low, 12);
      }
      if (low === 0 && high === 0) {
        silent++;
        expect(Math.max(e.high, -e.low)).toBeLessThan(0.002); // nothing that is seen of what is beside it, or was taken away
      }
    }
    expect(silent).toBeGreaterThan(2);
  });
});

it("what is replaced is not drawn, though one column has all of it", () => {
  const burst: Raw = (take, _, from, to) => {
    const loud = take === "boom" && from < 5100 && to > 5000 ? 0.9 : 0;
    return { low: -loud, high: loud, rms: loud };
  };
  const borrowed = [{ from: 3000, to: 8000, take: "other", title: "", channel: 0, offset: 0, fade: { length: 800 } }];
  const c = { ...plain, lanes: [{ borrowed }] } as Clip;
  expect(channelIn(burst, c, 0, 52_000, 57_200)).toMatchObject({ low: -0, high: 0 });
});

describe("what a clip comes to on its track", () => {
  const two = { ...plain, channels: [0, 1] } as Clip;
  const [a, b] = [50_300, 50_400];
  const first = channelIn(raw, two, 0, a, b)!;
  const second = channelIn(raw, two, 1, a, b)!;
  it("is the loudest of channels that stay apart", () => {
    expect(clipIn(raw, two, ["L", "R"], a, b)!.high).toBe(Math.max(first.high, second.high));
  });
  it("is the mean of channels that become one", () => {
    expect(clipIn(raw, two, ["M"], a, b)!.high).toBeCloseTo((first.high + second.high) / 2);
    expect(clipIn(raw, { ...two, sum: true }, ["L", "R"], a, b)!.high).toBeCloseTo((first.high + second.high) / 2);
  });
  it("is what a matrix makes of them", () => {
    const e = clipIn(raw, { ...two, matrix: [[0, -2]] }, ["M"], a, b)!;
    expect(e.high).toBeCloseTo(-second.low * 2);
  });
  it("is not known while anything of it is on its way", () => {
    expect(clipIn(() => null, two, ["M"], a, b)).toBeNull();
    expect(clipIn(() => null, two, ["M"], 0, 100)).toEqual({ low: 0, high: 0, rms: 0 }); // there it does not lie
  });
});

it("a track's gain is in the band, and nothing of one that is muted", () => {
  expect(
    trackGain(
      {
        mute: false,
        gainDB: -6,
        gain: [
          { at: 0, value: -6 },
          { at: 100, value: -14 },
        ],
      },
      50,
    ),
  ).toBeCloseTo(db(-16));
  expect(trackGain({ mute: true, gainDB: 0 }, 0)).toBe(0);
});

describe("how tall what sounds is drawn", () => {
  it.each([
    [{ dB: true, raised: 0 }, 1, 1],
    [{ dB: true, raised: 0 }, db(-27), 0.5],
    [{ dB: true, raised: 0 }, -db(-40), 14 / 54], // quiet speech is seen
    [{ dB: true, raised: 12 }, db(-39), 0.5],
    [{ dB: true, raised: 0 }, db(-60), 0],
    [{ dB: true, raised: 0 }, 0, 0],
    [{ dB: false, raised: 0 }, 0.5, 0.5],
    [{ dB: false, raised: 20 }, 0.05, 0.5],
    [{ dB: false, raised: 20 }, 0.5, 1],
  ])("%j of %d is %d", (heights, value, tall) => {
    expect(tallOf(heights, value)).toBeCloseTo(tall, 6);
  });
  it("is tellable above −3.5 dBFS", () => {
    for (const dB of [true, false]) expect(tallOf({ dB, raised: 0 }, db(-1)) - tallOf({ dB, raised: 0 }, db(-3))).toBeGreaterThan(0.03);
  });
  it("is of all rows, and of one more", () => {
    const waves = { dB: true, raised: 6, of: { t: -12 } };
    expect([heightsOf(waves)("t").raised, heightsOf(waves)("u").raised, heightsOf(waves)("").raised]).toEqual([-6, 6, 6]);
    expect(heightsInWords(waves, "t")).toBe("dB +6, track −6");
    expect(heightsInWords({ dB: false, raised: 0, of: {} }, "t")).toBe("linear");
  });
});
