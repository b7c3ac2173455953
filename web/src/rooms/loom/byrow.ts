// Routes, knots and findings of a reel by the row and output that they are about. A list that has not changed is sorted once.
import type { Knot, ReelView } from "../../api/client";

type Route = ReelView["routes"][number];
type Finding = ReelView["findings"][number];

const sorted = new WeakMap<readonly unknown[], Map<string, unknown[]>>();

function by<T>(list: readonly T[], key: (x: T) => string): Map<string, T[]> {
  const known = sorted.get(list);
  if (known) return known as Map<string, T[]>;
  const made = new Map<string, T[]>();
  for (const x of list) {
    const k = key(x);
    const there = made.get(k);
    if (there) there.push(x);
    else made.set(k, [x]);
  }
  sorted.set(list, made);
  return made;
}

const none: never[] = [];

export const routeOf = (view: ReelView, track: string, output: string): Route | undefined => by(view.routes, (r) => `${r.track} ${r.output}`).get(`${track} ${output}`)?.[0];

export const knotsOf = (view: ReelView, row: string, from: string, output: string): Knot[] => by(view.knots, (k) => `${k.row} ${k.from} ${k.output}`).get(`${row} ${from} ${output}`) ?? none;

export const findingOf = (view: ReelView, track: string, output: string): Finding | undefined => by(view.findings, (f) => `${f.track ?? ""} ${f.output ?? ""}`).get(`${track} ${output}`)?.[0];
