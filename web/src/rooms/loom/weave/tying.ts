// What pressing, dragging and keys do in the weave: which knots are tied, cleared and set. Each is one step of the history.
import type { Command, Crossing, Knot, ReelView } from "../../../api/client";
import type { useReelEdits } from "../../../api/hooks";
import type { useConsent } from "./consent";
import { cellOf, touches, type Cell, type Line, type Place } from "../ground/cells";
import type { Columns } from "../ground/columns";

export type Edits = { command: ReturnType<typeof useConsent>["doIt"] } & Pick<ReturnType<typeof useReelEdits>, "tie">;

type Ground = { view: ReelView; lines: Line[]; columns: Columns; chosen: ReadonlySet<string>; edits: Edits };

export function tying({ view, lines, columns, chosen, edits }: Ground) {
  const at = (p: Place) => ({ line: lines[p.line]!, column: columns.list[p.column]! });
  /** The places with the same columns of all chosen tracks, where one of them is of a chosen track. */
  const widened = (places: Place[]): Place[] => {
    if (chosen.size < 2) return places;
    const all = lines.flatMap((l, i) => (l.row === "track" && chosen.has(l.id) ? [i] : []));
    const out = new Map<string, Place>();
    for (const p of places)
      for (const line of all.includes(p.line) ? all : [p.line]) out.set(`${line}:${p.column}`, { line, column: p.column });
    return [...out.values()];
  };
  const knots = (places: Place[]): Knot[] => places.flatMap((p) => cellOf(view, at(p).line, at(p).column).knots);
  const tie = (places: Place[]) => {
    const free = places.filter((p) => cellOf(view, at(p).line, at(p).column).knots.length === 0);
    const crossings = free.map((p): Crossing => ({ row: at(p).line.row, from: at(p).line.id, output: at(p).column.key }));
    if (crossings.length > 0) void edits.tie(crossings);
  };
  const clear = (places: Place[]) => {
    const found = new Map(knots(places).map((k) => [`${k.row} ${k.from} ${k.output}`, { row: k.row, from: k.from, output: k.output }]));
    if (found.size > 0) void edits.command({ kind: "clearKnots", command: { at: [...found.values()] } });
  };
  /** Sets all knots of some places to a gain, or turns their polarity. */
  const set = (places: Place[], part: Partial<Pick<Knot, "gainDB" | "invert">>) => {
    const changed = knots(places).map(({ row, from, channel, output, gainDB, invert }) => ({
      row,
      from,
      channel,
      output,
      gainDB,
      invert,
      ...part,
    }));
    if (changed.length > 0) return edits.command({ kind: "setKnots", command: { knots: changed } } as Command);
  };
  /** Whether pressing a place ties it; else what is there is shown. */
  const ties = (p: Place) => {
    const cell = cellOf(view, at(p).line, at(p).column);
    return !touches(cell) && !cell.finding;
  };
  return { at, widened, knots, tie, clear, set, ties };
}

export type Tying = ReturnType<typeof tying>;

/** The weave of a reel as it is laid out: its rows, those of tracks first, and its columns. */
export type Weave = {
  view: ReelView;
  lines: Line[];
  tracks: number;
  columns: Columns;
  cells: (line: Line) => Cell[];
  tying: Tying;
  command: Edits["command"];
  chosen: ReadonlySet<string>;
};
