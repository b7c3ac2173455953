// What the keys of the Loom do, but for those that cut.
import type { Command, CommandOf, ReelView, Take } from "../../../api/client";
import type { Tap } from "../../../listen/player";
import type { ActionID } from "../../../ui/actions";
import { alike, ofOne, type Alike } from "./alike";
import { changeOver } from "../transport/compared";
import { tell } from "../../../ui/notices";
import { frameAt, sampleOf } from "../../../ui/timecode";
import { clipsAt, type Choice } from "../ground/choice";
import { curveViews } from "../ground/curves";
import { cutting } from "./cutting";
import { edits as editsOf, xOf } from "../ground/geometry";
import type { Listening } from "../transport/listening";
import { trackOf } from "../ground/lookup";
import { fillWithTone, keepQuiet } from "../chosen/roomtone";
import type { Rows } from "../ground/rows";
import { turned, type LoomState, type LoomStore } from "../ground/state";
import type { InTime } from "../time/timeview";
import { crossingOf } from "../ground/crossing";
import { nextUnit, nudgeWords } from "../ground/nudge";

type Act = (text?: string) => void;
type Bench = {
  view: ReelView;
  takes: ReadonlyMap<string, Take>;
  rows: Rows;
  choice: Choice;
  clip: ReelView["clips"][number] | undefined; // that settings are shown of
  listening: Listening;
  time: InTime;
  store: LoomStore;
  doIt: (c: Command) => Promise<ReelView | undefined>;
  settle: Act;
};

export const setTrack = (b: Pick<Bench, "doIt">, track: string, command: Partial<CommandOf<"setTrack">>) =>
  void b.doIt({ kind: "setTrack", command: { track, ...command } });

/** Chooses a track. A range on one track goes along to the next; one over several stays. */
export function chooseTrack(store: LoomStore, track: string) {
  store.setState(({ chosen: { range } }) => ({
    bus: null,
    chosen: {
      track,
      whole: true,
      clips: [],
      lane: null,
      range: range && (range.tracks.length === 1 ? { ...range, tracks: [track] } : range),
    },
  }));
}

export function loomActs(b: Bench) {
  const { view, takes, choice, clip, listening, time, store } = b;
  const set = store.setState;
  const cuts = cutting({
    ...{ view, takes, choice },
    at: () => Math.round(listening.position()),
    nudge: () => store.getState().nudge,
    crossing: () => {
      const { snap, snaps } = store.getState();
      return snap && snaps.crossings ? crossingOf(view.id) : null;
    },
    doIt: b.doIt,
    choose: (chosen) => set({ chosen }),
  });
  return {
    ...cuts,
    ...playing(b),
    ...ofTracks(b),
    ...showing(b),
    ...ofClips(b),
    settle: b.settle,
    borrow: () => borrow(b),
    tone: () => void fillWithTone(b),
    "keep-quiet": () => keepQuiet(b),
    open: () => clip && openClip(b, clip),
    whole: time.scroll.showAll,
    deck: () => set((s) => ({ deck: !s.deck, chain: null })),
    board: () => set((s) => ({ board: !s.board })),
  } satisfies Partial<Record<ActionID, Act>>;
}

export type LoomActs = ReturnType<typeof loomActs>;

/** How much is heard before and behind an edit, in seconds. */
const rollSeconds = 2;

