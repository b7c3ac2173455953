// What the keys and menus of the Loom do to what is chosen. Everything is a command that the server plans; this only
// says which.
import type { Clip, Command, CommandOf, ReelView, Take } from "../../../api/client";
import { tell } from "../../../ui/notices";
import { labelAt } from "../../../ui/timecode";
import { mainClip, type Choice } from "../ground/choice";
import { nudgeBy, type Nudge } from "../ground/nudge";
import { clipboard, copy, gather, here, take } from "./clipboard";

/** How deep a dip is and how long its ramps are until somebody says otherwise. */
const dipDB = -6;
const rampSeconds = 0.03;
/** How long a crossfade is, in seconds, where two clips meet. */
const crossSeconds = 0.08;

export type Bench = {
  view: ReelView;
  takes: ReadonlyMap<string, Take>;
  choice: Choice;
  at: () => number;
  nudge: () => Nudge;
  /** Where clips can be cut nearest to a place without a click; nothing where they are cut at the place itself. */
  crossing: () => ((clips: string[], at: number, alone?: boolean) => Promise<number>) | null;
  doIt: (c: Command) => Promise<ReelView | undefined>;
  choose: (c: Choice) => void;
};

/** The clips that something is done to: those chosen, or those of the range. */
function chosen({ view, choice }: Bench): Clip[] {
  if (choice.clips.length > 0) return view.clips.filter((c) => choice.clips.includes(c.id));
  const r = choice.range;
  return r ? view.clips.filter((c) => r.tracks.includes(c.track) && c.start < r.to && c.start + c.length > r.from) : [];
}

const need = (what: string) => void tell(what);

