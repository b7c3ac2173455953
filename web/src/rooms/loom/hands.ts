// The hands at the levels of a board: they set them while the reel stands, and write their curves while it plays.
import { useEffect, useMemo, useRef, useState } from "react";

import type { Command, ReelView } from "../../api/client";
import { player, usePlayer, type Watched } from "../../listen/player";
import type { BandRow } from "./band";
import { baseOf, keyOfRow, moved, noted, ridden, type Pass, type Target } from "./riding";
import { turned, useLoomStore } from "./state";

/** What the rows of a board do. The functions stay the same from one rendering to the next. */
export type Hands = {
  /** The rows that move when one is taken hold of. */
  with: (t: Target) => Target[];
  begin: (t: Target) => void;
  move: (t: Target, by: number) => void;
  end: (t: Target) => void;
  /** Moves by keys: at once, for the whole reel. */
  step: (t: Target, by: number) => void;
  /** Puts the level back to 0 dB. */
  rest: (t: Target) => void;
  place: (t: Target, pan: number) => void;
  chain: (t: Target) => void;
  gang: (t: Target) => void;
};

/** All rows of a reel that a board shows, in their order. */
export const watchedRows = (view: ReelView, strands: BandRow[]): Watched[] => [
  ...view.tracks.map((t): Watched => ({ row: "track", id: t.id })),
  ...strands.map(({ row, id }): Watched => ({ row, id })),
  ...view.groups.map((g): Watched => ({ row: "group", id: g.id })),
];

/** The hands at the levels of a board: what they do is heard at once, and is one step once they let go. */
export function useHands(p: {
  view: ReelView;
  playingAt: () => number | null;
  onTurn: (c: Command | null) => void;
  onTurned: () => void;
  onChain: (t: Target) => void;
  onDo: (c: Command) => Promise<unknown>;
}) {
  const store = useLoomStore();
  const [held, setHeld] = useState<ReadonlyMap<string, number>>(new Map());
  const latest = useRef(p);
  latest.current = p;
  const passes = useRef(new Map<string, Pass>());
  const set = useRef<{ targets: Target[]; by: number } | null>(null);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === p.view.id);
  const last = useRef(0); // where playing was when a hand was last seen
  const hands = useMemo(() => {
    const now = () => latest.current;
    const show = () => {
      const next = new Map<string, number>();
      for (const pass of passes.current.values()) for (const t of pass.targets) next.set(keyOfRow(t), pass.moves.at(-1)!.by);
      for (const t of set.current?.targets ?? []) next.set(keyOfRow(t), set.current!.by);
      setHeld(next);
    };
    const hear = () => {
      const at = now().playingAt();
      const { view, onTurn } = now();
      const c = at === null ? null : ridden(view, [...passes.current.values()], Math.max(view.end, Math.round(at) + view.head.sampleRate));
      if (c) onTurn(c);
    };
    const make = (c: Command | null) => {
      if (c) now().onTurned();
      else now().onTurn(null);
      const done = c ? now().onDo(c) : Promise.resolve();
      void done.finally(() => {
        show(); // what was held stands on the reel by now
        if (passes.current.size > 0) hear();
      });
    };
    const commit = (of: Pass[], to: number) => {
      for (const [key, pass] of passes.current) if (of.includes(pass)) passes.current.delete(key);
      make(ridden(now().view, of, to));
    };
    const targets = (t: Target): Target[] => {
      const gang = store.getState().gang;
      if (!gang.has(keyOfRow(t))) return [t];
      return allRows(now().view).filter((x) => gang.has(keyOfRow(x)));
    };
    const hands: Hands = {
      with: targets,
      begin: (t) => {
        const at = now().playingAt();
        const mode = store.getState().ride;
        if (at === null || mode === "off") {
          set.current = { targets: targets(t), by: 0 };
        } else {
          const was = passes.current.get(keyOfRow(t)); // that was left where it is
          if (was) commit([was], Math.round(at));
          passes.current.set(keyOfRow(t), { targets: targets(t), mode, moves: [{ at: Math.round(at), by: 0 }] });
        }
        show();
      },
      move: (t, by) => {
        const pass = passes.current.get(keyOfRow(t));
        if (set.current) {
          set.current = { ...set.current, by };
          now().onTurn(moved(now().view, set.current.targets, by));
        } else if (pass) {
          const at = now().playingAt();
          if (at !== null) last.current = Math.round(at);
          pass.moves = noted(pass.moves, last.current, by);
          hear();
        }
        show();
      },
      end: (t) => {
        const s = set.current;
        set.current = null;
        if (s) return make(s.by === 0 ? null : moved(now().view, s.targets, s.by));
        const pass = passes.current.get(keyOfRow(t));
        if (!pass) return;
        const at = now().playingAt();
        if (pass.mode === "trim" && pass.moves.every((m) => m.by === 0)) {
          passes.current.delete(keyOfRow(t));
          return make(null);
        }
        if (pass.mode !== "latch") commit([pass], Math.round(at ?? last.current));
      },
      step: (t, by) => void now().onDo(moved(now().view, targets(t), by)),
      rest: (t) => void now().onDo(moved(now().view, [t], -baseOf(now().view, t))),
      place: (t, pan) =>
        void now().onDo(
          t.row === "track"
            ? { kind: "setTrack", command: { track: t.id, pan } }
            : { kind: "setBus", command: { row: t.row, from: t.id, pan } },
        ),
      chain: (t) => now().onChain(t),
      gang: (t) => store.setState((s) => ({ gang: turned(s.gang, keyOfRow(t)) })),
    };
    return { hands, stopped: (at: number) => passes.current.size > 0 && commit([...passes.current.values()], at) };
  }, [store]);
  // What was left where it is goes on until playing stops.
  useEffect(() => {
    if (!playing) return;
    const watch = player.subscribe(() => {
      const s = player.snapshot();
      if (s.playing?.what === "reel") last.current = Math.round(s.position);
    });
    return () => {
      watch();
      hands.stopped(last.current);
    };
  }, [playing, hands]);
  return { hands: hands.hands, held };
}

/** All rows that have a level. */
const allRows = (view: ReelView): Target[] => [
  ...view.tracks.map((t): Target => ({ row: "track", id: t.id })),
  ...view.stems.map((s): Target => ({ row: "stem", id: s.id })),
  ...[...new Set(view.tracks.filter((t) => t.strand).map((t) => `${t.stem}/${t.strand}`))].map((id): Target => ({ row: "strand", id })),
  ...view.mixes.map((m): Target => ({ row: "mix", id: m.id })),
  ...view.groups.map((g): Target => ({ row: "group", id: g.id })),
];