function playing({ view, choice, listening: l, store }: Bench) {
  const roll = Math.round(rollSeconds * view.head.sampleRate);
  const edges = (): [number, number] => {
    const at = Math.round(l.position());
    return choice.range ? [choice.range.from, choice.range.to] : [at, at];
  };
  const stepFrame = (by: number) => {
    const { sampleRate, frameRate } = view.head;
    l.go(sampleOf(Math.max(0, frameAt(l.position(), sampleRate, frameRate) + by), sampleRate, frameRate));
  };
  const stepEdit = (by: number) => {
    const list = editsOf(view);
    const to = by > 0 ? list.find((e) => e > l.position()) : list.findLast((e) => e < l.position());
    if (to !== undefined) l.go(to);
  };
  const nextOf = <T extends { id: string }>(list: T[], kind: Tap["kind"]) => {
    const i = l.tap.kind === kind ? list.findIndex((x) => x.id === l.tap.id) : -1;
    const to = list[(i + 1) % list.length];
    if (to) l.listenTo({ kind, id: to.id });
  };
  return {
    play: l.play,
    "frame-back": () => stepFrame(-1),
    "frame-on": () => stepFrame(1),
    "edit-back": () => stepEdit(-1),
    "edit-on": () => stepEdit(1),
    home: () => l.go(view.head.start),
    goto: () => store.setState({ typing: true }),
    alone: () => listenAlone(choice, l, store),
    "next-stem": () => nextOf(view.stems, "stem"),
    "next-output": () => nextOf(view.outputs, "output"),
    compare: () => {
      if (changeOver(store)) return;
      const { before } = store.getState();
      if (before) l.listenTo(before);
      else tell("Listen to something else first; then this key goes back and forth between the two.");
    },
    mono: () => store.setState((s) => ({ check: s.check === "mono" ? "" : "mono" })),
    front: () => store.setState((s) => ({ check: s.check === "front" ? "" : "front" })),
    usual: () => {
      store.setState({ check: "" });
      l.listenTo(null);
    },
    backwards: l.playBack,
    "play-range": () => {
      const r = choice.range;
      if (!r) return;
      if (store.getState().loop) l.playFrom(r.from, { loop: { from: r.from, to: r.to } });
      else l.playFrom(r.from, { until: r.to, loop: null });
    },
    around: () => {
      const [from, to] = edges();
      l.tryOut(from - roll, { until: to + roll, half: false });
    },
    without: () => {
      const [from, to] = edges();
      if (to === from) return tell("Choose a range first: what would be cut out.");
      const trial: Command = { kind: "cutOut", command: { from, to, tracks: [], close: true, untie: true } };
      l.tryOut(from - roll, { trial, until: from + roll, half: false });
    },
    loop: () => store.setState((s) => ({ loop: !s.loop })),
    half: () => store.setState((s) => ({ half: !s.half })),
  };
}

/** The chosen channel, else the chosen track alone, and back. */
function listenAlone(choice: Choice, l: Listening, store: LoomStore) {
  const { lane, track } = choice;
  if (lane) return store.setState({ alone: l.heard?.clip === lane.clip && l.heard.channel === lane.channel ? null : lane });
  store.setState({ alone: null });
  if (track) l.toggleTap({ kind: "track", id: track });
}

function ofTracks(b: Bench) {
  const { view, rows, choice, store } = b;
  const track = trackOf(view, choice.track);
  const step = (by: number) => {
    const list = rows.list.filter((r) => r.kind === "track");
    const i = list.findIndex((r) => r.id === choice.track);
    const to = list[i < 0 ? 0 : Math.max(0, Math.min(list.length - 1, i + by))];
    if (to) chooseTrack(store, to.id);
  };
  const moveRow = (by: number) => {
    const i = view.tracks.findIndex((t) => t.id === choice.track);
    const above = view.tracks[by < 0 ? i - 1 : i + 2];
    if (i >= 0 && (by > 0 || i > 0)) void b.doIt({ kind: "orderTracks", command: { tracks: [choice.track], above: above?.id ?? "" } });
  };
  const height = (by: number) => {
    if (!track) return;
    store.setState({ fitted: false });
    setTrack(b, track.id, { height: Math.max(1, Math.min(4, (track.height || 2) + by)) });
  };
  const waves = (change: (w: LoomState["waves"]) => LoomState["waves"]) => store.setState((s) => ({ waves: change(s.waves) }));
  const nextStem = () => {
    if (!track) return;
    const i = view.stems.findIndex((s) => s.id === track.stem);
    setTrack(b, track.id, { stem: view.stems[(i + 1) % view.stems.length]!.id });
  };
  return {
    "track-up": () => step(-1),
    "track-down": () => step(1),
    "row-up": () => moveRow(-1),
    "row-down": () => moveRow(1),
    taller: () => height(1),
    lower: () => height(-1),
    "waves-up": () => waves((w) => ({ ...w, raised: within(w.raised + raise) })),
    "waves-down": () => waves((w) => ({ ...w, raised: within(w.raised - raise) })),
    "wave-up": () => track && waves((w) => ({ ...w, of: { ...w.of, [track.id]: within((w.of[track.id] ?? 0) + raise) } })),
    "wave-down": () => track && waves((w) => ({ ...w, of: { ...w.of, [track.id]: within((w.of[track.id] ?? 0) - raise) } })),
    "waves-dB": () => waves((w) => ({ ...w, dB: !w.dB })),
    solo: () => track && toggleSolo(store, track.id),
    mute: () => track && setTrack(b, track.id, { mute: !track.mute }),
    stem: nextStem,
    confirm: () => track?.suggested && setTrack(b, track.id, { stem: track.stem }),
  };
}

/** By how many dB what sounds is raised with each press, and how far it goes. */
const raise = 6;
const within = (dB: number) => Math.max(-24, Math.min(48, dB));

export const toggleSolo = (store: LoomStore, track: string) =>
  store.setState(({ solo }) => ({ solo: solo.includes(track) ? solo.filter((x) => x !== track) : [...solo, track] }));

