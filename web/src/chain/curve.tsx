import { useQuery } from "@tanstack/react-query";
import { useRef, type KeyboardEvent } from "react";

import { api, ok, type ChainStep, type ProcessorKind } from "../api/client";
import { useSize } from "../ui/size";
import type { Heard } from "./heard";
import { alongOf, curveFrequencies, downOf, frequencyAt, gainAt, held, shown, settingOf, withValues } from "./chains";
import { usePress, type At } from "../ui/press";

type Props = {
  rate: number;
  dye: string; // of the row, as a colour
  steps: ChainStep[];
  kinds: ProcessorKind[];
  off: boolean;
  chosen: string;
  /** What comes to the chain and leaves it at the playhead, drawn behind the curve. */
  heard: Heard | undefined;
  onChoose: (id: string) => void;
  /** While something is dragged, and when it is let go. */
  onDraft: (steps: ChainStep[] | null) => void;
  onKeep: (steps: ChainStep[]) => void;
};

/** A loudness, where there is any. */
const lufs = (v: number | null | undefined) => (v == null ? "" : `, ${v < 0 ? "−" : ""}${Math.abs(v).toFixed(1)} LUFS`);

const grid = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000];
const lines = [12, 6, 0, -6, -12, -18, -24];

/** What the filters of a chain do over frequency, drawn over what comes to it, pale, and what leaves it, dyed. Each filter has a handle. */
export function ChainCurve(p: Props) {
  const box = useRef<HTMLDivElement>(null);
  const { width, height } = useSize(box, { width: 480, height: 220 });
  const w = Math.max(1, width - 62);
  const h = Math.max(1, height - 26);
  const x = (f: number) => 40 + w * alongOf(f);
  const y = (dB: number) => 6 + h * downOf(dB);
  const asked = p.steps.map(({ id, kind, off, values }) => ({ id, kind, off, values }));
  const response = useQuery({
    queryKey: ["chain response", p.rate, asked],
    queryFn: () => ok(api.POST("/processors/response", { body: { rate: p.rate, steps: asked, frequencies: curveFrequencies } })),
    placeholderData: (before) => before,
    staleTime: Infinity,
    gcTime: 10_000,
  });
  const all = response.data?.all ?? [];
  const path = all.map((dB, i) => `${i === 0 ? "M" : "L"}${x(curveFrequencies[i]!).toFixed(1)} ${y(dB).toFixed(1)}`).join("");
  const loud = p.heard;
  const peak = Math.max(-90, ...(loud?.before ?? []), ...(loud?.after ?? []));
  return (
    <div ref={box} className="relative min-h-[110px] min-w-[240px] shrink-0 grow basis-0 overflow-hidden">
      <svg width={width} height={height} className="absolute inset-0 block" role="group" aria-label="What the filters do, over frequency">
        <Paper x={x} y={y} w={w} h={h} height={height} />
        {loud && <Bars {...p} heard={loud} peak={peak} x={x} w={w} h={h} />}
        {path && (
          <path d={path} fill="none" stroke={p.dye} strokeWidth={2.5} strokeDasharray={p.off ? "5 5" : undefined} strokeLinejoin="round" />
        )}
        {p.steps.map((s, i) => {
          const kind = p.kinds.find((k) => k.kind === s.kind);
          if (!kind || (response.data?.steps[i]?.length ?? 0) === 0) return null;
          return <Handle key={s.id} {...p} step={s} kind={kind} x={x} y={y} w={w} h={h} />;
        })}
      </svg>
      {loud && peak > -90 && (
        <p className="pointer-events-none absolute right-3 top-1.5 text-[11px] text-muted">
          pale: as it comes here{lufs(loud.loudness[0])} · dyed: as it leaves{lufs(loud.loudness[1])}
        </p>
      )}
      {loud && peak <= -90 && (
        <p className="absolute bottom-9 right-3 text-[11.5px] text-muted">Nothing is on this row at the playhead: go to where it sounds</p>
      )}
    </div>
  );
}

type Scales = { x: (f: number) => number; y: (dB: number) => number; w: number; h: number };

/** The lines and figures that everything is read by. */
function Paper({ x, y, w, h, height }: Scales & { height: number }) {
  return (
    <>
      {grid.map((f) => (
        <g key={f}>
          <line x1={x(f)} x2={x(f)} y1={6} y2={6 + h} stroke="var(--line)" />
          <text x={x(f)} y={height - 5} textAnchor="middle" className="tc fill-muted text-[10.5px]">
            {f >= 1000 ? `${f / 1000} k` : f}
          </text>
        </g>
      ))}
      {lines.map((dB) => (
        <g key={dB}>
          <line x1={40} x2={40 + w} y1={y(dB)} y2={y(dB)} stroke="var(--line)" strokeDasharray={dB === 0 ? undefined : "2 4"} />
          <text x={34} y={y(dB) + 4} textAnchor="end" className="tc fill-muted text-[10.5px]">
            {dB > 0 ? `+${dB}` : dB < 0 ? `−${-dB}` : "0"}
          </text>
        </g>
      ))}
    </>
  );
}

