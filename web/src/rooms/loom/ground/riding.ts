// What a hand does to levels on the board: sets them while the reel stands, or writes their curves while it plays.
import type { Command, Point, ReelView, Row } from "../../../api/client";
import { level, pointsOf, thinned } from "./curves";
import { busOf, trackOf } from "./lookup";
import { gains } from "./numbers";

/** A row whose level is moved. */
export type Target = { row: Row; id: string };

export const keyOfRow = (t: Target) => `${t.row} ${t.id}`;

/**
 * What moving a level does while the reel plays. off: it is set for the whole reel. touch: the curve is written while it is held. latch: from
 * then on until playing stops. trim: what the curve does there is raised or lowered while it is held.
 */
export const rideModes = ["off", "touch", "latch", "trim"] as const;
export type RideMode = (typeof rideModes)[number];

/** By how many dB a level was moved, from a place on. */
export type Move = { at: number; by: number };

const [least, most] = gains;
const held = (dB: number) => Math.max(least, Math.min(most, Math.round(dB * 10) / 10)) + 0;

const whatOf = (view: ReelView, t: Target) => (t.row === "track" ? trackOf(view, t.id) : busOf(view, t.row, t.id));

/** The level of a row for the whole reel, in dB; its curve is added to it. */
export const baseOf = (view: ReelView, t: Target): number => whatOf(view, t)?.gainDB ?? 0;

/** The points of its curve. */
export const curveOf = (view: ReelView, t: Target): Point[] => pointsOf(whatOf(view, t), "gain");

/** The level of a row at a place. */
export const levelAt = (view: ReelView, t: Target, at: number): number => baseOf(view, t) + level(curveOf(view, t), at);

const together = (commands: Command[]): Command =>
  commands.length === 1 ? commands[0]! : { kind: "several", command: { commands: commands as never } };

/** Moves levels by so many dB, each from where it is. */
export function moved(view: ReelView, targets: Target[], by: number): Command {
  return together(
    targets.map((t): Command => {
      const gainDB = held(baseOf(view, t) + by);
      return t.row === "track"
        ? { kind: "setTrack", command: { track: t.id, gainDB } }
        : { kind: "setBus", command: { row: t.row, from: t.id, gainDB } };
    }),
  );
}

/** A hand at levels that move together. */
export type Pass = { targets: Target[]; mode: Exclude<RideMode, "off">; moves: Move[] };

/** By how much the hand had moved at a place: it stays where it was until it moves on. */
const movedBy = (moves: Move[], at: number) =>
  level(
    moves.map((m) => ({ at: m.at, value: m.by })),
    at,
  );

function pointsOfPass(view: ReelView, t: Target, p: Pass, to: number): Point[] {
  const from = p.moves[0]!.at;
  const curve = curveOf(view, t);
  const start = level(curve, from);
  const last = p.moves.at(-1)!;
  const places = [...p.moves.map((m) => m.at), ...(last.at < to ? [to] : [])];
  if (p.mode === "trim") places.push(...curve.map((q) => q.at).filter((at) => at > from && at < to));
  const value = (at: number) => (p.mode === "trim" ? level(curve, at) : start) + movedBy(p.moves, at);
  const points = [...new Set(places)].sort((a, b) => a - b).map((at) => ({ at, value: held(value(at)) }));
  return thinned(points, 0.15);
}

/** What hands have done by a place, as one step; null where no time has gone by. */
export function ridden(view: ReelView, passes: Pass[], to: number): Command | null {
  const commands = passes
    .filter((p) => p.moves.length > 0 && to > p.moves[0]!.at)
    .flatMap((p) =>
      p.targets.map(
        (t): Command => ({
          kind: "setCurve",
          command: { of: t.row, id: t.id, what: "gain", range: { from: p.moves[0]!.at, to }, points: pointsOfPass(view, t, p, to) },
        }),
      ),
    );
  return commands.length > 0 ? together(commands) : null;
}

/** Notes where the hand is: once it has moved away from where it was, the place before is noted too, so that it did not move slowly up to there. */
export function noted(moves: Move[], at: number, by: number): Move[] {
  const last = moves.at(-1);
  if (!last) return [{ at, by }];
  if (at <= last.at) return [...moves.slice(0, -1), { at: last.at, by }];
  if (by === last.by) return moves;
  const still = at - last.at > 2400; // a twentieth of a second at 48 kHz
  return [...moves, ...(still ? [{ at: at - 1200, by: last.by }] : []), { at, by }];
}
