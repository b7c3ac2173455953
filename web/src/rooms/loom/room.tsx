import { Maximize2, ZoomIn, ZoomOut } from "lucide-react";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { Link, useParams } from "react-router";

import { useProduction, useReel, useReelEdits, useSpecs, useTakesOf } from "../../api/hooks";
import { player, usePlayer, type Tap } from "../../listen/player";
import { Header } from "../../ui/header";
import { keyOf, keySign, useActions } from "../../ui/keys";
import { frameAt, sampleOf } from "../../ui/timecode";
import type { ReelView } from "../../api/client";
import { columnX, edits as editsOf, headsWidth, reedWidth, rulerHeight, trackHeight, weaveWidth, whole, zoom, type TimeView } from "./geometry";
import { StemHead, TrackHead } from "./heads";
import { Inspector } from "./inspector";
import { Meters } from "./meters";
import { Shuttle } from "./shuttle";
import { SpecDialog } from "./spec";
import { positionOf, Ruler, StemTime, TimeArea } from "./time";
import { WeaveRow } from "./weave";

/** The Loom: what plays when, and where does it go? */
export function LoomRoom() {
  const { production: id = "", reel: reelID = "" } = useParams();
  const production = useProduction(id);
  const reel = useReel(reelID);
  const edits = useReelEdits(reelID);
  const view = reel.data;
  return (
    <div className="flex h-full flex-col">
      <Header
        production={production.data}
        reel={view && { id: view.id, name: view.name }}
        history={view && { undo: view.undo, redo: view.redo, onUndo: () => void edits.undo(), onRedo: () => void edits.redo() }}
      />
      {reel.error && <p className="p-10 text-wrong">{reel.error.message}</p>}
      {view && <Loom key={view.id} view={view} edits={edits} />}
    </div>
  );
}

/** What is heard while nothing else was chosen: the last group, which is where specs put the full mix. */
function usualTap(view: ReelView): Tap {
  const last = view.groups.at(-1);
  return last ? { kind: "group", id: last.id } : { kind: "stems", id: "" };
}

function exists(view: ReelView, tap: Tap): boolean {
  const list = { group: view.groups, output: view.outputs, stem: view.stems, track: view.tracks, stems: null }[tap.kind];
  return list === null || list.some((x) => x.id === tap.id);
}

