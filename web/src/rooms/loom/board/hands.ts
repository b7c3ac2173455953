// The hands at the levels of a board: they set them while the reel stands, and write their curves while it plays.
import { useEffect, useMemo, useRef, useState } from "react";

import type { Command, ReelView } from "../../../api/client";
import { player, usePlayer, type Watched } from "../../../listen/player";
import { layBand, layGroups, type BandRow } from "../ground/band";
import { baseOf, keyOfRow, moved, noted, ridden, type Pass, type Target } from "../ground/riding";
import { turned, useLoomStore, type LoomStore } from "../ground/state";

/** What the rows of a board do. The functions stay the same from one rendering to the next. */
export type Hands = {
  begin: (t: Target) => void;
  move: (t: Target, by: number) => void;
  end: (t: Target) => void;
  /** Takes back what has been moved since begin. */
  cancel: (t: Target) => void;
  /** Moves by keys: at once, for the whole reel. */
  step: (t: Target, by: number) => void;
  /** Puts the level back to 0 dB. */
  rest: (t: Target) => void;
  place: (t: Target, pan: number) => Promise<unknown>;
  chain: (t: Target) => void;
  gang: (t: Target) => void;
};

/** How many rows the server looks at for one who listens. */
const mostWatched = 400;

/** The rows of a reel that a board shows, in their order: its tracks, and those below. What is beyond the most has no level of what arrives. */
export const watchedRows = (view: ReelView, below: BandRow[]): Watched[] =>
  [...view.tracks.map((t): Watched => ({ row: "track", id: t.id })), ...below.map(({ row, id }): Watched => ({ row, id }))].slice(
    0,
    mostWatched,
  );

type Around = {
  view: ReelView;
  playingAt: () => number | null;
  onTurn: (c: Command | null) => void;
  onTurned: (made: Promise<unknown>) => void;
  onChain: (t: Target) => void;
  onDo: (c: Command) => Promise<unknown>;
};

/** What hands hold, and what becomes of it: heard while it is held, and one step once it is let go. */
class Holding {
  private passes = new Map<string, Pass>();
  private set: { targets: Target[]; by: number } | null = null;
  /** Where playing was when it was last looked at. */
  last = 0;

  constructor(
    private store: LoomStore,
    private now: () => Around,
    private onHeld: (by: ReadonlyMap<string, number>) => void,
  ) {}

  private show() {
    const next = new Map<string, number>();
    for (const pass of this.passes.values()) for (const t of pass.targets) next.set(keyOfRow(t), pass.moves.at(-1)!.by);
    for (const t of this.set?.targets ?? []) next.set(keyOfRow(t), this.set!.by);
    this.onHeld(next);
  }

  private hear() {
    const { playingAt, view, onTurn } = this.now();
    const at = playingAt();
    if (at === null) return;
    const c = ridden(view, [...this.passes.values()], Math.max(view.end, Math.round(at) + view.head.sampleRate));
    if (c) onTurn(c);
  }

  private make(c: Command | null) {
    const { onTurn, onTurned, onDo } = this.now();
    const made = c ? onDo(c) : Promise.resolve();
    if (c) onTurned(made);
    else onTurn(null);
    void made.finally(() => {
      this.show(); // what was held stands on the reel by now
      if (this.passes.size > 0) this.hear();
    });
  }

  private commit(of: Pass[], to: number) {
    for (const [key, pass] of this.passes) if (of.includes(pass)) this.passes.delete(key);
    // Where a range is played again and again, playing may stand before what was written last.
    this.make(ridden(this.now().view, of, Math.max(to, ...of.map((p) => p.moves.at(-1)!.at))));
  }

  /** The rows that move with one that is taken hold of. */
  private with(t: Target): Target[] {
    const gang = this.store.getState().gang;
    return gang.has(keyOfRow(t)) ? allRows(this.now().view).filter((x) => gang.has(keyOfRow(x))) : [t];
  }

  begin = (t: Target) => {
    const at = this.now().playingAt();
    const mode = this.store.getState().ride;
    if (at === null || mode === "off") {
      this.set = { targets: this.with(t), by: 0 };
    } else {
      const was = this.passes.get(keyOfRow(t)); // that was left where it is
      if (was) this.commit([was], Math.round(at));
      this.passes.set(keyOfRow(t), { targets: this.with(t), mode, moves: [{ at: Math.round(at), by: 0 }] });
    }
    this.show();
  };

  move = (t: Target, by: number) => {
    const pass = this.passes.get(keyOfRow(t));
    const { view, playingAt, onTurn } = this.now();
    if (this.set) {
      this.set = { ...this.set, by };
      onTurn(moved(view, this.set.targets, by));
    } else if (pass) {
      this.last = Math.round(playingAt() ?? this.last);
      pass.moves = noted(pass.moves, this.last, by);
      this.hear();
    }
    this.show();
  };

  end = (t: Target) => {
    const { view, playingAt } = this.now();
    const s = this.set;
    this.set = null;
    if (s) return this.make(s.by === 0 ? null : moved(view, s.targets, s.by));
    const pass = this.passes.get(keyOfRow(t));
    if (!pass) return;
    if (pass.mode === "trim" && pass.moves.every((m) => m.by === 0)) {
      this.passes.delete(keyOfRow(t));
      return this.make(null);
    }
    if (pass.mode !== "latch") this.commit([pass], Math.round(playingAt() ?? this.last));
  };

  cancel = (t: Target) => {
    this.set = null;
    this.passes.delete(keyOfRow(t));
    this.make(null);
  };

  /** What was left where it is goes on until playing stops. */
  stopped = () => {
    if (this.passes.size > 0) this.commit([...this.passes.values()], this.last);
  };

  step = (t: Target, by: number) => void this.now().onDo(moved(this.now().view, this.with(t), by));

  rest = (t: Target) => void this.now().onDo(moved(this.now().view, [t], -baseOf(this.now().view, t)));
}

/** The hands at the levels of a board. */
export function useHands(p: Around) {
  const store = useLoomStore();
  const [held, setHeld] = useState<ReadonlyMap<string, number>>(new Map());
  const latest = useRef(p);
  latest.current = p;
  const holding = useMemo(() => new Holding(store, () => latest.current, setHeld), [store]);
  const hands = useMemo((): Hands => {
    const { begin, move, end, cancel, step, rest } = holding;
    const place = ({ row, id }: Target, pan: number): Command =>
      row === "track" ? { kind: "setTrack", command: { track: id, pan } } : { kind: "setBus", command: { row, from: id, pan } };
    return {
      begin,
      move,
      end,
      cancel,
      step,
      rest,
      place: (t, pan) => latest.current.onDo(place(t, pan)),
      chain: (t) => latest.current.onChain(t),
      gang: (t) => store.setState((s) => ({ gang: turned(s.gang, keyOfRow(t)) })),
    };
  }, [holding, store]);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === p.view.id);
  useEffect(() => {
    if (!playing) return;
    const watch = player.subscribe(() => {
      const s = player.snapshot();
      if (s.playing?.what === "reel") holding.last = Math.round(s.position);
    });
    return () => {
      watch();
      holding.stopped();
    };
  }, [playing, holding]);
  return { hands, held };
}

/** All rows that have a level. */
const allRows = (view: ReelView): Target[] => [
  ...view.tracks.map((t): Target => ({ row: "track", id: t.id })),
  ...layBand(view, new Set(view.stems.map((s) => s.id))),
  ...layGroups(view.groups),
];
