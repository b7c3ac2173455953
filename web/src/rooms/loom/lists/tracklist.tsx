import { Plus, Trash2 } from "lucide-react";
import { useRef, useState, type KeyboardEvent } from "react";

import type { Clip, Command, CommandOf, Point, ReelView, Row, Track } from "../../../api/client";
import type { ActionID } from "../../../ui/actions";
import { keyOf, keySign } from "../../../ui/keys";
import { Small } from "../../../ui/small";
import { duration, labelAt, noTimecode, parseNear } from "../../../ui/timecode";
import { slipOf, slipSign } from "../ground/choice";
import { labelsOf, strandsOf } from "../ground/band";
import { busWords } from "../ground/buslevel";
import {
  busParameters,
  level,
  movingOf,
  parameters,
  pointsOf,
  restOf,
  scaleOf,
  type Curved,
  type CurveOf,
  type Parameter,
} from "../ground/curves";
import { hasRoom, isField } from "../ground/formats";
import { Kept } from "../../../ui/kept";
import { ChainOpener } from "../chains/chainopener";
import { busOf, groupOf, rowNamed } from "../ground/lookup";
import { figure, gains } from "../ground/numbers";
import { Ride } from "../ground/ride";
import type { BusRow } from "../ground/state";

type Props = {
  view: ReelView;
  track: Track | undefined;
  bus: BusRow | null;
  playingAt: () => number | null;
  onBus: (b: BusRow | null) => void;
  onChain: (of: { row: Row; id: string }) => void;
  clips: Clip[];
  chosen: string[];
  at: () => number;
  onClip: (clip: string) => void;
  onDo: (c: Command) => void;
};

/** What lies on the chosen track and what moves on it, in words and figures: everything that is painted, for keyboard and screen reader. */
export function TrackList(p: Props) {
  const { view, track, bus } = p;
  const clip = p.clips.find((c) => p.chosen.includes(c.id));
  const labels = bus && (bus.row === "group" ? groupOf(view, bus.id)?.labels : labelsOf(view, bus.row, bus.id));
  return (
    <>
      <WhichRow {...p} />
      {bus && labels && <BusPanel key={`${bus.row} ${bus.id}`} {...p} bus={bus} labels={labels} />}
      {!bus && !track && (
        <p className="py-3 text-[13px] text-muted">
          Choose a track first: its clips and the points of its curves stand here. Or choose a stem, a mix or an output group above, to set
          its level or have it move.
        </p>
      )}
      {!bus && track && (
        <>
          <Clips {...p} track={track} />
          <CurvePoints key={track.id} {...p} of="track" id={track.id} item={track} parameters={parameters} />
          {clip && (
            <div className="mt-4 border-t border-line pt-2">
              <p className="text-[13px] text-muted">
                Of the clip <b className="text-ink">{clip.name}</b>, added to what the track does:
              </p>
              <CurvePoints key={clip.id} {...p} of="clip" id={clip.id} item={clip} parameters={clipParameters} />
            </div>
          )}
        </>
      )}
    </>
  );
}

/** Which row of the reel the list is about: the chosen track, or one of the rows that tracks go into. */
function WhichRow({ view, track, bus, onBus }: Props) {
  const rows = busRows(view);
  return (
    <select
      className="field mb-1 h-7 w-full font-semibold"
      aria-label="Which row"
      value={bus ? rows.findIndex((r) => r.row === bus.row && r.id === bus.id) : -1}
      onChange={(e) => onBus(rows[Number(e.target.value)] ?? null)}
    >
      <option value={-1}>{track ? `Track: ${track.name}` : "The chosen track"}</option>
      {rows.map((r, i) => {
        const does = busOf(view, r.row, r.id);
        return (
          <option key={`${r.row} ${r.id}`} value={i}>
            {r.name}
            {does ? ` (${busWords(does)})` : ""}
          </option>
        );
      })}
    </select>
  );
}

/** All rows that tracks go into, as they are called. */
const busRows = (view: ReelView): (BusRow & { name: string })[] => [
  ...view.stems.flatMap((s) => [
    { row: "stem" as const, id: s.id, name: `Stem: ${s.name}` },
    ...[...strandsOf(view, s.id).keys()]
      .filter((n) => n !== "")
      .map((n) => ({ row: "strand" as const, id: `${s.id}/${n}`, name: `Strand: ${s.name}, ${n}` })),
  ]),
  ...view.mixes.map((m) => ({ row: "mix" as const, id: m.id, name: `Mix: ${m.name}` })),
  ...view.groups.map((g) => ({ row: "group" as const, id: g.id, name: `Output group: ${g.name}` })),
];