/** What comes, pale, and what leaves, dyed, by thirds of an octave: 60 dB below the loudest are drawn. */
function Bars({ heard, peak, dye, off, x, w, h }: Props & Omit<Scales, "y"> & { heard: Heard; peak: number }) {
  const bar = (dB: number) => Math.max(0, Math.min(1, (dB - peak + 60) / 60)) * h * 0.8;
  const wide = Math.max(3, w / 42);
  return heard.frequencies
    .map((f, i) => ({ f, before: bar(heard.before[i]!), after: bar(heard.after[i]!) }))
    .filter(({ f }) => f >= 22 && f <= 20_000)
    .map(({ f, before, after }) => (
      <g key={f}>
        <rect x={x(f) - wide / 2} width={wide} y={6 + h - before} height={before} fill="var(--line)" opacity={0.75} />
        <rect x={x(f) - wide / 4} width={wide / 2} y={6 + h - after} height={after} fill={dye} opacity={off ? 0.2 : 0.5} />
      </g>
    ));
}

type HandleProps = Props & Scales & { step: ChainStep; kind: ProcessorKind };

/** A filter on the curve: dragged by its frequency and gain, or moved by the arrow keys; Shift with up and down is how narrow it is. */
function Handle(p: HandleProps) {
  const { step, kind, x, y } = p;
  const of = (name: string) => kind.parameters.find((q) => q.name === name);
  const frequency = of("frequency")!;
  const gain = of("gain");
  const q = of("q");
  const f = settingOf(step, frequency);
  const dB = gain ? settingOf(step, gain) : -3; // where a filter without a gain of its own has its frequency
  const latest = useRef(p);
  latest.current = p;
  const hands = usePress((from) => {
    const to = (at: At) => {
      const { w, h, steps } = latest.current;
      const values: Record<string, number> = { frequency: held(frequency, frequencyAt(alongOf(f) + (at.clientX - from.clientX) / w)) };
      if (gain) values.gain = held(gain, gainAt(downOf(dB) + (at.clientY - from.clientY) / h));
      return withValues(steps, step.id, values);
    };
    return {
      slack: 1,
      drag: (at) => latest.current.onDraft(to(at)),
      drop: (at) => latest.current.onKeep(to(at)),
      cancel: () => latest.current.onDraft(null),
    };
  });
  const key = (e: KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowLeft: -1, ArrowUp: 1, ArrowDown: -1 }[e.key];
    if (!by) return;
    const upright = e.key === "ArrowUp" || e.key === "ArrowDown";
    const p2 = upright ? (e.shiftKey ? q : gain) : frequency;
    if (!p2) return;
    e.preventDefault();
    e.stopPropagation();
    const now = settingOf(step, p2);
    const next = p2.log ? now * 2 ** (by / (e.ctrlKey ? 48 : 12)) : now + by * (e.ctrlKey ? 0.1 : 0.5);
    p.onKeep(withValues(p.steps, step.id, { [p2.name]: held(p2, next) }));
  };
  const on = p.chosen === step.id;
  const words = `${kind.title}: ${shown(f, "Hz")}${gain ? `, ${shown(dB, "dB")}` : ""}`;
  return (
    <g transform={`translate(${x(f)} ${y(dB)})`}>
      <circle
        r={9}
        role="button"
        tabIndex={0}
        aria-label={`${words}. Arrows move it, Shift with up and down makes it wider or narrower`}
        aria-pressed={on}
        className="cursor-grab outline-offset-2"
        fill="var(--paper)"
        stroke={on ? "var(--zest)" : p.dye}
        strokeWidth={on ? 3 : 2.5}
        strokeDasharray={step.off ? "2 3" : undefined}
        onFocus={() => p.onChoose(step.id)}
        onKeyDown={key}
        {...hands}
      />
      {on && (
        <text
          y={-16}
          textAnchor="middle"
          className="tc fill-ink text-[11px] font-semibold"
          style={{ paintOrder: "stroke", stroke: "var(--paper)", strokeWidth: 4 }}
        >
          {shown(f, "Hz")} {gain ? shown(dB, "dB") : ""}
        </text>
      )}
    </g>
  );
}
