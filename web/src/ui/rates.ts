// The frame rates that timecode is defined for, as people name them.
import type { FrameRate } from "../api/client";

export const rates: { name: string; rate: FrameRate }[] = [
  { name: "23.976", rate: { num: 24000, den: 1001, drop: false } },
  { name: "24", rate: { num: 24, den: 1, drop: false } },
  { name: "25", rate: { num: 25, den: 1, drop: false } },
  { name: "29.97", rate: { num: 30000, den: 1001, drop: false } },
  { name: "29.97 drop-frame", rate: { num: 30000, den: 1001, drop: true } },
  { name: "30", rate: { num: 30, den: 1, drop: false } },
  { name: "48", rate: { num: 48, den: 1, drop: false } },
  { name: "50", rate: { num: 50, den: 1, drop: false } },
  { name: "59.94", rate: { num: 60000, den: 1001, drop: false } },
  { name: "59.94 drop-frame", rate: { num: 60000, den: 1001, drop: true } },
  { name: "60", rate: { num: 60, den: 1, drop: false } },
];

export const rateName = (r: FrameRate) =>
  rates.find((x) => x.rate.num === r.num && x.rate.den === r.den && x.rate.drop === r.drop)?.name ?? `${r.num}/${r.den}`;

/** The same for a menu: names with rates. */
export const timecodeRates: [string, FrameRate][] = rates.map((r) => [`${r.name} fps`, r.rate]);
