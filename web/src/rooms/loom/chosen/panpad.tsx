import { Popover } from "radix-ui";
import { useRef, useState, type ReactNode } from "react";

import type { Command, CommandOf, Point, ReelView, Track } from "../../../api/client";
import { dyeName } from "../../../draw/canvas";
import { level, thinned } from "../ground/curves";
import { hasRoom } from "../ground/formats";
import { Kept } from "../../../ui/kept";
import { figure, gains } from "../ground/numbers";
import { usePlayer } from "../../../listen/player";
import { useAhead } from "../../../ui/ahead";
import { usePress, type At } from "../../../ui/press";
import { back } from "../../../ui/focus";

const sideways = (x: number) => `${Math.round(Math.abs(x) * 100)} ${x < 0 ? "left" : x > 0 ? "right" : "middle"}`;
const depth = (y: number) => `${Math.round(Math.abs(y) * 100)} ${y < 0 ? "back" : "front"}`;

type Do = (c: Command) => Promise<ReelView | undefined>;
type Spot = { x: number; y: number };

type Props = { view: ReelView; track: Track; playingAt: () => number | null; onDo: Do };

/** How much of the pad the room takes; around it there is air. */
const share = 0.86;

/** Where on the pad a place lies: left to right and front to back, from −1 to 1, in a box of that size. */
export const spotOf = (x: number, y: number, size: number): Spot => ({ x: ((1 + x * share) / 2) * size, y: ((1 - y * share) / 2) * size });

/** The place under a point of the pad, to a hundredth; what is nearly in the middle is. */
export function placeAt(px: number, py: number, size: number): Spot {
  const to = (v: number) => {
    const r = Math.round(Math.max(-1, Math.min(1, v)) * 100) / 100;
    return Math.abs(r) < 0.03 ? 0 : r + 0;
  };
  return { x: to(((px / size) * 2 - 1) / share), y: to((1 - (py / size) * 2) / share) };
}

/** Where a speaker stands on the pad: on the rim where it is level, further in the higher it is. */
export function speakerSpot(s: { azimuth: number; elevation: number }, size: number): Spot {
  const a = (s.azimuth * Math.PI) / 180;
  const out = Math.cos((s.elevation * Math.PI) / 180);
  return spotOf(-Math.sin(a) * out, Math.cos(a) * out, size);
}

/** Where a track stands: by its curves at a place of the reel, else as it is set. */
export function standing(t: Track, at: number): Spot {
  const of = (points: Point[] | undefined, rest: number) => (points?.length ? level(points, at) : rest);
  return { x: of(t.pan, t.feed.pan), y: of(t.curves?.front, t.feed.front ?? 0) };
}

/** Where a track stands now: along its curves while the reel plays. */
function useStanding(view: ReelView, t: Track): Spot {
  const moves = Boolean(t.pan?.length || t.curves?.front?.length);
  const at = usePlayer((s) => (moves && s.playing?.what === "reel" && s.playing.id === view.id ? s.position : view.head.start));
  return standing(t, at);
}

/** A room from above with its speakers, the chosen source in it, and the others of its stem. */
function Room({ view, track, size, spot, spread }: { view: ReelView; track: Track; size: number; spot: Spot; spread: number }) {
  const stem = view.stems.find((s) => s.id === track.stem)!;
  const small = size < 100;
  const others = view.tracks.filter((t) => t.id !== track.id && t.stem === track.stem && t.feed.placed && !t.mute);
  const own = spotOf(spot.x, spot.y, size);
  const dyed = `var(${dyeName(track.stem)})`;
  return (
    <svg width={size} height={size} aria-hidden className="block">
      <rect x={0.5} y={0.5} width={size - 1} height={size - 1} rx={small ? 6 : 10} fill="var(--ground)" stroke="var(--line)" />
      <circle cx={size / 2} cy={size / 2} r={size * 0.43} fill="none" stroke="var(--warp)" />
      <line x1={size / 2} x2={size / 2} y1={size * 0.07} y2={size * 0.93} stroke="var(--line)" />
      <line y1={size / 2} y2={size / 2} x1={size * 0.07} x2={size * 0.93} stroke="var(--line)" />
      {view.speakers
        .filter((s) => stem.labels.includes(s.label))
        .map((s) => {
          const at = speakerSpot(s, size);
          return small ? (
            <rect key={s.label} x={at.x - 2} y={at.y - 2} width={4} height={4} fill="var(--muted)" />
          ) : (
            <g key={s.label}>
              <rect x={at.x - 13} y={at.y - 9} width={26} height={18} rx={4} fill="var(--paper)" stroke="var(--muted)" />
              <text x={at.x} y={at.y + 4} textAnchor="middle" fontSize={11} fill="var(--ink)">
                {s.label}
              </text>
            </g>
          );
        })}
      {!small &&
        others.map((t) => {
          const at = spotOf(t.feed.pan, t.feed.front ?? 0, size);
          return <circle key={t.id} cx={at.x} cy={at.y} r={5} fill="none" stroke={dyed} strokeWidth={1.5} opacity={0.6} />;
        })}
      {spread > 0 && <circle cx={own.x} cy={own.y} r={(small ? 4 : 9) + spread * size * 0.4} fill={dyed} opacity={0.15} />}
      <circle cx={own.x} cy={own.y} r={small ? 4 : 9} fill={dyed} stroke="var(--ground)" strokeWidth={small ? 1 : 2} />
    </svg>
  );
}

