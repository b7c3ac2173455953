// The board: what of a row is set and what arrives at it, row beside row, in the place of time.
import { Link2 } from "lucide-react";
import { memo, useEffect, useMemo, useRef, useState, type KeyboardEvent } from "react";

import type { ReelView, Row, Spec } from "../../../api/client";
import { dyeName } from "../../../draw/canvas";
import { player, usePlayer, type Watched } from "../../../listen/player";
import { labelsOf, type BandRow } from "../ground/band";
import { level, movingOf, pointsOf } from "../ground/curves";
import { busOf, chainOf, groupOf, trackOf } from "../ground/lookup";
import { band as specBand } from "../transport/meters";
import type { Hands } from "./hands";
import { levelAt, rideModes, type RideMode, type Target } from "../ground/riding";
import type { Rows } from "../ground/rows";
import { useLoom, useLoomStore } from "../ground/state";
import { usePress, type At } from "../../../ui/press";

/** The columns of the board: gang, chain, level, place, share, what arrives and its figure. Where there is little room, a level and what arrives. */
const columns =
  "grid items-center gap-x-3 px-3 grid-cols-[20px_minmax(56px,0.8fr)_minmax(120px,2fr)_52px_62px_minmax(64px,1.4fr)_38px] " +
  "@max-[530px]:grid-cols-[20px_minmax(100px,2fr)_minmax(40px,1fr)]";
const roomy = "@max-[530px]:hidden";

/** The scale of a level, in dB. Levels below it stand at its end. */
const [lowest, highest] = [-48, 12];
const share = (dB: number) => Math.max(0, Math.min(1, (dB - lowest) / (highest - lowest)));
const sign = (dB: number) => (dB === 0 ? "0.0" : `${dB > 0 ? "+" : "−"}${Math.abs(dB).toFixed(1)}`);

export type BoardProps = {
  view: ReelView;
  spec: Spec | undefined;
  /** Where the playhead stands while nothing plays. */
  at: number;
  watch: Watched[];
  hands: Hands;
};

/** By how much levels are moved just now, by keyOfRow. */
type Held = { held: ReadonlyMap<string, number> };

/** What stands above the columns, and what moving a level does while the reel plays. */
export function BoardHead() {
  const store = useLoomStore();
  const ride = useLoom((s) => s.ride);
  const gang = useLoom((s) => s.gang);
  return (
    <div className="@container flex h-full min-w-0 flex-col justify-end overflow-hidden pb-1 text-[11px] text-muted">
      <div className="mb-1 flex min-w-0 items-center gap-3 px-3">
        <span className="flex min-w-0 items-center gap-1" role="radiogroup" aria-label="What moving a level does while the reel plays">
          <span className="shrink-0">while playing, a level</span>
          {rideModes.map((m) => (
            <button
              key={m}
              role="radio"
              aria-checked={ride === m}
              title={rideWords[m][1]}
              className={`h-5 shrink-0 cursor-pointer rounded-full border px-2
                ${ride === m ? "border-ink bg-ink text-ground" : "border-line bg-paper hover:text-ink"}`}
              onClick={() => store.setState({ ride: m })}
            >
              {rideWords[m][0]}
            </button>
          ))}
        </span>
        {gang.size > 0 && (
          <button
            className="pill ml-auto h-5 shrink-0 px-2 text-[11px]"
            title="Each row moves by itself again"
            onClick={() => store.setState({ gang: new Set() })}
          >
            {gang.size} move together ×
          </button>
        )}
      </div>
      <div className={columns}>
        <span />
        <span className={roomy}>chain</span>
        <span>level, dB</span>
        <span className={roomy}>place</span>
        <span className={roomy} title="How much of the power of all rows of its kind a row has, over the last 3 s, weighted as loudness is">
          share
        </span>
        <span className="truncate @min-[530px]:col-span-2">arrives, dBFS</span>
      </div>
    </div>
  );
}

const rideWords: Record<RideMode, [string, string]> = {
  off: ["is set", "Moving a level sets it for the whole reel, also while it plays"],
  touch: ["touch", "The curve is written while a level is held; let go, it does what it did before"],
  latch: ["latch", "The curve is written from when a level is moved until playing stops"],
  trim: ["trim", "What the curve does is raised or lowered while a level is held"],
};