export function cutting(b: Bench) {
  const { view, choice } = b;
  const { sampleRate, frameRate } = view.head;
  const run = <K extends Command["kind"]>(kind: K, command: CommandOf<K>) => void b.doIt({ kind, command } as Command);
  /** The same done to several things is one step of the history. */
  const runEach = (list: Command[]) => {
    if (list.length > 0) void b.doIt(list.length === 1 ? list[0]! : { kind: "several", command: { commands: list } });
  };
  const clips = chosen(b);
  const ids = clips.map((c) => c.id);
  const ramp = Math.round(rampSeconds * sampleRate);
  /** Does something to the range of the chosen channel, or of all channels of the clips in it. */
  const inRange = (of: (place: CommandOf<"hush">) => Command) => {
    const r = choice.range;
    if (!r) return need("Choose a range first: drag over a channel, or along the foot of a track.");
    if (choice.lane) return void b.doIt(of({ clip: choice.lane.clip, channel: choice.lane.channel, from: r.from, to: r.to }));
    runEach(
      clips
        .filter((c) => c.start < r.to && c.start + c.length > r.from)
        .map((c) => of({ clip: c.id, channel: -1, from: r.from, to: r.to })),
    );
  };
  const withClips = (f: (ids: string[]) => void) => (ids.length > 0 ? f(ids) : need("Choose a clip first."));
  const steps = (n: number) => nudgeBy(view, b.nudge(), n, clips[0]?.start ?? 0);
  const nudge = (n: number) => withClips((clips) => run("moveClips", { clips, by: steps(n) }));
  /** Does something where clips can be cut without a click, if that is asked for, else at the place itself. */
  const near = (clips: string[], at: number, then: (at: number) => void, alone = false) => {
    const crossing = b.crossing();
    if (crossing) void crossing(clips, at, alone).then(then);
    else then(at);
  };
  const trim = (edge: "start" | "end") =>
    withClips(() => {
      const c = mainClip(view, choice) ?? clips[0]!;
      near([c.id], b.at(), (at) => run("trimClip", { clip: c.id, edge, by: at - (edge === "start" ? c.start : c.start + c.length) }));
    });
  const setRange = (part: { from?: number; to?: number }) => {
    const at = b.at();
    const r = choice.range ?? { from: at, to: at, tracks: choice.track ? [choice.track] : view.tracks.map((t) => t.id) };
    let { from, to } = { ...r, ...part };
    if (part.from !== undefined && to < from) to = from;
    if (part.to !== undefined && from > to) from = to;
    b.choose({ ...choice, range: { ...r, from, to } });
  };
  /** The range over one more track at its foot, or one less. */
  const widen = (by: number) => {
    const r = choice.range;
    if (!r) return need("Choose a range first: where it begins and where it ends.");
    const order = view.tracks.map((t) => t.id);
    const has = order.flatMap((t, i) => (r.tracks.includes(t) ? [i] : []));
    const last = (has.at(-1) ?? -1) + by;
    const first = has[0] ?? 0;
    if (last >= first && last < order.length) b.choose({ ...choice, range: { ...r, tracks: order.slice(first, last + 1) } });
  };
  const gain = (by: number) => {
    const r = choice.range;
    if (r && !choice.lane) {
      if (ids.length > 0) run("rangeGain", { of: "clip", ids, from: r.from, to: r.to, gainDB: by, ramp });
      return;
    }
    if (choice.lane) {
      const c = mainClip(view, choice)!;
      return run("setLane", { clip: c.id, channel: choice.lane.channel, gainDB: (c.lanes?.[choice.lane.channel]?.gainDB ?? 0) + by });
    }
    runEach(clips.map((c) => ({ kind: "setClip", command: { clip: c.id, gainDB: c.gainDB + by } })));
  };
  const fade = () => {
    const pair = [...clips].sort((x, y) => x.start - y.start);
    if (pair.length === 2 && pair[0]!.track === pair[1]!.track)
      return run("crossfade", { left: pair[0]!.id, right: pair[1]!.id, length: Math.round(crossSeconds * sampleRate), curve: "power" });
    const c = pair[0];
    if (!c) return need("Choose a clip, or two that meet, to fade.");
    const at = b.at();
    if (at <= c.start || at >= c.start + c.length)
      return need("Put the playhead inside the clip: the fade runs from there to the nearer end.");
    const early = at - c.start < c.length / 2;
    run("setClip", {
      clip: c.id,
      [early ? "fadeIn" : "fadeOut"]: { length: early ? at - c.start : c.start + c.length - at, curve: "power" },
    });
  };
  const remove = (close: boolean, everywhere: boolean) => {
    const r = choice.range;
    if (r && r.to > r.from && !choice.lane) return run("cutOut", { from: r.from, to: r.to, tracks: everywhere ? [] : r.tracks, close });
    if (r && choice.lane) return inRange((command) => ({ kind: "hush", command }));
    if (everywhere) return need("Choose a range first: Shift and drag along the ruler.");
    if (ids.length > 0) {
      if (!close) return run("removeClips", { clips: ids });
      const from = Math.min(...clips.map((c) => c.start));
      const to = Math.max(...clips.map((c) => c.start + c.length));
      return run("cutOut", { from, to, tracks: [...new Set(clips.map((c) => c.track))], close: true });
    }
    if (!choice.whole || !choice.track) return need("Choose clips, a range, or a track at its head.");
    run("removeTracks", { tracks: [choice.track, ...(choice.beside ?? [])] });
  };
  /** The range and what lies in it, else the clips that are chosen. */
  const copied = (): boolean => {
    const r = choice.range;
    const inRange = r !== null && r.to > r.from;
    const on = (c: Clip) => r!.tracks.includes(c.track) && c.start < r!.to && c.start + c.length > r!.from;
    const of = choice.lane && inRange ? [choice.lane.clip] : inRange ? view.clips.filter(on).map((c) => c.id) : ids;
    const n = copy(view, b.takes, of, inRange ? { from: r.from, to: r.to } : null);
    if (n === 0) tell(inRange ? "No clip lies in the range." : "Choose a range or clips to copy first.");
    else tell(inRange ? "The range is copied." : n === 1 ? "1 clip is copied." : `${n} clips are copied.`);
    return n > 0;
  };
  const paste = (how: "here" | "there" | "push", text?: string) => {
    take(text);
    const kept = clipboard();
    if (!kept) return need("Nothing has been copied yet.");
    if (kept.sampleRate !== sampleRate) return need(`What was copied is at ${kept.sampleRate} Hz and this reel at ${sampleRate} Hz.`);
    const found = here(kept, b.takes);
    if ("missing" in found) return need(`Bring these takes into the production first: ${found.missing.join(", ")}.`);
    const have = found.copied;
    const back = have.tracks.some((t) => view.tracks.some((x) => x.id === t.id && x.name === t.name));
    run("pasteClips", {
      clips: have.clips,
      tracks: have.tracks,
      at: how === "there" ? null : b.at(),
      track: how === "there" || back ? "" : choice.track,
      ...(have.only && { only: have.only }),
      ...(how === "push" && { push: true }),
    });
  };
  return {
    cut: () => {
      const at = b.at();
      if (choice.lane) return run("cutLane", { clip: choice.lane.clip, channel: choice.lane.channel, at });
      const on =
        ids.length > 0
          ? ids
          : view.clips.filter((c) => c.track === choice.track && c.start < at && at < c.start + c.length).map((c) => c.id);
      if (on.length === 0) return need("Choose a clip or a track to cut; Alt C cuts every track.");
      near(on, at, (at) => run("cutClips", { at, clips: on }));
    },
    "cut-alone": () => {
      const at = b.at();
      const on =
        ids.length > 0
          ? ids
          : view.clips.filter((c) => c.track === choice.track && c.start < at && at < c.start + c.length).map((c) => c.id);
      if (on.length > 0) near(on, at, (at) => run("cutClips", { at, clips: on, alone: true }), true);
    },
    "cut-all": () => near([], b.at(), (at) => run("cutClips", { at, clips: [] })),
    "range-from": () => setRange({ from: b.at() }),
    "range-to": () => setRange({ to: b.at() }),
    "range-clip": () => {
      if (clips.length === 0 || choice.clips.length === 0) return b.choose({ ...choice, range: null });
      b.choose({
        ...choice,
        range: {
          from: Math.min(...clips.map((c) => c.start)),
          to: Math.max(...clips.map((c) => c.start + c.length)),
          tracks: [...new Set(clips.map((c) => c.track))],
        },
      });
    },
    hush: () => inRange((command) => ({ kind: "hush", command })),
    dip: () => inRange((place) => ({ kind: "dip", command: { ...place, gainDB: dipDB, ramp } })),
    restore: () => inRange((command) => ({ kind: "restore", command })),
    fade,
    "trim-start": () => trim("start"),
    "trim-end": () => trim("end"),
    remove: () => remove(false, false),
    close: () => remove(true, false),
    "close-all": () => remove(true, true),
    copy: () => void copied(),
    "cut-away": () => copied() && remove(false, false),
    paste: (text?: string) => paste("here", text),
    "paste-there": (text?: string) => paste("there", text),
    insert: (text?: string) => paste("push", text),
    duplicate: () =>
      withClips((ids) => {
        const found = gather(view, ids);
        run("pasteClips", {
          ...{ clips: found.clips, tracks: found.tracks },
          at: Math.max(...clips.map((c) => c.start + c.length)),
          track: "",
        });
      }),
    "nudge-back": () => nudge(-1),
    "nudge-on": () => nudge(1),
    "clip-up": () => withClips((clips) => run("moveClips", { clips, by: 0, rows: -1 })),
    "clip-down": () => withClips((clips) => run("moveClips", { clips, by: 0, rows: 1 })),
    "slip-back": () => runEach(ids.map((clip) => ({ kind: "slipClip", command: { clip, by: -steps(1) } }))),
    "slip-on": () => runEach(ids.map((clip) => ({ kind: "slipClip", command: { clip, by: steps(1) } }))),
    "range-down": () => widen(1),
    "range-up": () => widen(-1),
    louder: () => gain(1),
    softer: () => gain(-1),
    "mute-clip": () => {
      if (choice.lane) {
        const c = mainClip(view, choice)!;
        return run("setLane", { clip: c.id, channel: choice.lane.channel, off: !c.lanes?.[choice.lane.channel]?.off });
      }
      runEach(clips.map((c) => ({ kind: "setClip", command: { clip: c.id, mute: !c.mute } })));
    },
    "tie-back": () => withClips((clips) => run("tieBack", { clips })),
    untie: () => withClips((clips) => run("untie", { clips })),
    tie: () => withClips((clips) => run("tieClips", { clips })),
    mark: () => {
      const r = choice.range;
      const at = r ? r.from : b.at();
      const n = view.marks.length + 1;
      run("setMark", { name: r ? `Range ${n}` : `Mark ${n}`, at, length: r ? r.to - r.from : 0 });
      tell(`Marked at ${labelAt(at, sampleRate, frameRate)}. Its name and note are in the lists.`);
    },
    strays: () => run("moveStrays", {}),
  };
}