const large = 280;

/** Where a mono track stands in the room of its stem: small in the line, and large when it is opened. */
export function PanPad(p: Props) {
  const { view, track } = p;
  const spot = useStanding(view, track);
  return (
    <Popover.Root>
      <Popover.Trigger
        className="cursor-pointer rounded-md"
        aria-label={`Place ${track.name} in the room`}
        title="Open the room, to place it by hand"
      >
        <Room view={view} track={track} size={84} spot={spot} spread={track.feed.spread ?? 0} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content onCloseAutoFocus={back} className="card z-50 p-3.5 text-[13px]" side="top" collisionPadding={10}>
          <Opened {...p} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Opened({ view, track, playingAt, onDo }: Props) {
  const stands = useStanding(view, track);
  const [moved, setMoved] = useState<Spot | null>(null);
  const ridden = useRef<{ pan: Point[]; front: Point[] } | null>(null);
  const spot = moved ?? stands;
  const set = (command: Partial<CommandOf<"setTrack">>) => onDo({ kind: "setTrack", command: { track: track.id, ...command } });
  const stem = view.stems.find((s) => s.id === track.stem)!;
  const moves = Boolean(track.pan?.length || track.curves?.front?.length);

  const put = (to: Spot) => {
    setMoved(to);
    const at = playingAt();
    if (at === null) return;
    // biome-ignore lint/suspicious/noAssignInExpressions: it is meant so
    const r = (ridden.current ??= { pan: [], front: [] });
    const last = r.pan.at(-1)?.at ?? -1;
    if (Math.round(at) <= last) return;
    r.pan.push({ at: Math.round(at), value: to.x });
    r.front.push({ at: Math.round(at), value: to.y });
  };
  /** Keeps the place; what was moved while the reel played becomes a curve there. */
  const keep = (to: Spot) => {
    const r = ridden.current;
    ridden.current = null;
    const done = () => setMoved(null);
    if (r && r.pan.length > 1) {
      const range = { from: r.pan[0]!.at, to: r.pan.at(-1)!.at };
      const curve = (what: "pan" | "front", points: Point[]): Command => ({
        kind: "setCurve",
        command: { of: "track", id: track.id, what, range, points: thinned(points, 0.02) },
      });
      void onDo({ kind: "several", command: { commands: [curve("pan", r.pan), curve("front", r.front)] } }).then(done, done);
      return;
    }
    if (to.x === stands.x && to.y === stands.y) return done();
    void set({ pan: to.x, front: to.y }).then(done, done);
  };
  const under = (at: At) => placeAt(at.x, at.y, large);
  const latest = useRef(keep);
  latest.current = keep;
  const hands = usePress(() => ({
    slack: 0,
    drag: (at) => put(under(at)),
    drop: (at) => latest.current(under(at)),
    cancel: () => {
      ridden.current = null;
      setMoved(null);
    },
  }));
  const key = (e: React.KeyboardEvent) => {
    const by = e.shiftKey ? 0.01 : 0.05;
    const step = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }[e.key];
    if (!step && e.key !== "Home") return;
    e.preventDefault();
    const round = (v: number) => Math.round(Math.max(-1, Math.min(1, v)) * 100) / 100 + 0;
    const to = step ? { x: round(spot.x + step[0]!), y: round(spot.y + step[1]!) } : { x: 0, y: 1 };
    setMoved(to);
    keep(to);
  };
  const words = `${sideways(spot.x)}, ${depth(spot.y)}`;
  return (
    <div className="flex gap-4">
      <div
        role="slider"
        tabIndex={0}
        aria-label={`Place of ${track.name}`}
        aria-valuenow={Math.round(spot.x * 100)}
        aria-valuemin={-100}
        aria-valuemax={100}
        aria-valuetext={words}
        className="cursor-crosshair touch-none rounded-lg"
        {...hands}
        onKeyDown={key}
      >
        <Room view={view} track={track} size={large} spot={spot} spread={track.feed.spread ?? 0} />
      </div>
      <div className="flex w-36 flex-col gap-2">
        <b className="truncate">{track.name}</b>
        <span className="text-muted">{words}</span>
        {moves && (
          <span className="text-muted">
            It moves by its curve: press in the room while the reel plays to ride it, or place it to have it stay.
          </span>
        )}
        {(
          [
            ["left–right", "pan", spot.x],
            ["back–front", "front", spot.y],
            ["up", "up", track.feed.up ?? 0],
          ] as const
        ).map(([called, what, value]) => (
          <label key={what} className="flex items-center justify-between gap-2 text-muted">
            {called}
            <Kept
              label={`${called} of ${track.name}`}
              value={String(Math.round(value * 100) / 100)}
              onKeep={figure((v) => set({ [what]: v }), -1, 1)}
              className="tc h-6 w-16 text-right text-ink"
            />
          </label>
        ))}
        <label className="flex items-center justify-between gap-2 text-muted">
          spread
          <input
            type="range"
            min={0}
            max={1}
            step={0.05}
            defaultValue={track.feed.spread ?? 0}
            key={track.feed.spread}
            aria-label={`Spread of ${track.name}`}
            className="w-20 accent-act"
            onPointerUp={(e) => void set({ spread: Number(e.currentTarget.value) })}
            onKeyUp={(e) => void set({ spread: Number(e.currentTarget.value) })}
          />
        </label>
        {stem.labels.includes("LFE") && (
          <label className="flex items-center justify-between gap-2 text-muted">
            LFE dB
            <Kept
              label={`Send of ${track.name} to the LFE in dB`}
              value={track.feed.lfeDB == null ? "" : String(track.feed.lfeDB)}
              placeholder="none"
              onKeep={(t) => (t.trim() === "" ? void set({ lfeDB: -96 }) : figure((lfeDB) => set({ lfeDB }), ...gains)(t))}
              className="tc h-6 w-16 text-right text-ink"
            />
          </label>
        )}
      </div>
    </div>
  );
}

/** Pan between left and right, or the balance of a pair. */
export function PanSlider({ pan, onPan }: { pan: number; onPan: (pan: number) => Promise<ReelView | undefined> }) {
  const { shown: at, show, send } = useAhead(pan, onPan);
  const keep = () => send(at);
  return (
    <>
      <input
        type="range"
        min={-1}
        max={1}
        step={0.05}
        value={at}
        aria-label="Pan"
        className="w-32 accent-act"
        onChange={(e) => show(Math.abs(Number(e.target.value)) < 0.03 ? 0 : Number(e.target.value))}
        onPointerUp={keep}
        onKeyUp={keep}
        onBlur={keep}
      />
      <span className="tc w-16">{at === 0 ? "middle" : `${Math.round(Math.abs(at) * 100)} ${at < 0 ? "left" : "right"}`}</span>
    </>
  );
}

/** Where a track stands, small on its row: left to right, and front to back where it stands in the room. Undefined where its sides say nothing. */
export function RowPad({ track, children }: { track: Track; children: () => ReactNode }) {
  if (!panned(track)) return null;
  const { x, y } = standing(track, 0);
  const flat = !track.feed.placed;
  const moves = Boolean(track.pan?.length || track.curves?.front?.length);
  const words = flat && track.feed.dual ? "both sides at unity" : `${sideways(x)}${flat ? "" : `, ${depth(y)}`}`;
  return (
    <Popover.Root>
      <Popover.Trigger
        className="shrink-0 cursor-pointer rounded"
        aria-label={`Place of ${track.name}: ${words}`}
        title={`${words}${moves ? ", moves" : ""}: press to place it`}
        onClick={(e) => e.stopPropagation()}
      >
        <svg width={24} height={18} aria-hidden className="block">
          <rect x={0.5} y={0.5} width={23} height={17} rx={4} fill="var(--ground)" stroke="var(--line)" />
          {flat ? (
            <line x1={4} x2={20} y1={9} y2={9} stroke="var(--muted)" />
          ) : (
            <ellipse cx={12} cy={9} rx={9} ry={6.5} fill="none" stroke="var(--muted)" />
          )}
          {flat && track.feed.dual ? (
            [4, 20].map((cx) => <circle key={cx} cx={cx} cy={9} r={2.5} fill="var(--ink)" />)
          ) : (
            <circle cx={12 + x * 8.5} cy={flat ? 9 : 9 - y * 6} r={3} fill="var(--ink)" />
          )}
        </svg>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          onCloseAutoFocus={back}
          className="card z-50 p-3.5 text-[13px]"
          side="right"
          collisionPadding={10}
          onClick={(e) => e.stopPropagation()}
        >
          {children()}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Whether a track goes between sides: a mono, microphones that lie together, or a pair. */
const panned = (t: Track) => t.labels.length === 1 || t.labels.every((l) => l === "M") || t.labels.join() === "L,R";

/** What opens on a row: the room where the track stands in it, else the line between its sides. */
export function PlaceCard(p: Props) {
  const { view, track, onDo } = p;
  const stem = view.stems.find((s) => s.id === track.stem);
  const set = (command: Partial<CommandOf<"setTrack">>) => onDo({ kind: "setTrack", command: { track: track.id, ...command } });
  if (stem && track.feed.placed) return <Opened {...p} />;
  return (
    <div className="flex flex-col gap-2">
      <b>{track.name}</b>
      <span className="flex items-center gap-2">
        <PanSlider pan={track.feed.pan} onPan={(pan) => set({ pan })} />
      </span>
      {track.labels.length !== 2 && hasRoom(stem?.labels ?? []) && (
        <button className="pill h-7 self-start px-3" onClick={() => void set({ placed: true, front: track.feed.front ?? 1 })}>
          Place it in the room of {stem!.name}
        </button>
      )}
    </div>
  );
}