/** The tracks of the board, beside their heads. */
export function BoardTracks({ rows, held, ...p }: BoardProps & Held & { rows: Rows }) {
  const gang = useLoom((s) => s.gang);
  return (
    <div className="@container relative w-full" style={{ height: Math.max(rows.height, 1) }} role="group" aria-label="The board">
      {rows.list.map((r) =>
        r.kind === "folder" ? (
          <div key={r.id} className="absolute inset-x-0 border-b border-line bg-band" style={{ top: r.y, height: r.height }} />
        ) : (
          <div key={r.id} className="absolute inset-x-0 border-b border-line" style={{ top: r.y, height: r.height }}>
            <BoardRow
              {...p}
              row="track"
              id={r.id}
              name={r.track.name}
              stem={r.track.stem}
              height={r.body}
              ganged={gang.has(`track ${r.id}`)}
              by={held.get(`track ${r.id}`) ?? null}
            />
          </div>
        ),
      )}
    </div>
  );
}

/** The rows below the tracks. */
export function BoardBand({ list, held, ...p }: BoardProps & Held & { list: BandRow[]; height: number }) {
  const gang = useLoom((s) => s.gang);
  return (
    <div className="@container" role="group" aria-label="The board of stems, mixes and outputs">
      {list.map((b) => (
        <div key={b.row + b.id} style={{ height: p.height }}>
          <BoardRow
            {...p}
            row={b.row}
            id={b.id}
            name={`${kindWords[b.row]} ${b.name}`}
            stem={b.stem}
            ganged={gang.has(`${b.row} ${b.id}`)}
            by={held.get(`${b.row} ${b.id}`) ?? null}
          />
        </div>
      ))}
    </div>
  );
}

/** What rows are called that may have the same name. */
const kindWords: Record<Row, string> = { track: "track", stem: "stem", strand: "strand", mix: "mix", group: "output" };

type RowProps = BoardProps & { row: Row; id: string; name: string; stem: string; height: number; ganged: boolean; by: number | null };

const BoardRow = memo(function BoardRow(p: RowProps) {
  const { view, row, id, name, height, hands, ganged } = p;
  const t: Target = { row, id };
  const low = height < 26;
  const dyed = p.stem ? `var(${dyeName(p.stem)})` : "var(--ink)";
  return (
    <div className={`${columns} h-full ${ganged ? "bg-paper" : ""}`} style={{ height }} data-low={low || undefined}>
      <button
        className={`flex cursor-pointer items-center justify-center rounded-full border ${low ? "h-[15px] w-[15px]" : "h-5 w-5"}
          ${ganged ? "border-ink bg-ink text-ground" : "border-transparent text-muted opacity-50 hover:border-line hover:opacity-100"}
          focus-visible:opacity-100`}
        aria-pressed={ganged}
        aria-label={`${name} moves together with others`}
        title="Move together: what is done to the level of one of these is done to all of them"
        onClick={() => hands.gang(t)}
      >
        <Link2 size={low ? 10 : 12} />
      </button>
      <Thread view={view} t={t} name={name} dyed={dyed} low={low} onOpen={() => hands.chain(t)} />
      <LevelThread {...p} t={t} dyed={dyed} low={low} />
      <Place view={view} t={t} name={name} at={p.at} low={low} onPlace={(pan) => hands.place(t, pan)} />
      <Arrives view={view} spec={p.spec} watch={p.watch} t={t} name={name} low={low} />
    </div>
  );
});

