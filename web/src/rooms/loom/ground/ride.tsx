import { useLayoutEffect, useRef, useState } from "react";

import type { Command, Point } from "../../../api/client";
import { thinned, type CurveOf, type Parameter } from "./curves";

const ridable = {
  gain: { min: -24, max: 12, step: 0.5, within: 0.3, sign: (v: number) => (v > 0 ? `+${v}` : v < 0 ? `−${-v}` : "0") },
  pan: {
    min: -1,
    max: 1,
    step: 0.05,
    within: 0.02,
    sign: (v: number) => (v === 0 ? "middle" : `${Math.round(Math.abs(v) * 100)} ${v < 0 ? "L" : "R"}`),
  },
  front: {
    min: -1,
    max: 1,
    step: 0.05,
    within: 0.02,
    sign: (v: number) => (v === 0 ? "middle" : `${Math.round(Math.abs(v) * 100)} ${v < 0 ? "back" : "front"}`),
  },
  up: { min: -1, max: 1, step: 0.05, within: 0.02, sign: (v: number) => `${Math.round(v * 100)}` },
  spread: { min: 0, max: 1, step: 0.05, within: 0.02, sign: (v: number) => `${Math.round(v * 100)} %` },
  lfe: { min: -48, max: 12, step: 0.5, within: 0.3, sign: (v: number) => `${v} dB` },
  turn: { min: -180, max: 180, step: 1, within: 0.5, sign: (v: number) => `${v}°` },
  pitch: { min: -180, max: 180, step: 1, within: 0.5, sign: (v: number) => `${v}°` },
  roll: { min: -180, max: 180, step: 1, within: 0.5, sign: (v: number) => `${v}°` },
  narrow: { min: 0, max: 1, step: 0.05, within: 0.02, sign: (v: number) => `${Math.round(v * 100)} %` },
} satisfies Record<Parameter, unknown>;

type Props = {
  of: CurveOf;
  id: string;
  parameters: readonly Parameter[] /** Where the reel plays, or null while it does not. */;
  playingAt: () => number | null;
  onDo: (c: Command) => unknown;
};

/** Rides the gain or another parameter: what the slider does while the reel plays becomes the curve there. */
export function Ride({ of, id, parameters, playingAt, onDo }: Props) {
  const [what, setWhat] = useState<Parameter>("gain");
  const [value, setValue] = useState(0);
  const ridden = useRef<Point[] | null>(null);
  const r = ridable[what];
  // What was begun on one is not written to another.
  // biome-ignore lint/correctness/useExhaustiveDependencies: when it is of something else
  useLayoutEffect(
    () => () => {
      ridden.current = null;
      setValue(0);
    },
    [of, id],
  );
  const note = (v: number) => {
    const at = playingAt();
    if (at === null) return;
    ridden.current ??= [];
    const last = ridden.current.at(-1);
    if (!last || at > last.at) ridden.current.push({ at: Math.round(at), value: v });
  };
  const end = () => {
    const points = ridden.current;
    ridden.current = null;
    if (points && points.length > 1) {
      const from = points[0]!.at;
      const to = Math.max(Math.round(playingAt() ?? 0), points.at(-1)!.at);
      void onDo({
        kind: "setCurve",
        command: { of, id, what, range: { from, to }, points: thinned([...points, { at: to, value: points.at(-1)!.value }], r.within) },
      });
    }
    setValue(0);
  };
  return (
    <span
      className="flex items-center gap-1.5 text-muted"
      title="Hold and move it while the reel plays: the curve is written where it was held"
    >
      {parameters.length > 1 ? (
        <select
          className="cursor-pointer bg-transparent"
          aria-label="What is ridden while playing"
          value={what}
          onChange={(e) => (setWhat(e.target.value as Parameter), setValue(0))}
        >
          {parameters.map((r) => (
            <option key={r} value={r}>
              ride {r}
            </option>
          ))}
        </select>
      ) : (
        <span>ride</span>
      )}
      <input
        type="range"
        min={r.min}
        max={r.max}
        step={r.step}
        value={value}
        aria-label={`Ride the ${what} while playing`}
        className="w-24 accent-act"
        onPointerDown={() => note(value)}
        onChange={(e) => (setValue(Number(e.target.value)), note(Number(e.target.value)))}
        onPointerUp={end}
        onBlur={end}
      />
      <span className="tc w-12 text-ink">{r.sign(value)}</span>
    </span>
  );
}