function Loom({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  const takes = useTakesOf(view);
  const specs = useSpecs();
  const spec = specs.data?.find((s) => s.id === view.head.spec);
  const takesKey = [...takes.keys()].join();
  const widths = useMemo(() => new Map([...takes.values()].map((t) => [t.id, t.channels.length])), [takesKey]); // a take's width never changes
  // Which recorder's channel a track comes from stays visible.
  const originOf = (track: string) => {
    const c = view.clips.find((x) => x.track === track);
    const t = c && takes.get(c.take);
    if (!c || !t) return "";
    const channels = c.channels.map((x) => x + 1);
    return `${t.description.roll || t.fileName.replace(/\.[^.]+$/, "")} ${channels.length > 2 ? `${channels[0]}–${channels.at(-1)}` : channels.join(" ")}`;
  };

  // Listening: where the shuttle stands, what is heard.
  const [at, setAt] = useState(view.head.start);
  const [chosenTap, setTap] = useState<Tap | null>(null);
  const [solo, setSolo] = useState<string[]>([]);
  const [editingPosition, setEditingPosition] = useState(false);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  // Not subscribed to: only what shows the position is drawn again as it runs.
  const position = () => positionOf(view.id, at);
  const tap = chosenTap && exists(view, chosenTap) ? chosenTap : usualTap(view);
  const soloed = useMemo(() => solo.filter((x) => view.tracks.some((t) => t.id === x)), [solo, view.tracks]);
  const tapKey = `${tap.kind} ${tap.id} ${soloed.join(" ")}`;
  useEffect(() => player.change(tap, soloed), [tapKey, view.revision]); // eslint-disable-line react-hooks/exhaustive-deps
  useEffect(() => () => player.stop(), []);

  const play = () => {
    if (playing) {
      setAt(position());
      player.stop();
    } else {
      const from = at >= view.end ? view.head.start : at;
      setAt(from);
      void player.playReel(view.id, from, tap, soloed);
    }
  };
  const go = useCallback(
    (sample: number) => {
      setAt(sample);
      const s = player.snapshot();
      if (s.playing?.what === "reel") void player.playReel(view.id, sample, tap, soloed);
    },
    [view.id, tapKey], // eslint-disable-line react-hooks/exhaustive-deps
  );
  const wasPlaying = useRef(false);
  useEffect(() => {
    // Where playing ended, the shuttle stays.
    if (wasPlaying.current && !playing) setAt((a) => Math.max(a, player.snapshot().position || a));
    wasPlaying.current = playing;
  }, [playing]);

  // The view in time.
  const timeBox = useRef<HTMLDivElement>(null);
  const [timeWidth, setTimeWidth] = useState(600);
  const [time, setTime] = useState<TimeView | null>(null);
  useLayoutEffect(() => {
    const measure = () => setTimeWidth(timeBox.current?.clientWidth ?? 600);
    measure();
    const o = new ResizeObserver(measure);
    o.observe(timeBox.current!);
    return () => o.disconnect();
  }, []);
  const shown = time ?? whole(view, timeWidth);
  const onTime = useCallback((change: (v: TimeView) => TimeView) => setTime((v) => change(v ?? whole(view, timeBox.current?.clientWidth ?? 600))), [view]);
  useEffect(() => {
    if (!playing) return;
    // The page turns when the shuttle runs out of it.
    return player.subscribe(() => {
      const now = positionOf(view.id, -1);
      const x = (now - shown.left) / shown.perPixel;
      if (now >= 0 && (x > timeWidth * 0.96 || x < 0)) setTime({ ...shown, left: now - timeWidth * 0.06 * shown.perPixel });
    });
  }, [playing, view.id, shown.left, shown.perPixel, timeWidth]); // eslint-disable-line react-hooks/exhaustive-deps
  const nearer = (factor: number) => onTime((v) => zoom(v, factor, Math.max(0, Math.min(timeWidth, (position() - v.left) / v.perPixel))));

  // Selection.
  const [selected, setSelected] = useState({ track: "", clip: "" });
  const track = view.tracks.find((t) => t.id === selected.track);
  const clip = view.clips.find((c) => c.id === selected.clip && c.track === track?.id) ?? view.clips.find((c) => c.track === track?.id);
  const select = (t: string, c = "") => setSelected({ track: t, clip: c });
  const set = (t: string, command: Record<string, unknown>) => void edits.command({ kind: "setTrack", command: { track: t, ...command } });
  const nextStem = () => {
    if (!track) return;
    const i = view.stems.findIndex((s) => s.id === track.stem);
    set(track.id, { stem: view.stems[(i + 1) % view.stems.length]!.id });
  };
  const toggleSolo = (t: string) => setSolo((s) => (s.includes(t) ? s.filter((x) => x !== t) : [...s, t]));
  const remove = () => track && void edits.command({ kind: "removeTracks", command: { tracks: [track.id] } });
  const step = (by: number) => {
    const i = view.tracks.findIndex((t) => t.id === selected.track);
    const to = view.tracks[i < 0 ? 0 : Math.max(0, Math.min(view.tracks.length - 1, i + by))];
    if (to) select(to.id);
  };
  const stepFrame = (by: number) => {
    const { sampleRate, frameRate } = view.head;
    go(sampleOf(Math.max(0, frameAt(position(), sampleRate, frameRate) + by), sampleRate, frameRate));
  };
  const stepEdit = (by: number) => {
    const list = editsOf(view);
    const to = by > 0 ? list.find((e) => e > position()) : list.findLast((e) => e < position());
    if (to !== undefined) go(to);
  };
  useActions({
    play,
    "frame-back": () => stepFrame(-1),
    "frame-on": () => stepFrame(1),
    "edit-back": () => stepEdit(-1),
    "edit-on": () => stepEdit(1),
    home: () => go(view.head.start),
    goto: () => setEditingPosition(true),
    "track-up": () => step(-1),
    "track-down": () => step(1),
    solo: () => track && toggleSolo(track.id),
    mute: () => track && set(track.id, { mute: !track.mute }),
    alone: () => track && setTap(tap.kind === "track" && tap.id === track.id ? null : { kind: "track", id: track.id }),
    stem: nextStem,
    confirm: () => track?.suggested && set(track.id, { stem: track.stem }),
    closer: () => nearer(0.5),
    wider: () => nearer(2),
    whole: () => setTime(null),
    remove,
  });
  const toggleTap = (t: Tap) => setTap(tap.kind === t.kind && tap.id === t.id ? null : t);

  // The reed: how much of the room is time, how much weave.
  const full = weaveWidth(view.outputs.length);
  const [reed, setReed] = useState<number | null>(null);
  const [slide, setSlide] = useState(0); // how far the weave is scrolled sideways
  const weaveShown = Math.min(reed ?? full, full);
  const slid = Math.max(0, Math.min(slide, full - weaveShown));
  const [choosing, setChoosing] = useState(false);

  return (
    <>
      <Shuttle
        view={view}
        spec={spec}
        at={at}
        playing={playing}
        tap={tap}
        soloed={soloed.length}
        editing={editingPosition}
        onEditing={setEditingPosition}
        onPlay={play}
        onGo={go}
        onTap={setTap}
        onClearSolo={() => setSolo([])}
        onFinding={(t) => t && select(t)}
        onSpec={() => setChoosing(true)}
      />
      <div className="flex shrink-0 border-b border-line bg-ground" style={{ height: rulerHeight }}>
        <div className="flex shrink-0 items-end justify-end gap-1 border-r border-line px-2 pb-1.5" style={{ width: headsWidth }}>
          <ZoomButton label={`Wider in time (${keySign(keyOf("wider"))})`} onClick={() => nearer(2)}>
            <ZoomOut size={14} />
          </ZoomButton>
          <ZoomButton label={`Closer in time (${keySign(keyOf("closer"))})`} onClick={() => nearer(0.5)}>
            <ZoomIn size={14} />
          </ZoomButton>
          <ZoomButton label={`The whole reel (${keySign(keyOf("whole"))})`} onClick={() => setTime(null)}>
            <Maximize2 size={13} />
          </ZoomButton>
        </div>
        <div ref={timeBox} className="min-w-0 grow">
          <Ruler view={view} time={shown} takes={widths} at={at} onTime={onTime} onGo={go} />
        </div>
        <div style={{ width: reedWidth }} className="shrink-0" />
        <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
          <WeaveHead view={view} tap={tap} onTap={toggleTap} />
        </Slid>
      </div>
      <div className="relative flex min-h-0 grow">
        <div className="flex min-h-0 grow overflow-y-auto overflow-x-hidden">
          <div className="shrink-0 border-r border-line" style={{ width: headsWidth }} role="grid" aria-label="Tracks">
            {view.tracks.map((t) => (
              <TrackHead
                key={t.id}
                view={view}
                track={t}
                origin={originOf(t.id)}
                selected={t.id === selected.track}
                soloed={soloed.includes(t.id)}
                alone={tap.kind === "track" && tap.id === t.id}
                onSelect={() => select(t.id)}
                onStem={(s) => set(t.id, { stem: s })}
                onMute={() => set(t.id, { mute: !t.mute })}
                onSolo={() => toggleSolo(t.id)}
              />
            ))}
          </div>
          <div className="relative flex min-w-0 grow flex-col">
            {view.clips.length === 0 && (
              <div className="absolute inset-x-0 top-24 z-10 flex flex-col items-center gap-2 px-6 text-center">
                <b className="text-lg">Nothing is on this reel yet</b>
                <p className="max-w-sm text-muted">
                  Unravel takes onto it under{" "}
                  <Link className="font-semibold text-ink underline" to={`/p/${view.production}/takes`}>
                    Takes
                  </Link>
                  : each microphone becomes a track of its own.
                </p>
              </div>
            )}
            <TimeArea
              view={view}
              time={shown}
              takes={widths}
              selectedTrack={selected.track}
              selectedClip={clip?.id ?? ""}
              at={at}
              onTime={onTime}
              onGo={go}
              onSelect={select}
              onMove={(c, by) => void edits.command({ kind: "moveClip", command: { clip: c, by } })}
            />
          </div>
          <Reed width={weaveShown} full={full} onWidth={setReed} />
          <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
            <div role="grid" aria-label="The weave" className="relative h-full">
              {view.outputs.length === 0 ? (
                <div className="flex flex-col items-start gap-3 px-5 py-6">
                  <b>No outputs yet</b>
                  <p className="text-[13px] text-muted">A delivery spec says which output channels there are and which stems feed them.</p>
                  <button className="pill-act" onClick={() => setChoosing(true)}>
                    Choose a delivery spec
                  </button>
                </div>
              ) : (
                <>
                  {view.outputs.map((o, i) => (
                    <span key={o.id} className="absolute inset-y-0 w-[1.5px]" style={{ left: columnX(i) - 0.75, background: "var(--warp)" }} />
                  ))}
                  {view.tracks.map((t, i) => (
                    <div key={t.id} className={`border-b border-line ${t.id === selected.track ? "bg-paper" : ""}`} style={{ height: trackHeight }}>
                      <WeaveRow view={view} row="track" id={t.id} name={t.name} stem={t.stem} index={i} edits={edits} muted={t.mute} />
                    </div>
                  ))}
                </>
              )}
            </div>
          </Slid>
        </div>
      </div>
      <div className="flex shrink-0 border-t border-line bg-band">
        <div className="shrink-0 border-r border-line" style={{ width: headsWidth }}>
          {view.stems.map((s) => (
            <StemHead key={s.id} stem={s} on={tap.kind === "stem" && tap.id === s.id} onTap={toggleTap} />
          ))}
        </div>
        <div className="min-w-0 grow">
          <StemTime view={view} time={shown} takes={widths} at={at} onTime={onTime} onGo={go} />
        </div>
        <Reed width={weaveShown} full={full} onWidth={setReed} />
        <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
          {view.outputs.length > 0 &&
            view.stems.map((s, i) => <WeaveRow key={s.id} view={view} row="stem" id={s.id} name={s.name} stem={s.id} index={view.tracks.length + i} edits={edits} muted={false} />)}
        </Slid>
      </div>
      <div className="flex h-[136px] shrink-0 border-t border-line bg-paper">
        <div className="min-w-0 grow">
          <Inspector view={view} track={track} clip={clip} onDo={edits.command} onRemove={remove} />
        </div>
        <div className="shrink-0 bg-ground" style={{ width: reedWidth }} />
        <div className="shrink-0 bg-ground">
          <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
            {view.outputs.length > 0 && <Meters view={view} spec={spec} tap={tap} onTap={toggleTap} />}
          </Slid>
        </div>
      </div>
      <SpecDialog
        open={choosing}
        onOpenChange={setChoosing}
        chosen={view.head.spec}
        onChoose={(s) => {
          setChoosing(false);
          void edits.spec(s);
        }}
      />
    </>
  );
}

/** A part of the weave: as wide as the reed leaves it, and slid sideways like all its other parts. */
function Slid(p: { width: number; full: number; slid: number; onSlide: (to: number) => void; children: React.ReactNode }) {
  return (
    <div className="h-full shrink-0 overflow-hidden" style={{ width: p.width }} onWheel={(e) => (e.shiftKey || e.deltaX !== 0) && p.onSlide(p.slid + (e.deltaX || e.deltaY))}>
      <div className="h-full" style={{ transform: `translateX(${-p.slid}px)`, width: p.full }}>
        {p.children}
      </div>
    </div>
  );
}

const reedLook = { background: "repeating-linear-gradient(0deg, var(--line) 0 2px, var(--warp) 2px 4px)" };

/** The divider between time and weave; dragging it, or the arrow keys, give one of them more room. */
function Reed({ width, full, onWidth }: { width: number; full: number; onWidth: (w: number | null) => void }) {
  const grip = useRef({ x: 0, width: 0 });
  const keep = (w: number) => onWidth(Math.max(0, Math.min(full, w)));
  return (
    <div
      role="separator"
      aria-orientation="vertical"
      aria-label="The reed, between time and weave"
      aria-valuenow={Math.round(width)}
      aria-valuemin={0}
      aria-valuemax={full}
      tabIndex={0}
      title="Drag to give time or weave more room; double-click for all of the weave"
      className="sticky top-0 shrink-0 cursor-col-resize touch-none"
      style={{ width: reedWidth, ...reedLook }}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        grip.current = { x: e.clientX, width };
      }}
      onPointerMove={(e) => e.buttons === 1 && keep(grip.current.width + grip.current.x - e.clientX)}
      onDoubleClick={() => onWidth(null)}
      onKeyDown={(e) => {
        if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
        e.preventDefault();
        keep(width + (e.key === "ArrowLeft" ? 30 : -30));
      }}
    />
  );
}