/** A row's thread with what it goes through, as stitches; those that do nothing are dotted. */
function Thread({
  view,
  t,
  name,
  dyed,
  low,
  onOpen,
}: {
  view: ReelView;
  t: Target;
  name: string;
  dyed: string;
  low: boolean;
  onOpen: () => void;
}) {
  const chain = chainOf(view, t.row, t.id);
  const steps = chain?.steps ?? [];
  const words =
    steps.length === 0 ? "nothing yet" : `${steps.length} ${steps.length === 1 ? "processor" : "processors"}${chain?.off ? ", off" : ""}`;
  return (
    <button
      className="@max-[530px]:hidden relative flex h-full w-full cursor-pointer items-center gap-[6px] overflow-hidden rounded px-1 hover:bg-paper"
      aria-label={`Chain of ${name}: ${words}`}
      title={`What ${name} goes through: ${words}. Press to open it`}
      onClick={onOpen}
    >
      <span className="absolute inset-x-0 top-1/2 border-t-[1.5px]" style={{ borderColor: dyed, opacity: steps.length > 0 ? 1 : 0.4 }} />
      {steps.map((s) => (
        <span
          key={s.id}
          className={`relative shrink-0 rounded-full border-2 bg-ground ${low ? "h-[9px] w-[9px]" : "h-[14px] w-[14px]"}`}
          style={{ borderColor: dyed, borderStyle: s.off || chain?.off ? "dotted" : "solid" }}
        />
      ))}
    </button>
  );
}

/** How far a level moves for a pixel at most, in dB, and with Shift. */
const fine = 0.25;

function LevelThread({ view, t, name, dyed, low, at, by, hands }: RowProps & { t: Target; dyed: string; low: boolean }) {
  const box = useRef<HTMLDivElement>(null);
  const shown = usePlayer((s) => {
    const here = s.playing?.what === "reel" && s.playing.id === view.id ? s.position : at;
    return Math.round(levelAt(view, t, here) * 10) / 10;
  });
  const grabbed = useRef(0); // what was shown when a hand took hold
  const dB = by === null ? shown : Math.max(-96, Math.min(24, Math.round((grabbed.current + by) * 10) / 10));
  if (by === null) grabbed.current = shown;
  const moves = movingOf(t.row === "track" ? trackOf(view, t.id) : busOf(view, t.row, t.id)).includes("gain");
  const press = usePress((from) => {
    let x = from.clientX;
    let moved = 0;
    const to = (at: At) => {
      moved += ((at.clientX - x) / box.current!.clientWidth) * (highest - lowest) * (at.shiftKey ? fine : 1);
      x = at.clientX;
      hands.move(t, Math.round(moved * 10) / 10);
    };
    hands.begin(t);
    return {
      slack: 1,
      drag: to,
      drop: (at) => {
        to(at);
        hands.end(t);
      },
      tap: () => hands.end(t),
      cancel: () => hands.cancel(t),
    };
  });
  const keys = (e: KeyboardEvent) => {
    const step = { ArrowRight: 0.5, ArrowUp: 0.5, ArrowLeft: -0.5, ArrowDown: -0.5, PageUp: 3, PageDown: -3 }[e.key];
    if (e.altKey || e.ctrlKey || e.metaKey || (step === undefined && e.key !== "Home")) return;
    e.preventDefault();
    e.stopPropagation();
    if (step === undefined) hands.rest(t);
    else hands.step(t, e.shiftKey ? step / 5 : step);
  };
  const x = `${share(dB) * 100}%`;
  const ring = low ? 10 : 14;
  return (
    <div className="flex h-full min-w-0 items-center gap-2">
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label={`Level of ${name}`}
        aria-valuemin={-96}
        aria-valuemax={24}
        aria-valuenow={dB}
        aria-valuetext={`${sign(dB)} dB${moves ? ", moves by a curve" : ""}`}
        title="Drag, or arrows; Shift is finer, Home puts it back to 0"
        className="relative h-full min-w-0 grow cursor-ew-resize touch-none rounded"
        {...press}
        onDoubleClick={() => hands.rest(t)}
        onKeyDown={keys}
      >
        <span className="absolute inset-x-0 top-1/2 border-t-[1.5px] border-line" />
        {[-36, -24, -12, 0].map((v) => (
          <span
            key={v}
            className={`absolute top-1/2 -translate-y-1/2 border-l ${v === 0 ? "h-[11px] border-muted" : "h-[7px] border-line"}`}
            style={{ left: `${share(v) * 100}%` }}
          />
        ))}
        <span
          className="absolute left-0 top-1/2 -translate-y-1/2 border-t-[3px]"
          style={{ width: x, borderColor: dyed, borderTopStyle: moves ? "dashed" : "solid" }}
        />
        <span
          className={`absolute top-1/2 -translate-x-1/2 -translate-y-1/2 rounded-full border-[3px] bg-ground ${by !== null ? "bg-zest" : ""}`}
          style={{ left: x, width: ring, height: ring, borderColor: dyed }}
        />
      </div>
      <span className={`tc w-11 shrink-0 text-right ${low ? "text-[11px]" : "text-[12px]"}`}>{sign(dB)}</span>
    </div>
  );
}

