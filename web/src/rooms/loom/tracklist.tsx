import { Plus, Trash2 } from "lucide-react";
import { useRef, useState, type KeyboardEvent } from "react";

import type { Clip, Command, Point, ReelView, Track } from "../../api/client";
import { keyOf, keySign, type ActionID } from "../../ui/keys";
import { Small } from "../../ui/small";
import { duration, labelAt, noTimecode, parseNear } from "../../ui/timecode";
import { slipOf, slipSign } from "./choice";
import { level, movingOf, parameters, pointsOf, restOf, scaleOf, type Parameter } from "./curves";
import { Kept } from "./kept";
import { figure } from "./numbers";

type Props = { view: ReelView; track: Track | undefined; clips: Clip[]; chosen: string[]; at: () => number; onClip: (clip: string) => void; onDo: (c: Command) => void };

/** What lies on the chosen track and what moves on it, in words and figures: everything that is painted, for keyboard and screen reader. */
export function TrackList(p: Props) {
  if (!p.track) return <p className="py-3 text-[13px] text-muted">Choose a track first: its clips and the points of its curves stand here.</p>;
  return (
    <>
      <h2 className="font-semibold">{p.track.name}</h2>
      <Clips {...p} track={p.track} />
      <CurvePoints key={p.track.id} {...p} track={p.track} />
    </>
  );
}

const Key = ({ of }: { of: ActionID }) => <kbd className="tc rounded border border-line px-1 text-[11px] text-ink">{keySign(keyOf(of))}</kbd>;

/** The clips of the track in order. Up and down choose one; all keys that do something to clips do it to that. */
function Clips({ view, track, clips, chosen, onClip }: Props & { track: Track }) {
  const list = useRef<HTMLUListElement>(null);
  const at = Math.max(0, clips.findIndex((c) => chosen.includes(c.id)));
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
        <Key of="clip-back" /> and <Key of="clip-on" /> go from clip to clip, <Key of="clip-up" /> and <Key of="clip-down" /> put it on another track.
      </p>
      <ul ref={list} role="listbox" aria-label={`Clips on ${track.name}`} className="mb-4 mt-1 max-h-72 overflow-y-auto" onKeyDown={walk}>
        {clips.map((c, i) => {
          const slip = slipOf(c);
          return (
            <li
              key={c.id}
              role="option"
              aria-selected={chosen.includes(c.id)}
              tabIndex={i === at ? 0 : -1}
              className={`flex cursor-pointer items-baseline gap-2 border-t border-line px-1 py-1 text-[13px] ${chosen.includes(c.id) ? "bg-band font-semibold" : ""}`}
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

/** The points of one of the track's curves as figures: any parameter, within its range and in its unit. */
function CurvePoints({ view, track, at, onDo }: Props & { track: Track }) {
  const moving = movingOf(track);
  const [what, setWhat] = useState<Parameter>(moving[0] ?? "gain");
  const points = pointsOf(track, what);
  const scale = scaleOf(what);
  const { sampleRate, frameRate } = view.head;
  const keep = (points: Point[]) => onDo({ kind: "setCurve", command: { of: "track", id: track.id, what, points: [...points].sort((a, b) => a.at - b.at) } });
  const without = (i: number) => points.filter((_, k) => k !== i);
  const add = () => {
    const here = Math.round(at());
    if (points.some((q) => q.at === here)) return;
    keep([...points, { at: here, value: Math.round((points.length ? level(points, here) : restOf(track, what)) * 100) / 100 }]);
  };
  return (
    <section aria-label="Curve">
      <div className="flex items-center gap-2">
        <h2 className="font-semibold">Curve of</h2>
        <select className="field h-7" aria-label="Which curve" value={what} onChange={(e) => setWhat(e.target.value as Parameter)}>
          {parameters.map((x) => (
            <option key={x} value={x}>
              {x}
              {moving.includes(x) ? ` (${pointsOf(track, x).length} points)` : ""}
            </option>
          ))}
        </select>
        <button className="pill h-7" onClick={add}>
          <Plus size={13} /> at the shuttle
        </button>
      </div>
      {points.length === 0 && <p className="py-2 text-[13px] text-muted">It stands still. A point at the shuttle begins a curve.</p>}
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
            <Kept label={`Value of point ${i + 1}`} value={String(q.value)} onKeep={figure((value) => keep([...without(i), { at: q.at, value }]), scale.least, scale.most)} className="tc h-7 w-20 text-right" />
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
