// How what was measured is judged by what the receiver asks. The server measures; this only compares.
import type { components } from "../../api/schema.gen";

export type GaugeView = components["schemas"]["GaugeView"];
export type GaugeRow = components["schemas"]["GaugeRow"];
export type GaugeLines = components["schemas"]["GaugeLines"];
export type GaugePlace = components["schemas"]["GaugePlace"];
export type GaugeLimit = components["schemas"]["GaugeLimit"];
export type GaugeCorrection = components["schemas"]["GaugeCorrection"];

/** What was measured of something, and what it is held to. */
export type Measured = Pick<GaugeRow, "name" | "labels" | "limit" | "whole" | "correction">;

/** Inside what is asked, off it, or held to nothing. What can't be measured is never inside. */
export type Verdict = "in" | "off" | "free";

export type Judged = { what: string; before?: number; asked: string; value: number | null; unit: string; places: number; verdict: Verdict };

const minus = (x: number) => `${x}`.replace("-", "−");

/** The figures of a row, as they stand beside its lines. */
export function judged(row: Pick<Measured, "limit" | "whole" | "correction">): Judged[] {
  const w = row.whole;
  const l: GaugeLimit = row.limit ?? {};
  if (!w) return [];
  const was = row.correction && !row.correction.off ? (row.correction.before ?? {}) : {};
  const most = (
    what: string,
    value: number | null,
    limit: number | undefined,
    unit: string,
    before: number | undefined,
    places = 1,
  ): Judged => ({
    what,
    before,
    asked: limit === undefined ? "not limited" : `at most ${minus(limit)}`,
    value,
    unit,
    places,
    // As the desk has it: nothing at all on a channel is below any limit, a value that can't be had is not.
    verdict:
      limit === undefined ? "free" : value === null ? (w.truePeakMaxDBTP === null ? "in" : "off") : value <= limit + 0.005 ? "in" : "off",
  });
  const anchored = l.measured === "dialogue";
  const target = l.integrated;
  const tolerance = l.tolerance ?? 0.5;
  const loudness = (what: string, value: number | null, asks: boolean, extra = ""): Judged => ({
    what,
    before: asks ? was.integrated : undefined,
    asked: asks && target !== undefined ? `asked ${minus(target)} ±${tolerance}${extra}` : extra ? extra.slice(2) : "not limited",
    value,
    unit: "LUFS",
    places: 1,
    verdict: !asks || target === undefined ? "free" : value !== null && Math.abs(value - target) <= tolerance + 0.005 ? "in" : "off",
  });
  const list = [loudness("Integrated", w.integratedLUFS, !anchored)];
  if (w.dialogue && w.dialogue.share > 0)
    list.push(loudness("Dialogue", w.dialogue.lufs, anchored, `, heard ${Math.round(w.dialogue.share * 100)} % of the time`));
  else if (anchored) list.push(loudness("Dialogue", null, true, ", no dialogue is heard"));
  list.push(
    most("True peak", w.truePeakMaxDBTP, l.truePeak, "dBTP", was.truePeak),
    most("Short-term max", w.shortTermMaxLUFS, l.shortTermMax, "LUFS", was.shortTermMax),
    most("Momentary max", w.momentaryMaxLUFS, l.momentaryMax, "LUFS", was.momentaryMax),
  );
  list.push(
    most("Programme meter", w.ppmMax, l.ppmMax, "PPM", was.ppmMax),
    most("Loudness range", w.loudnessRangeLU, l.rangeMax, "LU", was.range),
  );
  return list;
}

/** What all figures of a row come to. */
export function verdictOf(row: Pick<Measured, "limit" | "whole">): Verdict {
  const list = judged(row).map((j) => j.verdict);
  if ((row.whole?.unmeasured ?? 0) > 0) return "off";
  return list.includes("off") ? "off" : list.includes("in") ? "in" : "free";
}

export const rowKey = (r: { row: string; id: string }) => `${r.row} ${r.id}`;

const kinds: Record<GaugePlace["kind"], string> = {
  "short-term": "short-term over",
  momentary: "momentary over",
  "true peak": "true peak",
  "programme meter": "PPM over",
  silence: "digital silence",
  dropout: "dropout",
  clipped: "clipped",
};

/** What is the matter at a place, in words. */
export function placeWords(p: GaugePlace): string {
  const lasts = p.to - p.from;
  const long = p.kind === "true peak" || lasts < 0.05 ? "" : ` for ${lasts < 10 ? lasts.toFixed(1) : Math.round(lasts)} s`;
  const on = p.channels?.length ? `, ${p.channels.join(" ")}` : "";
  return kinds[p.kind] + long + on;
}

export const overUnit = (p: GaugePlace) => (p.kind === "short-term" || p.kind === "momentary" ? "LU" : "dB");