/** From left to right, seen from above; a row that has no sides has no place. */
function Place({
  view,
  t,
  name,
  at,
  low,
  onPlace,
}: {
  view: ReelView;
  t: Target;
  name: string;
  at: number;
  low: boolean;
  onPlace: (pan: number) => Promise<unknown>;
}) {
  const track = t.row === "track" ? trackOf(view, t.id) : undefined;
  const labels = track
    ? (view.stems.find((s) => s.id === track.stem)?.labels ?? [])
    : t.row === "group"
      ? (groupOf(view, t.id)?.labels ?? [])
      : labelsOf(view, t.row, t.id);
  const does = track ?? busOf(view, t.row, t.id);
  const points = pointsOf(does, "pan");
  const rest = track?.feed.pan ?? busOf(view, t.row, t.id)?.feed?.pan ?? 0;
  const [drag, setDrag] = useState<number | null>(null);
  const shown = usePlayer((s) => {
    const here = s.playing?.what === "reel" && s.playing.id === view.id ? s.position : at;
    return Math.round((points.length > 0 ? level(points, here) : rest) * 100) / 100;
  });
  const pan = drag ?? shown;
  const [rx, ry] = low ? [18, 6] : [22, 10];
  const held = (v: number) => Math.max(-1, Math.min(1, Math.round(v * 100) / 100)) + 0;
  const press = usePress((from) => {
    if (points.length > 0) return null;
    const to = (at: At) => held(pan + (at.clientX - from.clientX) / 60);
    return {
      slack: 1,
      drag: (at) => setDrag(to(at)),
      drop: (at) => {
        const placed = Math.abs(to(at)) < 0.04 ? 0 : to(at);
        setDrag(placed);
        void onPlace(placed).finally(() => setDrag(null));
      },
      cancel: () => setDrag(null),
    };
  });
  if (!labels.includes("L") || !labels.includes("R")) return <span className={`text-center text-muted ${roomy}`}>–</span>;
  const words = pan === 0 ? "middle" : `${Math.round(Math.abs(pan) * 100)} ${pan < 0 ? "left" : "right"}`;
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`Place of ${name}`}
      aria-valuemin={-100}
      aria-valuemax={100}
      aria-valuenow={Math.round(pan * 100)}
      aria-valuetext={points.length > 0 ? `${words}, moves by a curve` : words}
      title={points.length > 0 ? `${words}: it moves by its curve` : `${words}. Drag, or arrows; a double press puts it in the middle`}
      className={`cursor-ew-resize touch-none rounded ${roomy}`}
      {...press}
      onDoubleClick={() => points.length === 0 && void onPlace(0)}
      onKeyDown={(e) => {
        const step = { ArrowLeft: -0.05, ArrowRight: 0.05 }[e.key];
        if (step === undefined || points.length > 0 || e.altKey || e.ctrlKey || e.metaKey || e.shiftKey) return;
        e.preventDefault();
        e.stopPropagation();
        void onPlace(held(rest + step));
      }}
    >
      <title>
        {points.length > 0 ? `${words}: it moves by its curve` : `${words}. Drag, or arrows; a double press puts it in the middle`}
      </title>
      <svg width={50} height={2 * ry + 8} className="block" aria-hidden>
        <ellipse cx={25} cy={ry + 4} rx={rx} ry={ry} fill="none" stroke="var(--ink)" strokeWidth={1.3} />
        <circle cx={25 + pan * rx} cy={ry + 4 - ry * Math.sqrt(Math.max(0, 1 - pan * pan))} r={low ? 2.8 : 3.6} fill="var(--ink)" />
      </svg>
    </div>
  );
}

/** The lowest level that is shown of what arrives, in dBFS; how fast what was highest falls back, in dB a second; how often words change. */
const floor = -60;
const fall = 12;
const wordsEvery = 250;
const pale = "color-mix(in srgb, var(--lime) 45%, transparent)";
const hatch = "repeating-linear-gradient(115deg, var(--wrong) 0 1.5px, transparent 1.5px 4px)";

