// How the reel is listened to: what is heard, where the shuttle stands, and what playing does to both.
import { useOnRevision } from "../../../api/hooks";
import { useCallback, useEffect, useMemo, useRef } from "react";

import type { Command, ReelView, Take } from "../../../api/client";
import { player, usePlayer, type Manner, type Tap, type Watched } from "../../../listen/player";
import type { Choice } from "../ground/choice";
import { clipOf, trackOf } from "../ground/lookup";
import { useLoom, useLoomStore } from "../ground/state";
import { positionOf } from "../ground/shuttleline";

/** How often and how long something is heard while the shuttle is dragged. */
const scrubEvery = 90; // milliseconds
const scrubSeconds = 0.12;

/** What is heard of a place that the playhead is drawn over, the way that it goes. */
export const scrubbedFrom = (sample: number, back: boolean, rate: number) => ({
  back,
  until: Math.max(0, Math.round(sample + (back ? -1 : 1) * rate * scrubSeconds)),
});

/** What is heard while nothing else was chosen: the group that is called the mix, else the last, which is where specs put it. */
function usualTap(groups: ReelView["groups"]): Tap {
  const last = groups.find((g) => /^mix$/i.test(g.tag) || /full mix/i.test(g.name)) ?? groups.at(-1);
  return last ? { kind: "group", id: last.id } : { kind: "stems", id: "" };
}

function exists(view: ReelView, tap: Tap): boolean {
  const list = {
    group: view.groups,
    output: view.outputs,
    pair: view.outputs,
    stem: view.stems,
    track: view.tracks,
    mix: view.mixes,
    strand: view.tracks.map((t) => ({ id: `${t.stem}/${t.strand ?? ""}` })),
    stems: null,
  }[tap.kind];
  return list === null || list.some((x) => x.id === tap.id);
}

export const sameTap = (a: Tap | null, b: Tap | null) => a?.kind === b?.kind && a?.id === b?.id;

/** What a hand turns is heard before it is made. key says in what the manner differs; with another revision the reel is read anew. */
function useTurning(reel: string, manner: Manner, key: string, here: () => boolean) {
  const turning = useRef(false);
  const now = useRef({ manner, here });
  now.current = { manner, here };
  const anew = () => {
    const { manner, here } = now.current;
    const done = !turning.current && here(); // what was turned has been made, or was let go of
    player.change(done ? { ...manner, trial: undefined } : manner);
  };
  useOnRevision(reel, anew);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says in what the manner differs
  useEffect(anew, [key]);
  const hear = (trial: Command | undefined) => {
    if (now.current.here()) player.change({ ...now.current.manner, trial });
  };
  return {
    /** Has something heard as a command would make it, while the reel plays; nothing gives it up again. */
    turn: (trial: Command | null) => {
      turning.current = trial !== null;
      hear(trial ?? undefined);
    },
    /** The hand has let go. What it did is heard as it was turned until the reel has it, or has refused it. */
    turned: (made: Promise<unknown>) => {
      turning.current = false;
      void made.finally(() => {
        if (!turning.current && player.trying()) hear(undefined);
      });
    },
  };
}