/** The level of a row that tracks go into, how its set is balanced and turned, and the points of its curves. */
function BusPanel(p: Props & { bus: BusRow; labels: string[] }) {
  const { view, bus, labels, onDo } = p;
  const does = busOf(view, bus.row, bus.id);
  const has = parametersOf(labels);
  const set = (part: Partial<CommandOf<"setBus">>) => onDo({ kind: "setBus", command: { row: bus.row, from: bus.id, ...part } });
  return (
    <>
      <p className="flex items-center gap-2 text-[12px] text-muted">
        <span className="grow">What is done here is done to all that arrives, and is printed.</span>
        <ChainOpener
          view={view}
          row={bus.row}
          id={bus.id}
          name={rowNamed(view, bus.row, bus.id)}
          onOpen={() => p.onChain({ row: bus.row, id: bus.id })}
        />
      </p>
      <div className="mb-2 mt-1 flex flex-wrap items-center gap-x-3 gap-y-1 text-[13px]">
        <label className="flex items-center gap-1.5">
          Level{" "}
          <Kept
            label="Level of the row in dB"
            value={String(does?.gainDB ?? 0)}
            onKeep={figure((gainDB) => set({ gainDB }), ...gains)}
            className="tc h-7 w-16 text-right"
          />{" "}
          dB
        </label>
        {has.slice(1).map((what) => (
          <label key={what} className="flex items-center gap-1.5">
            {what === "pan" ? "balance" : what}
            {pointsOf(does, what).length > 0 ? (
              <button className="pill h-6 px-2" title="It moves by its curve; this takes the curve off" onClick={() => set({ [what]: 0 })}>
                curve ×
              </button>
            ) : (
              <Kept
                label={`${what} of the row`}
                value={String(restOf(does, what))}
                onKeep={figure((v) => set({ [what]: v }), scaleOf(what).least, scaleOf(what).most)}
                className="tc h-7 w-14 text-right"
              />
            )}
          </label>
        ))}
      </div>
      <Ride of={bus.row} id={bus.id} parameters={has} playingAt={p.playingAt} onDo={onDo} />
      <div className="mt-2" />
      <CurvePoints {...p} of={bus.row} id={bus.id} item={does} parameters={has} />
    </>
  );
}

const clipParameters = ["gain", "pan"] as const;

/** What of a row of such channels can be set: a mono has a level alone, a set sides, a room can be turned. */
const parametersOf = (labels: string[]): Parameter[] =>
  busParameters.filter((what) => {
    if (what === "gain") return true;
    if (isField(labels)) return what !== "narrow" && what !== "pan";
    if (what === "pan") return labels.includes("L") && labels.includes("R");
    return (what === "turn" || what === "narrow") && hasRoom(labels);
  });

const Key = ({ of }: { of: ActionID }) => (
  <kbd className="tc rounded border border-line px-1 text-[11px] text-ink">{keySign(keyOf(of))}</kbd>
);