function showing({ view, time, store, choice }: Bench) {
  const set = store.setState;
  return {
    closer: () => time.nearer(0.5),
    wider: () => time.nearer(2),
    curves: () => set((s) => ({ curves: curveViews[(curveViews.indexOf(s.curves) + 1) % curveViews.length]! })),
    snap: () => set((s) => ({ snap: !s.snap })),
    "nudge-unit": () => {
      const nudge = nextUnit(store.getState().nudge);
      set({ nudge });
      tell(`Nudged and slipped by ${nudgeWords(nudge)}.`);
    },
    picture: () => set((s) => ({ picture: !s.picture })),
    lists: () => set((s) => ({ lists: s.lists ? null : "sync" })),
    find: () => set({ lists: "find" }),
    fit: () => set((s) => ({ fitted: !s.fitted })),
    look: () => set((s) => ({ foldedGroups: s.foldedGroups.length > 0 ? [] : view.groups.map((g) => g.id) })),
    chain: () => set((s) => ({ chain: s.chain ? null : choice.track ? { row: "track", id: choice.track } : null })),
    dock: () => set((s) => ({ dock: s.dock === "foot" ? "side" : "foot" })),
  };
}

function ofClips({ view, takes, rows, choice, clip, listening, store }: Bench) {
  const own = rows.clips.get(choice.track) ?? [];
  const chooseHere = () => {
    const here = clipsAt(own, listening.position())[0];
    if (here) store.setState({ chosen: { ...choice, clips: [here.id], lane: null } });
    else tell("There is no clip at the playhead on this track.");
  };
  const nextChannel = () => {
    if (!clip) return;
    const channel = choice.lane?.clip === clip.id ? (choice.lane.channel + 1) % clip.channels.length : 0;
    store.setState((s) => ({
      opened: new Set([...s.opened, clip.id]),
      chosen: {
        track: clip.track,
        clips: [clip.id],
        lane: { clip: clip.id, channel },
        range: choice.range && { ...choice.range, tracks: [clip.track] },
      },
    }));
  };
  /** The next clip of the track, or the one before, from that which is chosen or from the shuttle. */
  const stepClip = (by: number) => {
    const i = own.findIndex((c) => c.id === choice.clips[0]);
    const at = listening.position();
    const to = i >= 0 ? own[i + by] : by > 0 ? own.find((c) => c.start >= at) : own.findLast((c) => c.start < at);
    if (!to)
      return void tell(
        own.length === 0
          ? "There is no clip on this track."
          : by > 0
            ? "This is the last clip of the track."
            : "This is the first clip of the track.",
      );
    store.setState({ chosen: { ...choice, track: to.track, clips: [to.id], lane: null } });
    listening.go(to.start);
  };
  const all = (by: Alike) => () => {
    if (!clip && ofOne.includes(by)) return tell("Choose a clip first: those like it are chosen then.");
    const found = alike(view, takes, by, clip);
    if (found.length === 0) return tell("There is no such clip on this reel.");
    const first = found.find((c) => c.id === clip?.id) ?? found[0]!;
    store.setState({
      chosen: { track: first.track, clips: [first.id, ...found.map((c) => c.id).filter((id) => id !== first.id)], lane: null, range: null },
    });
    tell(found.length === 1 ? "1 clip is chosen." : `${found.length} clips are chosen.`);
  };
  return {
    "all-of-take": all("take"),
    "all-of-microphone": all("microphone"),
    "all-of-strand": all("strand"),
    "all-of-stem": all("stem"),
    "all-of-name": all("name"),
    "all-muted": all("muted"),
    "all-adrift": all("adrift"),
    "all-worked": all("worked"),
    "choose-clip": chooseHere,
    "choose-all": () => own.length > 0 && store.setState({ chosen: { ...choice, clips: own.map((c) => c.id), lane: null } }),
    "next-channel": nextChannel,
    "clip-back": () => stepClip(-1),
    "clip-on": () => stepClip(1),
  };
}

function openClip({ time, store }: Bench, clip: NonNullable<Bench["clip"]>) {
  const v = time.scroll.now();
  if (!store.getState().opened.has(clip.id) && (xOf(v, clip.start + clip.length) < 0 || xOf(v, clip.start) > time.width))
    time.visit(clip.start);
  store.setState((s) => ({ opened: turned(s.opened, clip.id) }));
}

function borrow({ choice, clip, store }: Bench) {
  const r = choice.range;
  const lane = choice.lane ?? (clip && clip.channels.length === 1 ? { clip: clip.id, channel: 0 } : null);
  if (r && lane) store.setState({ loan: { ...lane, from: r.from, to: r.to } });
  else tell("Choose a range on one channel first: open the clip and drag over the channel.");
}
