// What stands where a row meets a column of the weave, and what it is called.
import type { Knot, Output, ReelView, Row } from "../../../api/client";
import type { BandRow } from "./band";
import type { Column } from "./columns";
import { findingOf, groupOf, knotsOf, routeOf, type Finding } from "./lookup";
import type { Rows } from "./rows";

/** A row that runs into the weave. */
export type Line = { row: Row; id: string; name: string; stem: string; muted: boolean; y: number; height: number };

export const lineKey = (l: Pick<Line, "row" | "id">) => `${l.row} ${l.id}`;

export type Cell = {
  knots: Knot[];
  /** The gain at which it arrives, the strongest of a group's channels; null where it does not. */
  reach: number | null;
  /** How many of the column's channels it arrives at. */
  reached: number;
  fed: boolean; // it feeds the whole group
  twice: boolean;
  finding: Finding | undefined;
};

/** The rows of tracks that are in view in time, as the weave has them. */
export const trackLines = (rows: Rows): Line[] =>
  rows.list.flatMap((r) =>
    r.kind === "track"
      ? [{ row: "track" as const, id: r.id, name: r.track.name, stem: r.track.stem, muted: r.track.mute, y: r.y, height: r.body }]
      : [],
  );

export const bandLines = (band: BandRow[], height: number): Line[] =>
  band.map((b, i) => ({ row: b.row, id: b.id, name: b.name, stem: b.stem, muted: false, y: i * height, height }));

export function cellOf(view: ReelView, line: Pick<Line, "row" | "id">, column: Column): Cell {
  const cell: Cell = {
    knots: [],
    reach: null,
    reached: 0,
    fed: column.group.feed?.row === line.row && column.group.feed.from === line.id,
    twice: false,
    finding: undefined,
  };
  for (const o of column.outputs) {
    const knots = knotsOf(view, line.row, line.id, o.id);
    if (knots.length > 0) cell.knots = cell.knots.length > 0 ? [...cell.knots, ...knots] : knots;
    if (line.row !== "track") continue;
    const route = routeOf(view, line.id, o.id);
    if (route) {
      cell.reached++;
      cell.reach = cell.reach === null ? route.gainDB : Math.max(cell.reach, route.gainDB);
      cell.twice ||= route.twice;
    }
    cell.finding ??= findingOf(view, line.id, o.id);
  }
  return cell;
}

/** Whether a row's thread lies over a column rather than passing under it. */
export const touches = (c: Cell) => c.knots.length > 0 || c.fed || c.reach !== null;

export const shownGain = (dB: number) =>
  Math.abs(dB) < 0.05 ? "0" : `${dB > 0 ? "+" : "−"}${Math.abs(dB).toFixed(Math.abs(dB) % 1 < 0.05 || Math.abs(dB) % 1 > 0.95 ? 0 : 1)}`;

export const outputName = (view: ReelView, o: Output) => `${groupOf(view, o.group)?.name ?? o.group} ${o.label}`;

export const columnName = (view: ReelView, c: Column) => (c.folded ? c.group.name : outputName(view, c.outputs[0]!));

/** How a row and a column meet, in words. */
export function cellState(cell: Cell, column: Column): string {
  const k = cell.knots[0];
  const of = column.outputs.length;
  if (column.folded) {
    if (cell.fed) return "feeds the whole group";
    const tied = new Set(cell.knots.map((x) => x.output)).size;
    if (tied > 0) return `knots to ${tied} of ${of} channels`;
    return cell.reach !== null ? `reaches ${cell.reached} of ${of} channels, at ${shownGain(cell.reach)} dB at most` : "no knot";
  }
  if (k) return `knot at ${shownGain(k.gainDB)} dB${k.curve?.length ? ", ridden" : ""}${k.invert ? ", polarity turned" : ""}`;
  if (cell.fed) return "feeds the whole group";
  return cell.reach !== null ? `reached at ${shownGain(cell.reach)} dB through its stem` : "no knot";
}

/** What a crossing is called for who can't see it. */
export const cellLabel = (view: ReelView, line: Line, column: Column, cell: Cell) =>
  `${line.name} to ${columnName(view, column)}: ${cellState(cell, column)}${cell.finding ? `. ${cell.finding.message}` : ""}`;

/** A place in the weave: a row and a column by their places in the lists. */
export type Place = { line: number; column: number };

/** The places that a drag goes through: along a row or a column, else along the diagonal. */
export function along(from: Place, to: Place): Place[] {
  const lines = to.line - from.line;
  const columns = to.column - from.column;
  const straight = lines === 0 || columns === 0;
  const n = straight ? Math.max(Math.abs(lines), Math.abs(columns)) : Math.min(Math.abs(lines), Math.abs(columns));
  return Array.from({ length: n + 1 }, (_, i) => ({
    line: from.line + i * Math.sign(lines),
    column: from.column + i * Math.sign(columns),
  }));
}

/** The places of the block between two corners. */
export function block(a: Place, b: Place): Place[] {
  const places: Place[] = [];
  for (let line = Math.min(a.line, b.line); line <= Math.max(a.line, b.line); line++)
    for (let column = Math.min(a.column, b.column); column <= Math.max(a.column, b.column); column++) places.push({ line, column });
  return places;
}