/** The clips of the track in order. Up and down choose one; all keys that do something to clips do it to that. */
function Clips({ view, track, clips, chosen, onClip }: Props & { track: Track }) {
  const list = useRef<HTMLUListElement>(null);
  const at = Math.max(
    0,
    clips.findIndex((c) => chosen.includes(c.id)),
  );
  const walk = (e: KeyboardEvent) => {
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: clips.length - 1 }[e.key];
    const clip = to === undefined || e.altKey || e.ctrlKey || e.metaKey || e.shiftKey ? undefined : clips[to];
    if (!clip) return;
    e.preventDefault();
    onClip(clip.id);
    list.current?.querySelectorAll<HTMLElement>("[role=option]")[to!]?.focus();
  };
  if (clips.length === 0) return <p className="py-2 text-[13px] text-muted">No clip lies on it.</p>;
  const { sampleRate, frameRate } = view.head;
  return (
    <>
      <p className="mt-1 text-[12px] text-muted">
        <Key of="clip-back" /> and <Key of="clip-on" /> go from clip to clip, <Key of="clip-up" /> and <Key of="clip-down" /> put it on
        another track.
      </p>
      {/** biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: what has the focus, and the keys, is another element */}
      <ul ref={list} role="listbox" aria-label={`Clips on ${track.name}`} className="mb-4 mt-1 max-h-72 overflow-y-auto" onKeyDown={walk}>
        {clips.map((c, i) => {
          const slip = slipOf(c);
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: what has the focus, and the keys, is another element
            <li
              key={c.id}
              // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: what has the focus, and the keys, is another element
              role="option"
              aria-selected={chosen.includes(c.id)}
              tabIndex={i === at ? 0 : -1}
              className={`flex cursor-pointer items-baseline gap-2 border-t border-line px-1 py-1 text-[13px]
                ${chosen.includes(c.id) ? "bg-band font-semibold" : ""}`}
              onClick={() => onClip(c.id)}
            >
              <span className="min-w-0 grow truncate">{c.name}</span>
              {slip !== 0 && <span className="tc text-[12px] text-wrong">{slipSign(view, slip)}</span>}
              {c.mute && <span className="text-[12px] text-muted">muted</span>}
              <span className="tc text-[12px]">{labelAt(c.start, sampleRate, frameRate)}</span>
              <span className="tc text-[12px] text-muted">{duration(c.length, sampleRate)}</span>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** The points of a curve as figures: any parameter, within its range and in its unit. */
export function CurvePoints({
  view,
  of,
  id,
  item,
  parameters,
  at,
  onDo,
}: Pick<Props, "view" | "at" | "onDo"> & {
  of: CurveOf;
  id: string;
  item: Curved | undefined;
  parameters: readonly Parameter[];
}) {
  // A clip keeps its points in frames of its take; here they stand on the clock of the reel.
  const moved = item && "offset" in item ? item.start - item.offset : 0;
  const moving = movingOf(item);
  const [what, setWhat] = useState<Parameter>(moving[0] ?? "gain");
  const points = pointsOf(item, what).map((q) => ({ ...q, at: q.at + moved }));
  const scale = scaleOf(what);
  const { sampleRate, frameRate } = view.head;
  const keep = (points: Point[]) => onDo({ kind: "setCurve", command: { of, id, what, points: [...points].sort((a, b) => a.at - b.at) } });
  const without = (i: number) => points.filter((_, k) => k !== i);
  const add = () => {
    const here = Math.round(at());
    if (points.some((q) => q.at === here)) return;
    keep([...points, { at: here, value: Math.round((points.length ? level(points, here) : restOf(item, what)) * 100) / 100 }]);
  };
  return (
    <section aria-label={of === "clip" ? "Curve of the clip" : "Curve"}>
      <div className="flex items-center gap-2">
        {of !== "knot" && (
          <>
            <h2 className="font-semibold">Curve of</h2>
            <select
              className="field h-7"
              aria-label={of === "clip" ? "Which curve of the clip" : "Which curve"}
              value={what}
              onChange={(e) => setWhat(e.target.value as Parameter)}
            >
              {parameters.map((x) => (
                <option key={x} value={x}>
                  {x}
                  {moving.includes(x) ? ` (${pointsOf(item, x).length} points)` : ""}
                </option>
              ))}
            </select>
          </>
        )}
        <button className="pill h-7" onClick={add}>
          <Plus size={13} /> at the playhead
        </button>
      </div>
      {points.length === 0 && <p className="py-2 text-[13px] text-muted">It stands still. A point at the playhead begins a curve.</p>}
      <ol className="mt-1">
        {points.map((q, i) => (
          <li key={`${q.at} ${i}`} className="flex items-center gap-2 border-t border-line py-1 text-[13px]">
            <Kept
              label={`Time of point ${i + 1}`}
              value={labelAt(q.at, sampleRate, frameRate)}
              onKeep={(t) => {
                const to = parseNear(t, q.at, sampleRate, frameRate);
                if (to === null) return noTimecode;
                keep([...without(i), { at: to, value: q.value }]);
              }}
              className="tc h-7 w-28"
            />
            <Kept
              label={`Value of point ${i + 1}`}
              value={String(q.value)}
              onKeep={figure((value) => keep([...without(i), { at: q.at, value }]), scale.least, scale.most)}
              className="tc h-7 w-20 text-right"
            />
            <span className="w-6 text-muted">{scale.unit}</span>
            <Small label={`Take point ${i + 1} away`} onClick={() => keep(without(i))}>
              <Trash2 size={14} />
            </Small>
          </li>
        ))}
      </ol>
    </section>
  );
}
