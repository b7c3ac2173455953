import { Clapperboard, ListTree, Magnet, Maximize2, Plus, Spline, ZoomIn, ZoomOut } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { Link, useParams } from "react-router";

import { useProduction, useReel, useReelEdits, useSpecs, useTakes, useTakesOf } from "../../api/hooks";
import { player, usePlayer, type Manner, type Tap } from "../../listen/player";
import { Header } from "../../ui/header";
import { Missing } from "../../ui/missing";
import { keyOf, keySign, useActions, type ActionID } from "../../ui/keys";
import { tell } from "../../ui/notices";
import { useRemembered } from "../../ui/remembered";
import { frameAt, sampleOf } from "../../ui/timecode";
import type { Command, CommandOf, ReelView } from "../../api/client";
import { BorrowDialog, type Loan } from "./borrow";
import { clipsAt, mainClip, nothing, there, type Choice } from "./choice";
import { gather } from "./clipboard";
import { formats } from "./formats";
import { allCurves, curveViews, type CurveView } from "./curves";
import { cutting } from "./cutting";
import { layBand } from "./band";
import { columnWidth, columnX, edits as editsOf, headsWidth, reedWidth, rulerHeight, stemHeight, weaveWidth, whole, xOf, zoom } from "./geometry";
import { BandHead, FolderHead, TrackHead, type HeadActs } from "./heads";
import { Inspector } from "./inspector";
import { Lists, type ListName } from "./lists";
import { Meters } from "./meters";
import { PicturePane } from "./picture";
import { ReelMenu } from "./reels";
import { layRows } from "./rows";
import { useSettling } from "./settling";
import { Scroll } from "./scroll";
import { Shuttle } from "./shuttle";
import { SpecDialog } from "./spec";
import { BandTime, positionOf, Ruler, TimeArea } from "./time";
import { useConsent } from "./consent";
import { useStable } from "../../ui/stable";
import { columnsIn, WeaveRow, type Columns } from "./weave";

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
        reelMenu={view && <ReelMenu view={view} />}
        history={view && { undo: view.undo, redo: view.redo, onUndo: () => void edits.undo(), onRedo: () => void edits.redo() }}
      />
      <Missing of={[production, reel]} />
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
  const list = { group: view.groups, output: view.outputs, stem: view.stems, track: view.tracks, mix: view.mixes, strand: view.tracks.map((t) => ({ id: `${t.stem}/${t.strand ?? ""}` })), stems: null }[tap.kind];
  return list === null || list.some((x) => x.id === tap.id);
}