/** watch are the rows whose level is looked at, wires that what outputs carry is, record that it is recorded. */
export function useListening(
  view: ReelView,
  choice: Choice,
  takes: Map<string, Take>,
  watch?: Watched[],
  wires?: boolean,
  record?: boolean,
) {
  const store = useLoomStore();
  const chosenTap = useLoom((s) => s.tap);
  const soloChosen = useLoom((s) => s.solo);
  const loop = useLoom((s) => s.loop);
  const half = useLoom((s) => s.half);
  const check = useLoom((s) => s.check);
  const alone = useLoom((s) => s.alone);
  const against = useLoom((s) => s.other);
  const other = against ? { reel: against.reel, revision: against.revision, heard: against.heard } : undefined;
  const aside = useLoom((s) => s.aside) ?? undefined;
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  // Not subscribed to: only what shows the position is drawn again as it runs.
  const position = () => positionOf(view.id, store.getState().stands);
  const setAt = (stands: number) => store.setState({ stands });

  const usual = useMemo(() => usualTap(view.groups), [view.groups]);
  const tap = chosenTap && exists(view, chosenTap) ? chosenTap : usual;
  // biome-ignore lint/correctness/useExhaustiveDependencies: tracks are looked up in the view, of which no more is asked
  const soloed = useMemo(() => soloChosen.filter((x) => trackOf(view, x)), [soloChosen, view.tracks]);
  const heard = alone && clipOf(view, alone.clip) ? alone : undefined;
  const around = loop && choice.range ? { from: choice.range.from, to: choice.range.to } : null;
  const manner: Manner = { tap, check, solo: soloed, loop: around, half, lane: heard, watch, wires, record, aside, other };
  const said = JSON.stringify([wires, record, aside, other]);
  const tapKey = `${tap.kind} ${tap.id} ${check} ${soloed.join(" ")} ${around?.from} ${around?.to} ${watch?.map((w) => w.id).join()} ${said}`;
  const quiet = useRef(false); // what plays is only a try: the shuttle stays where it was
  const last = useRef<ReturnType<typeof setTimeout>>(undefined); // the last place of a scrub, still to be heard
  useEffect(() => () => clearTimeout(last.current), []);
  const goesOn = useRef(false); // the reel played when the try began, and plays on after it
  const { turn, turned } = useTurning(view.id, manner, tapKey, () => playing && !quiet.current);

  const playFrom = (from: number, m: Partial<Manner> = {}) => {
    quiet.current = false;
    goesOn.current = false;
    void player.playReel(view.id, from, { ...manner, ...m });
  };
  /** Plays something that leaves the shuttle where it is. */
  const tryOut = (from: number, m: Partial<Manner>) => {
    if (playing && !quiet.current) {
      setAt(position());
      goesOn.current = true;
    }
    void player.playReel(view.id, from, { ...manner, loop: null, lane: undefined, record: undefined, ...m });
    quiet.current = true;
  };
  const endTry = () => {
    if (!quiet.current) return;
    if (goesOn.current) playFrom(store.getState().stands);
    else player.stop();
  };
  const mannerKey = `${half} ${heard?.clip} ${heard?.channel}`;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says what is only heard from a new start
  useEffect(() => {
    if (playing && !quiet.current) playFrom(position(), { back: player.snapshot().playing?.back });
  }, [mannerKey]);

  const sending = usePlayer((s) => s.playing?.what === "signal");
  /** Sends a tone, or names, to outputs in place of the reel. */
  const signal = (outputs: string[], names: boolean) => void player.playSignal(view.id, store.getState().stands, outputs, names, record);
  const play = () => {
    if (sending) return player.stop();
    if (playing) {
      if (!quiet.current) setAt(position());
      goesOn.current = false;
      player.stop();
      return;
    }
    const at = store.getState().stands;
    const from = around && (at < around.from || at >= around.to) ? around.from : at >= view.end ? view.head.start : at;
    setAt(from);
    playFrom(from);
  };
  /** Plays towards the beginning, or stops. */
  const playBack = () => {
    if (playing && !quiet.current && player.snapshot().playing?.back) return play();
    const from = playing && !quiet.current ? position() : store.getState().stands;
    setAt(from);
    playFrom(from, { back: true, until: view.head.start });
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the keys say in what the manner differs
  const go = useCallback(
    (sample: number) => {
      clearTimeout(last.current);
      store.setState({ stands: sample });
      const s = player.snapshot();
      if (s.playing?.what === "reel" && !quiet.current) void player.playReel(view.id, sample, { ...manner, back: s.playing.back });
    },
    [view.id, tapKey, mannerKey],
  );
  const scrubbed = useRef(0);
  const leftwards = useRef(false);
  /** Moves the shuttle and lets a little be heard where it goes, the way that it goes. */
  const scrub = (sample: number) => {
    const was = store.getState().stands;
    if (sample !== was) leftwards.current = sample < was;
    setAt(sample);
    const now = performance.now();
    clearTimeout(last.current);
    if (now - scrubbed.current < scrubEvery) {
      last.current = setTimeout(() => scrub(sample), scrubEvery); // the last place is heard as well, and played on from
      return;
    }
    scrubbed.current = now;
    if (playing && !quiet.current) return void player.playReel(view.id, sample, { ...manner, back: player.snapshot().playing?.back });
    tryOut(sample, { half: false, ...scrubbedFrom(sample, leftwards.current, view.head.sampleRate), lane: heard });
  };
  const wasPlaying = useRef(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: when playing begins or ends, and not else
  useEffect(() => {
    if (wasPlaying.current && !playing && quiet.current && goesOn.current) playFrom(store.getState().stands);
    // Where playing ended, the shuttle stays.
    if (wasPlaying.current && !playing && !quiet.current) store.setState((s) => ({ stands: player.snapshot().position || s.stands }));
    wasPlaying.current = playing;
  }, [playing, store]);

  /** Listens to something; what was heard before can be gone back to. */
  const listenTo = (to: Tap | null) => store.setState({ tap: to, before: tap, alone: null });
  const toggleTap = (t: Tap) => listenTo(sameTap(tap, t) ? null : t);
  const words = () => {
    const c = heard && clipOf(view, heard.clip);
    return c ? `${takes.get(c.take)?.channels[c.channels[heard.channel] ?? 0]?.name || `channel ${heard.channel + 1}`}, ${c.name}` : "";
  };
  return {
    tap,
    check,
    sending,
    signal,
    soloed,
    heard,
    playing,
    quiet: () => quiet.current,
    position,
    play,
    playBack,
    playFrom,
    tryOut,
    endTry,
    go,
    scrub,
    turn,
    turned,
    listenTo,
    toggleTap,
    heardAlone: words(),
  };
}

export type Listening = ReturnType<typeof useListening>;