function WeaveHead({ view, tap, onTap }: { view: ReelView; tap: Tap; onTap: (t: Tap) => void }) {
  let column = 0;
  const unfed = new Set(view.findings.filter((f) => f.rule === "unfed").map((f) => f.output));
  return (
    <div className="relative" style={{ height: rulerHeight }}>
      {view.groups.map((g) => {
        const first = column;
        column += g.labels.length;
        const on = tap.kind === "group" && tap.id === g.id;
        return (
          <div key={g.id}>
            <button
              className={`absolute top-1 cursor-pointer truncate border-b px-0.5 text-center text-[12px] ${on ? "border-zest font-bold" : "border-ink"}`}
              style={{ left: columnX(first) - 13, width: (g.labels.length - 1) * 30 + 26 }}
              aria-pressed={on}
              title={`${g.name}: listen to it`}
              onClick={() => onTap({ kind: "group", id: g.id })}
            >
              {g.labels.length * 30 < 70 ? g.tag : g.name}
            </button>
            {g.labels.map((l, i) => {
              const o = view.outputs[first + i]!;
              return (
                <span key={l} className={`tc absolute bottom-1 w-[30px] text-center text-[11px] ${unfed.has(o.id) ? "font-bold text-wrong" : ""}`} style={{ left: columnX(first + i) - 15 }} title={unfed.has(o.id) ? `Nothing feeds output ${o.number}` : `Output ${o.number}`}>
                  <span className="text-muted">{o.number}</span> {l}
                  {unfed.has(o.id) && "?"}
                </span>
              );
            })}
          </div>
        );
      })}
    </div>
  );
}

function ZoomButton(p: { label: string; onClick: () => void; children: React.ReactNode }) {
  return (
    <button className="flex h-6 w-6 cursor-pointer items-center justify-center rounded-full border border-line bg-paper text-muted hover:text-ink" aria-label={p.label} title={p.label} onClick={p.onClick}>
      {p.children}
    </button>
  );
}