function Loom({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  const takes = useTakesOf(view);
  const listed = useTakes(view.production).data?.takes;
  const movies = useMemo(() => listed?.filter((t) => t.picture) ?? [], [listed]);
  const specs = useSpecs();
  const spec = specs.data?.find((s) => s.id === view.head.spec);
  const takesKey = [...takes.keys()].join();
  // Takes that sound is borrowed from are drawn too, though no clip is of them.
  const widths = useMemo(() => new Map([...(listed ?? []), ...takes.values()].map((t) => [t.id, t.channels.length])), [takesKey, listed]); // eslint-disable-line react-hooks/exhaustive-deps
  const { ask, doIt, dialog } = useConsent(edits);

  // The rows: which clips are opened into their channels, which folders are shut.
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const rows = useMemo(() => layRows(view, opened, folded), [view, opened, folded]);
  const [openStems, setOpenStems] = useState<ReadonlySet<string>>(new Set());
  const band = useMemo(() => layBand(view, openStems), [view, openStems]);
  const turned = (set: ReadonlySet<string>, id: string) => new Set(set.has(id) ? [...set].filter((x) => x !== id) : [...set, id]);
  const openClip = (id: string) => setOpened((s) => turned(s, id));

  // What is chosen.
  const [chosen, setChosen] = useState<Choice>(nothing);
  const choice = useMemo(() => there(view, chosen), [view, chosen]);
  const track = view.tracks.find((t) => t.id === choice.track);
  // A range on one track goes along to the next; one over several stays.
  const selectTrack = (t: string) => setChosen({ ...nothing, track: t, range: choice.range && (choice.range.tracks.length === 1 ? { ...choice.range, tracks: [t] } : choice.range) });
  const selectClip = (id: string) => {
    const c = view.clips.find((x) => x.id === id);
    if (c) setChosen({ ...nothing, track: c.track, clips: [c.id] });
  };

  // Which recorder's channel a track comes from stays visible.
  const originOf = (track: string) => {
    const c = rows.clips.get(track)?.[0];
    const t = c && takes.get(c.take);
    if (!c || !t) return "";
    const channels = c.channels.map((x) => x + 1);
    return `${t.description.roll || t.fileName.replace(/\.[^.]+$/, "")} ${channels.length > 2 ? `${channels[0]}–${channels.at(-1)}` : channels.join(" ")}`;
  };

  // Listening: where the shuttle stands, what is heard and how.
  const [at, setAt] = useState(view.head.start);
  const [chosenTap, setTap] = useState<Tap | null>(null);
  const [soloChosen, setSolo] = useRemembered<string[]>(`loom.solo.${view.id}`, []);
  const [loop, setLoop] = useState(false);
  const [half, setHalf] = useState(false);
  const [alone, setAlone] = useState<{ clip: string; channel: number } | null>(null);
  const [editingPosition, setEditingPosition] = useState(false);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  // Not subscribed to: only what shows the position is drawn again as it runs.
  const position = () => positionOf(view.id, at);
  const clipsOfTrack = rows.clips.get(choice.track) ?? [];
  const clip = mainClip(view, choice) ?? clipsAt(clipsOfTrack, at)[0] ?? clipsOfTrack[0];
  const tap = chosenTap && exists(view, chosenTap) ? chosenTap : usualTap(view);
  const soloed = useMemo(() => soloChosen.filter((x) => view.tracks.some((t) => t.id === x)), [soloChosen, view.tracks]);
  const heard = alone && view.clips.some((c) => c.id === alone.clip) ? alone : undefined;
  const around = loop && choice.range ? { from: choice.range.from, to: choice.range.to } : null;
  const manner: Manner = { tap, solo: soloed, loop: around, half, lane: heard };
  const tapKey = `${tap.kind} ${tap.id} ${soloed.join(" ")} ${around?.from} ${around?.to}`;
  const quiet = useRef(false); // what plays is only a try: the shuttle stays where it was
  useEffect(() => player.change(manner), [tapKey, view.revision]); // eslint-disable-line react-hooks/exhaustive-deps
  useEffect(() => () => player.stop(), []);
  const playFrom = (from: number, m: Partial<Manner> = {}) => {
    quiet.current = false;
    void player.playReel(view.id, from, { ...manner, ...m });
  };
  /** Plays something that leaves the shuttle where it is. */
  const tryOut = (from: number, m: Partial<Manner>) => {
    void player.playReel(view.id, from, { ...manner, loop: null, lane: undefined, ...m });
    quiet.current = true;
  };
  const mannerKey = `${half} ${heard?.clip} ${heard?.channel}`;
  useEffect(() => {
    if (playing && !quiet.current) playFrom(position());
  }, [mannerKey]); // eslint-disable-line react-hooks/exhaustive-deps

  const play = () => {
    if (playing) {
      if (!quiet.current) setAt(position());
      player.stop();
      return;
    }
    const from = around && (at < around.from || at >= around.to) ? around.from : at >= view.end ? view.head.start : at;
    setAt(from);
    playFrom(from);
  };
  const go = useCallback(
    (sample: number) => {
      setAt(sample);
      const s = player.snapshot();
      if (s.playing?.what === "reel" && !quiet.current) void player.playReel(view.id, sample, manner);
    },
    [view.id, tapKey, mannerKey], // eslint-disable-line react-hooks/exhaustive-deps
  );
  const scrubbed = useRef(0);
  /** Moves the shuttle and lets a little be heard where it goes. */
  const scrub = (sample: number) => {
    setAt(sample);
    const now = performance.now();
    if (now - scrubbed.current < scrubEvery) return;
    scrubbed.current = now;
    if (playing && !quiet.current) void player.playReel(view.id, sample, manner);
    else tryOut(sample, { half: false, until: Math.round(sample + view.head.sampleRate * scrubSeconds), lane: heard });
  };
  const wasPlaying = useRef(false);
  useEffect(() => {
    // Where playing ended, the shuttle stays.
    if (wasPlaying.current && !playing && !quiet.current) setAt((a) => player.snapshot().position || a);
    wasPlaying.current = playing;
  }, [playing]);

  // The view in time.
  const timeBox = useRef<HTMLDivElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const [timeWidth, setTimeWidth] = useState(600);
  useLayoutEffect(() => {
    const measure = () => setTimeWidth(timeBox.current?.clientWidth ?? 600);
    measure();
    const o = new ResizeObserver(measure);
    o.observe(timeBox.current!);
    return () => o.disconnect();
  }, []);
  const overall = useMemo(() => whole(view, timeWidth), [view.clips, view.head.start, view.end, timeWidth]); // eslint-disable-line react-hooks/exhaustive-deps
  const [scroll] = useState(() => new Scroll(overall));
  useLayoutEffect(() => scroll.fit(overall, timeWidth), [scroll, overall, timeWidth]);
  useEffect(() => {
    if (!playing) return;
    // The page turns when the shuttle runs out of it.
    return player.subscribe(() => {
      const now = positionOf(view.id, -1);
      const x = xOf(scroll.now(), now);
      if (now >= 0 && !quiet.current && (x > timeWidth * 0.96 || x < 0)) scroll.change((v) => ({ ...v, left: now - timeWidth * 0.06 * v.perPixel }));
    });
  }, [playing, view.id, scroll, timeWidth]);
  const nearer = (factor: number) => scroll.change((v) => zoom(v, factor, Math.max(0, Math.min(timeWidth, (position() - v.left) / v.perPixel))));
  /** Goes to a place and brings it into view. */
  const visit = (sample: number) => {
    go(sample);
    const x = xOf(scroll.now(), sample);
    if (x < 0 || x > timeWidth) scroll.change((v) => ({ ...v, left: sample - timeWidth * 0.3 * v.perPixel }));
  };
  const showClip = (id: string) => {
    const c = view.clips.find((x) => x.id === id);
    if (!c) return;
    selectClip(id);
    visit(c.start);
    const row = rows.byTrack.get(c.track);
    if (row && scroller.current) scroller.current.scrollTop = Math.max(0, row.y - scroller.current.clientHeight / 3);
  };

  // What floats, and the lists.
  const [curves, setCurves] = useState<CurveView>("none");
  const [snap, setSnap] = useRemembered("loom.snap", true);
  const [pictureShown, setPictureShown] = useRemembered(`loom.picture.${view.id}`, view.head.picture !== undefined);
  const [lists, setLists] = useState<ListName | null>(null);
  const [loan, setLoan] = useState<Loan | null>(null);
  const settling = useSettling(view);

  const set = (t: string, command: Partial<CommandOf<"setTrack">>) => void doIt({ kind: "setTrack", command: { track: t, ...command } });
  const nextStem = () => {
    if (!track) return;
    const i = view.stems.findIndex((s) => s.id === track.stem);
    set(track.id, { stem: view.stems[(i + 1) % view.stems.length]!.id });
  };
  const toggleSolo = (t: string) => setSolo((s) => (s.includes(t) ? s.filter((x) => x !== t) : [...s, t]));
  const step = (by: number) => {
    const list = rows.list.filter((r) => r.kind === "track");
    const i = list.findIndex((r) => r.id === choice.track);
    const to = list[i < 0 ? 0 : Math.max(0, Math.min(list.length - 1, i + by))];
    if (to) selectTrack(to.id);
  };
  const moveRow = (by: number) => {
    const i = view.tracks.findIndex((t) => t.id === choice.track);
    const above = view.tracks[by < 0 ? i - 1 : i + 2];
    if (i >= 0 && (by > 0 || i > 0)) void doIt({ kind: "orderTracks", command: { tracks: [choice.track], above: above?.id ?? "" } });
  };
  const height = (by: number) => {
    if (!track) return;
    const order = [1, 2, 3, 4];
    const now = order.indexOf(track.height || 2);
    set(track.id, { height: order[Math.max(0, Math.min(3, now + by))] });
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
  const chooseHere = () => {
    const here = clipsAt(clipsOfTrack, position())[0];
    if (here) setChosen({ ...choice, clips: [here.id], lane: null });
    else tell("There is no clip at the shuttle on this track.");
  };
  const nextChannel = () => {
    if (!clip) return;
    setOpened((s) => new Set([...s, clip.id]));
    const channel = choice.lane?.clip === clip.id ? (choice.lane.channel + 1) % clip.channels.length : 0;
    setChosen({ track: clip.track, clips: [clip.id], lane: { clip: clip.id, channel }, range: choice.range && { ...choice.range, tracks: [clip.track] } });
  };
  const borrow = () => {
    const r = choice.range;
    const lane = choice.lane ?? (clip && clip.channels.length === 1 ? { clip: clip.id, channel: 0 } : null);
    if (r && lane) setLoan({ ...lane, from: r.from, to: r.to });
    else tell("Choose a range on one channel first: open the clip and drag over the channel.");
  };
  const settle = () => {
    const r = choice.range;
    if (r && !choice.lane && r.tracks.length === 1) settling.start({ track: r.tracks[0]!, range: { from: r.from, to: r.to } });
    else if (choice.clips.length > 0) settling.start({ clips: choice.clips });
    else if (track) settling.start({ track: track.id });
  };
  const nextOf = <T extends { id: string }>(list: T[], kind: Tap["kind"]) => {
    const i = tap.kind === kind ? list.findIndex((x) => x.id === tap.id) : -1;
    const to = list[(i + 1) % list.length];
    if (to) setTap({ kind, id: to.id });
  };
  const listenAlone = () => {
    if (choice.lane) return setAlone(heard?.clip === choice.lane.clip && heard.channel === choice.lane.channel ? null : choice.lane);
    setAlone(null);
    if (track) setTap(tap.kind === "track" && tap.id === track.id ? null : { kind: "track", id: track.id });
  };
  const cuts = cutting({ view, choice, at: () => Math.round(position()), doIt, choose: setChosen });
  const acts = {
    ...cuts,
    play,
    "frame-back": () => stepFrame(-1),
    "frame-on": () => stepFrame(1),
    "edit-back": () => stepEdit(-1),
    "edit-on": () => stepEdit(1),
    home: () => go(view.head.start),
    goto: () => setEditingPosition(true),
    "track-up": () => step(-1),
    "track-down": () => step(1),
    "row-up": () => moveRow(-1),
    "row-down": () => moveRow(1),
    taller: () => height(1),
    lower: () => height(-1),
    solo: () => track && toggleSolo(track.id),
    mute: () => track && set(track.id, { mute: !track.mute }),
    alone: listenAlone,
    "next-stem": () => nextOf(view.stems, "stem"),
    "next-output": () => nextOf(view.outputs, "output"),
    usual: () => {
      setAlone(null);
      setTap(null);
    },
    "play-range": () => choice.range && playFrom(choice.range.from, { until: choice.range.to, loop: null }),
    loop: () => setLoop(!loop),
    half: () => setHalf(!half),
    stem: nextStem,
    confirm: () => track?.suggested && set(track.id, { stem: track.stem }),
    closer: () => nearer(0.5),
    wider: () => nearer(2),
    whole: scroll.showAll,
    open: () => {
      if (!clip) return;
      if (!opened.has(clip.id) && (xOf(scroll.now(), clip.start + clip.length) < 0 || xOf(scroll.now(), clip.start) > timeWidth)) visit(clip.start);
      openClip(clip.id);
    },
    "choose-clip": chooseHere,
    "choose-all": () => clipsOfTrack.length > 0 && setChosen({ ...choice, clips: clipsOfTrack.map((c) => c.id), lane: null }),
    "next-channel": nextChannel,
    curves: () => setCurves(curveViews[(curveViews.indexOf(curves) + 1) % curveViews.length]!),
    snap: () => setSnap(!snap),
    picture: () => setPictureShown(!pictureShown),
    lists: () => setLists(lists ? null : "sync"),
    find: () => setLists("find"),
    borrow,
    settle,
  } satisfies Partial<Record<ActionID, () => void>>;
  useActions(acts);
  const toggleTap = (t: Tap) => {
    setAlone(null);
    setTap(tap.kind === t.kind && tap.id === t.id ? null : t);
  };
  const dragged = useRef("");
  const heads = useStable<HeadActs>({
    select: selectTrack,
    stem: (t, stem) => set(t, { stem }),
    mute: (t, mute) => set(t, { mute }),
    solo: toggleSolo,
    lane: (t, clip, channel) => setChosen({ track: t, clips: [clip], lane: { clip, channel }, range: choice.range && { ...choice.range, tracks: [t] } }),
    laneOff: (clip, channel, off) => void doIt({ kind: "setLane", command: { clip, channel, off } }),
    drag: (t, e, what) => {
      if (what === "start") {
        dragged.current = t;
        e.dataTransfer.effectAllowed = "move";
        return;
      }
      if (!dragged.current) return;
      e.preventDefault();
      if (what === "drop" && dragged.current !== t) void doIt({ kind: "orderTracks", command: { tracks: [dragged.current], above: t } });
    },
  });
  const ties = useStable({ command: edits.command, tie: edits.tie });
  const heardAlone = () => {
    const c = heard && view.clips.find((x) => x.id === heard.clip);
    return c ? `${takes.get(c.take)?.channels[c.channels[heard.channel] ?? 0]?.name || `channel ${heard.channel + 1}`}, ${c.name}` : "";
  };

  // The reed: how much of the room is time, how much weave.
  const full = weaveWidth(view.outputs.length);
  const [reed, setReed] = useState<number | null>(null);
  const [slide, setSlide] = useState(0); // how far the weave is scrolled sideways
  const roomBox = useRef<HTMLDivElement>(null);
  const most = Math.floor(useWidth(roomBox) * mostWeave);
  const weaveShown = Math.min(reed ?? full, full, most);
  const slid = Math.max(0, Math.min(slide, full - weaveShown));
  const lastColumns = useRef<Columns>(undefined);
  const columns = (lastColumns.current = columnsIn(slid, weaveShown, lastColumns.current));
  const reach = useRef({ slid, weaveShown, full });
  reach.current = { slid, weaveShown, full };
  /** Puts the focus on a cell of the weave, which slides until it is in view. */
  const reachCell = useCallback((row: number, column: number) => {
    const { slid, weaveShown, full } = reach.current;
    const x = columnX(column);
    if (x < 0 || x > full) return;
    if (x - columnWidth < slid) setSlide(x - columnWidth);
    else if (x + columnWidth > slid + weaveShown) setSlide(x + columnWidth - weaveShown);
    requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-cell="${row}:${column}"]`)?.focus({ preventScroll: false }));
  }, []);
  const [choosing, setChoosing] = useState(false);
  let row = 0;

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
        range={choice.range}
        loop={loop}
        half={half}
        heardAlone={heardAlone()}
        onLoop={acts.loop}
        onHalf={acts.half}
        onClearRange={() => setChosen({ ...choice, range: null })}
        onLists={setLists}
        onEditing={setEditingPosition}
        onPlay={play}
        onGo={visit}
        onTap={(t) => {
          setAlone(null);
          setTap(t);
        }}
        onClearSolo={() => setSolo([])}
        onFinding={(t) => t && selectTrack(t)}
        onFix={(c) => void doIt(c)}
        onSpec={() => setChoosing(true)}
      />
      <div className="flex min-h-0 grow">
        <div ref={roomBox} className="flex min-w-0 grow flex-col">
          <div className="flex shrink-0 border-b border-line bg-ground" style={{ height: rulerHeight }}>
            <div className="flex shrink-0 items-end justify-between border-r border-line px-2 pb-1.5" style={{ width: headsWidth }}>
              <span className="flex gap-1">
                <AddTrack view={view} below={choice.track} onDo={doIt} />
                <Corner action="picture" label="Picture" on={pictureShown} onClick={acts.picture}>
                  <Clapperboard size={13} />
                </Corner>
                <Corner action="lists" label="Lists: out of sync, strays, marks, find, history, weave" on={lists !== null} onClick={acts.lists}>
                  <ListTree size={13} />
                </Corner>
                <Corner action="snap" label="Snap to frames, edits, marks and the shuttle" on={snap} onClick={acts.snap}>
                  <Magnet size={13} />
                </Corner>
                <CurveMenu curves={curves} onCurves={setCurves} />
              </span>
              <span className="flex gap-1">
                <Corner action="wider" label="Wider in time" onClick={acts.wider}>
                  <ZoomOut size={13} />
                </Corner>
                <Corner action="closer" label="Closer in time" onClick={acts.closer}>
                  <ZoomIn size={13} />
                </Corner>
                <Corner action="whole" label="The whole reel" onClick={acts.whole}>
                  <Maximize2 size={12} />
                </Corner>
              </span>
            </div>
            <div ref={timeBox} className="min-w-0 grow">
              <Ruler
                view={view}
                scroll={scroll}
                at={at}
                range={choice.range}
                loop={loop}
                onGo={go}
                onScrub={scrub}
                onRange={(from, to) => setChosen({ ...choice, range: { from, to, tracks: view.tracks.map((t) => t.id) } })}
                onMark={() => setLists((l) => l ?? "marks")}
              />
            </div>
            <div style={{ width: reedWidth }} className="shrink-0" />
            <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
              <WeaveHead view={view} tap={tap} onTap={toggleTap} />
            </Slid>
          </div>
          <div className="relative flex min-h-0 grow">
            {pictureShown && (
              <PicturePane
                view={view}
                at={at}
                movies={movies}
                half={half}
                onChoose={(t) => void doIt({ kind: "setReel", command: { picture: { take: t.id, start: t.place ?? view.head.start } } })}
                onClose={() => setPictureShown(false)}
              />
            )}
            <div ref={scroller} className="min-h-0 grow overflow-y-auto overflow-x-hidden" style={{ scrollbarWidth: "none" }}>
              <div className="flex min-h-full" style={{ height: rows.height }}>
                <div className="shrink-0 border-r border-line" style={{ width: headsWidth, height: Math.max(rows.height, 1) }} role="grid" aria-label="Tracks">
                  {rows.list.map((r) => {
                    if (r.kind === "folder") return <FolderHead key={r.id} row={r} onFold={() => setFolded((s) => turned(s, r.name))} />;
                    const t = r.track;
                    const openHere = r.lanes > 0 ? (choice.clips.map((id) => view.clips.find((c) => c.id === id)).find((c) => c?.track === t.id && opened.has(c.id)) ?? rows.clips.get(t.id)?.find((c) => opened.has(c.id))) : undefined;
                    return (
                      <TrackHead
                        key={t.id}
                        stems={view.stems}
                        row={r}
                        origin={originOf(t.id)}
                        opened={openHere}
                        take={openHere && takes.get(openHere.take)}
                        lane={choice.lane && choice.lane.clip === openHere?.id ? choice.lane.channel : -1}
                        selected={t.id === choice.track}
                        soloed={soloed.includes(t.id)}
                        alone={tap.kind === "track" && tap.id === t.id}
                        acts={heads}
                      />
                    );
                  })}
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
                    scroll={scroll}
                    takes={widths}
                    rows={rows}
                    choice={choice}
                    curves={curves}
                    snap={snap}
                    at={at}
                    scroller={scroller}
                    onGo={go}
                    onChoose={setChosen}
                    onOpen={openClip}
                    onDo={(c) => void doIt(c)}
                    onCopyTo={(ids, by, down) => {
                      const found = gather(view, ids);
                      const first = Math.min(...found.clips.map((c) => c.start));
                      const top = view.tracks.findIndex((t) => t.id === found.tracks[0]?.id) + down;
                      void doIt({ kind: "pasteClips", command: { clips: found.clips, tracks: found.tracks, at: first + by, track: down === 0 ? "" : (view.tracks[top]?.id ?? "") } });
                    }}
                    onListen={(c, channel, from) => tryOut(from, { solo: [], half: false, lane: { clip: c, channel } })}
                    onQuiet={() => player.stop()}
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
                        {rows.list.map((r) =>
                          r.kind === "folder" ? (
                            <div key={r.id} className="border-b border-line bg-band" style={{ height: r.height }} />
                          ) : (
                            <div key={r.id} className={`border-b border-line ${r.id === choice.track ? "bg-paper" : ""}`} style={{ height: r.height }}>
                              <WeaveRow view={view} row="track" id={r.id} name={r.track.name} stem={r.track.stem} index={row++} edits={ties} muted={r.track.mute} height={r.body} columns={columns} onReach={reachCell} />
                            </div>
                          ),
                        )}
                      </>
                    )}
                  </div>
                </Slid>
              </div>
            </div>
          </div>
          <div className="flex max-h-[35%] shrink-0 overflow-y-auto border-t border-line bg-band" style={{ scrollbarWidth: "none" }}>
            <div className="h-max shrink-0 border-r border-line" style={{ width: headsWidth }}>
              {band.map((b) => (
                <BandHead key={b.row + b.id} row={b} on={tap.kind === b.row && tap.id === b.id} opened={openStems.has(b.id)} onTap={toggleTap} onOpen={() => setOpenStems((s) => turned(s, b.id))} />
              ))}
            </div>
            <div className="h-max min-w-0 grow">
              <BandTime view={view} band={band} scroll={scroll} takes={widths} rows={rows} at={at} onGo={go} />
            </div>
            <Reed width={weaveShown} full={full} onWidth={setReed} />
            <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
              {view.outputs.length > 0 &&
                band.map((b, i) => <WeaveRow key={b.row + b.id} view={view} row={b.row} id={b.id} name={b.name} stem={b.stem} index={view.tracks.length + i} edits={ties} muted={false} height={stemHeight} columns={columns} onReach={reachCell} />)}
            </Slid>
          </div>
          <div className="flex h-[136px] shrink-0 border-t border-line bg-paper">
            <div className="min-w-0 grow">
              <Inspector
                view={view}
                track={track}
                clip={clip}
                choice={choice}
                takes={takes}
                acts={acts}
                playingAt={() => (playing ? position() : null)}
                onDo={doIt}
                onRemoveTrack={() => track && void doIt({ kind: "removeTracks", command: { tracks: [track.id] } })}
                onSettle={settle}
              />
            </div>
            {settling.words && <span className="self-start px-3 py-2 text-[13px] text-muted">{settling.words}</span>}
            <div className="shrink-0 bg-ground" style={{ width: reedWidth }} />
            <div className="shrink-0 bg-ground">
              <Slid width={weaveShown} full={full} slid={slid} onSlide={setSlide}>
                {view.outputs.length > 0 && <Meters view={view} spec={spec} tap={tap} onTap={toggleTap} />}
              </Slid>
            </div>
          </div>
        </div>
        {lists && (
          <Lists view={view} shown={lists} onShow={setLists} onClose={() => setLists(null)} onClip={showClip} onGo={visit} onDo={(c) => void doIt(c)} onUndo={() => void edits.undo()} onRedo={() => void edits.redo()} />
        )}
      </div>
      <SpecDialog
        open={choosing}
        onOpenChange={setChoosing}
        chosen={view.head.spec}
        onChoose={(s) => {
          setChoosing(false);
          void ask((yes) => edits.spec(s, yes));
        }}
      />
      <BorrowDialog
        view={view}
        takes={takes}
        loan={loan}
        onClose={() => {
          if (quiet.current) player.stop();
          setLoan(null);
        }}
        onHear={(trial, from, until) => tryOut(from, { trial: trial ?? undefined, until, half: false, solo: [], lane: undefined })}
        onDo={(c) => void doIt(c)}
      />
      {dialog}
    </>
  );
}

/** How often and how long something is heard while the shuttle is dragged. */
const scrubEvery = 90; // milliseconds
const scrubSeconds = 0.12;

function Corner(p: { action: ActionID; label: string; on?: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      className={`flex h-[22px] w-[22px] cursor-pointer items-center justify-center rounded-full border ${p.on ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
      aria-label={p.label}
      aria-pressed={p.on}
      title={`${p.label} (${keySign(keyOf(p.action))})`}
      onClick={p.onClick}
    >
      {p.children}
    </button>
  );
}

/** Which curves are drawn and can be changed. */
function CurveMenu({ curves, onCurves }: { curves: CurveView; onCurves: (c: CurveView) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`flex h-[22px] w-[22px] cursor-pointer items-center justify-center rounded-full border ${curves !== "none" ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
        aria-label={`Curves: ${curves}`}
        title={`Curves: ${curves} (${keySign(keyOf("curves"))})`}
      >
        <Spline size={13} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu max-h-[70vh] overflow-auto" sideOffset={4}>
          {allCurves.map((c) => (
            <DropdownMenu.Item key={c} className="menu-item" onSelect={() => onCurves(c)}>
              {c === "none" ? "No curves: move and trim" : `Draw ${c}`} {c === curves && <span className="ml-auto text-muted">shown</span>}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const newTracks: [string, string[]][] = [...formats.slice(0, 2), ["four monos", ["M", "M", "M", "M"]], ...formats.slice(4, 6), ...formats.slice(8, 9)];

/** Makes an empty track below the selected one, in its stem. */
function AddTrack({ view, below, onDo }: { view: ReelView; below: string; onDo: (c: Command) => Promise<ReelView | undefined> }) {
  const beside = view.tracks.find((t) => t.id === below);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="flex h-[22px] w-[22px] cursor-pointer items-center justify-center rounded-full border border-line bg-paper text-muted hover:text-ink" aria-label="Add a track" title="Add a track">
        <Plus size={14} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="menu" sideOffset={4} align="start">
          {newTracks.map(([name, labels]) => (
            <DropdownMenu.Item key={name} className="menu-item" onSelect={() => void onDo({ kind: "addTrack", command: { name: `Track ${view.tracks.length + 1}`, labels, stem: beside?.stem ?? view.stems[0]?.id ?? "", folder: beside?.folder ?? "", below: beside?.id ?? "" } })}>
              A {name} track {beside && <span className="text-muted">below {beside.name}</span>}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** How much of the room the weave may take. */
const mostWeave = 0.45;

/** The width of an element, as it changes. */
function useWidth(ref: React.RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(1280);
  useLayoutEffect(() => {
    const box = ref.current;
    if (!box) return;
    setWidth(box.clientWidth);
    const watch = new ResizeObserver(() => setWidth(box.clientWidth));
    watch.observe(box);
    return () => watch.disconnect();
  }, [ref]);
  return width;
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
              {(g.labels.length * 30 < 70 && g.tag) || g.name}
            </button>
            {g.labels.map((l, i) => {
              const o = view.outputs[first + i]!;
              return (
                <span key={l} className={`tc absolute bottom-1 w-[30px] text-center text-[11px] ${unfed.has(o.id) ? "font-bold text-wrong" : ""}`} style={{ left: columnX(first + i) - 15 }} title={unfed.has(o.id) ? `Nothing feeds output ${o.number}` : `Output ${o.number}`}>
                  {`${o.number}${l}`.length <= 3 && !unfed.has(o.id) && <span className="text-muted">{o.number} </span>}
                  {l}
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
