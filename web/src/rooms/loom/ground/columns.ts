// The columns of the weave: an output channel each, or a whole group where it is folded.
import type { Group, Output, ReelView } from "../../../api/client";
import { columnWidth, weavePad } from "./geometry";

export type Column = {
  key: string; // of its output, or of its group
  group: Group;
  /** The output of a channel's column; all of a folded group's. */
  outputs: Output[];
  folded: boolean;
  x: number; // its left edge, in pixels from the left of the weave
  width: number;
};

export type Columns = { list: Column[]; width: number };

export const groupWidth = 74;
const gap = 8; // between groups
const emptyWidth = 250;

/** Lays the columns out. folded are the IDs of the groups that take one column. */
export function layColumns(view: Pick<ReelView, "groups" | "outputs">, folded: ReadonlySet<string>): Columns {
  const list: Column[] = [];
  let x = weavePad;
  for (const group of view.groups) {
    const outputs = view.outputs.filter((o) => o.group === group.id);
    const shown = folded.has(group.id) ? [outputs] : outputs.map((o) => [o]);
    for (const some of shown) {
      const width = folded.has(group.id) ? groupWidth : columnWidth;
      list.push({ key: folded.has(group.id) ? group.id : some[0]!.id, group, outputs: some, folded: folded.has(group.id), x, width });
      x += width;
    }
    x += gap;
  }
  return { list, width: list.length === 0 ? emptyWidth : x - gap + weavePad };
}

export const middleOf = (c: Column) => c.x + c.width / 2;

/** The columns that lie in a stretch of the weave, as a range of the list; they are found by halving. */
export function columnsIn(columns: Columns, from: number, to: number): [number, number] {
  const first = search(columns.list, (c) => c.x + c.width > from);
  return [
    first,
    Math.max(
      first,
      search(columns.list, (c) => c.x >= to),
    ),
  ];
}

/** The column at a place, or the nearest one of them. −1 where there is none at all. */
export function columnAt(columns: Columns, x: number): number {
  return Math.min(
    columns.list.length - 1,
    search(columns.list, (c) => c.x + c.width > x),
  );
}

/** The first of a list for which a test, that stays true once it is true, is true. */
function search<T>(list: readonly T[], test: (x: T) => boolean): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (test(list[middle]!)) high = middle;
    else low = middle + 1;
  }
  return low;
}