/** The share of a row in all of its kind, and what arrives at it, as it plays. Drawn without React, as it changes with every block. */
function Arrives({
  view,
  spec,
  watch,
  t,
  name,
  low,
}: {
  view: ReelView;
  spec: Spec | undefined;
  watch: Watched[];
  t: Target;
  name: string;
  low: boolean;
}) {
  const [from, to] = specBand(spec);
  const part = useRef<HTMLSpanElement>(null);
  const meter = useRef<HTMLSpanElement>(null);
  const figure = useRef<HTMLSpanElement>(null);
  const index = useMemo(() => watch.findIndex((w) => w.row === t.row && w.id === t.id), [watch, t.row, t.id]);
  const alike = useMemo(() => watch.flatMap((w, i) => (w.row === t.row ? [i] : [])), [watch, t.row]);
  useEffect(() => {
    let [held, since, due] = [floor, 0, 0];
    const paint = () => {
      const { playing, rows, shorts } = player.snapshot();
      const now = performance.now();
      const on = playing?.what === "reel" && playing.id === view.id && rows.length === watch.length;
      const peak = on ? (rows[index] ?? floor) : floor;
      held = on ? Math.max(peak, held - (fall * (now - since)) / 1000) : floor;
      since = now;
      const el = meter.current;
      if (!el) return;
      const [bar, over, mark] = el.children as unknown as HTMLElement[];
      const x = (dB: number) => `${Math.max(0, Math.min(100, ((dB - floor) / -floor) * 100))}%`;
      bar!.style.width = x(Math.min(peak, to));
      over!.style.left = x(to);
      over!.style.width = peak > to ? `calc(${x(peak)} - ${x(to)})` : "0";
      mark!.style.left = x(held);
      mark!.style.opacity = held > floor ? "1" : "0";
      if (now < due && on) return;
      due = now + wordsEvery;
      const power = (i: number) => ((shorts[i] ?? -200) <= -190 ? 0 : 10 ** ((shorts[i] ?? -200) / 10));
      const all = alike.reduce((sum, i) => sum + power(i), 0);
      const percent = on && all > 0 ? Math.round((100 * power(index)) / all) : null;
      part.current!.children[0]!.textContent = percent === null ? "–" : `${percent} %`;
      const lufs = on ? (shorts[index] ?? -200) : -200;
      if (part.current!.children[1]) part.current!.children[1].textContent = lufs > -100 ? `${lufs.toFixed(0).replace("-", "−")} LUFS` : "";
      figure.current!.textContent = held > floor ? held.toFixed(1).replace("-", "−") : "";
      el.setAttribute("aria-valuenow", String(Math.round(Math.max(floor, Math.min(0, held)))));
      el.setAttribute("aria-valuetext", held > floor ? `${Math.round(held)} dBFS` : "silent");
    };
    paint();
    return player.subscribe(paint);
  }, [view.id, watch, index, alike, to]);
  const x = (dB: number) => ((dB - floor) / -floor) * 100;
  return (
    <>
      <span ref={part} className={`tc leading-tight ${roomy}`} aria-hidden>
        <span className={`block ${low ? "text-[11px]" : "text-[12px]"}`}>–</span>
        {!low && <span className="block text-[10px] text-muted" />}
      </span>
      <span
        ref={meter}
        role="meter"
        aria-label={`What arrives at ${name}`}
        aria-valuemin={floor}
        aria-valuemax={0}
        aria-valuenow={floor}
        aria-valuetext="silent"
        className={`relative block min-w-0 bg-band ${low ? "h-[7px]" : "h-[9px]"}`}
        style={{
          backgroundImage: `linear-gradient(to right, transparent ${x(from)}%, ${pale} ${x(from)}%, ${pale} ${x(to)}%, transparent ${x(to)}%)`,
        }}
      >
        <span className="absolute left-0 top-[2px] bottom-[2px] bg-ink" />
        <span className="absolute inset-y-0" style={{ backgroundImage: hatch }} />
        <span className="absolute -top-[2px] -bottom-[2px] w-[2px] bg-ink" />
      </span>
      <span ref={figure} className={`tc text-right text-[11px] text-muted ${roomy}`} aria-hidden />
    </>
  );
}
