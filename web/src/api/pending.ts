// Edits that the server has not confirmed yet, laid over the reel as it is known, so that what the hand does is on the screen
// at once. Only what means the same when it is laid over twice is laid over: the reel may have it already.
import type { Command, CommandOf, Crossing, Knot, ReelView } from "./client";
import { withClips, type Laid } from "./laid";

/** What an edit under way will do, as far as the page can tell; `clips` as it made them lie when it was made. */
export type Pending = { command?: Command; ties?: Crossing[]; clips?: Laid };

const key = (k: Pick<Knot, "row" | "from" | "channel" | "output">) => `${k.row} ${k.from} ${k.channel} > ${k.output}`;

function withKnots(view: ReelView, put: Omit<Knot, "id">[]): ReelView {
  // One that is sent without a curve keeps what it has.
  const curves = new Map(view.knots.map((k) => [k.id, k.curve && { curve: k.curve }]));
  const made = new Map(put.map((k) => [key(k), { ...curves.get(key(k)), ...k, id: key(k) }]));
  return { ...view, knots: [...view.knots.filter((k) => !made.has(k.id)), ...made.values()] };
}

function withCommand(view: ReelView, c: Command): ReelView {
  switch (c.kind) {
    case "setKnots":
      return withKnots(view, c.command.knots);
    case "clearKnots": {
      const gone = new Set(c.command.at.map((x) => `${x.row} ${x.from} ${x.output}`));
      return { ...view, knots: view.knots.filter((k) => !gone.has(`${k.row} ${k.from} ${k.output}`)) };
    }
    case "setTrack": {
      const { track, name, mute, gainDB, height } = c.command;
      const set = Object.fromEntries(Object.entries({ name, mute, gainDB, height }).filter(([, v]) => v !== undefined));
      return Object.keys(set).length === 0 ? view : { ...view, tracks: view.tracks.map((t) => (t.id === track ? { ...t, ...set } : t)) };
    }
    case "setMix": {
      const { id, name, language, labels, rest, terms } = c.command;
      return id
        ? {
            ...view,
            mixes: view.mixes.map((m) => (m.id === id ? { ...m, name, language, labels, rest: rest ?? false, terms: terms ?? [] } : m)),
          }
        : view;
    }
    case "setGroup": {
      const { id, name, tag, feed } = c.command; // what its layout becomes is the server's to say
      return id
        ? { ...view, groups: view.groups.map((g) => (g.id === id ? { ...g, name, tag: tag || g.tag, feed: feed ?? undefined } : g)) }
        : view;
    }
    case "setMark":
      return c.command.id
        ? { ...view, marks: view.marks.map((m) => (m.id === c.command.id ? { ...m, ...c.command, id: m.id } : m)) }
        : view;
    case "setCurve":
      return c.command.range ? view : withCurve(view, c.command);
    case "several":
      return c.command.commands.reduce(withCommand, view);
  }
  return view;
}

/** A curve that is drawn whole: the next point is added to what is drawn, not to what the server has confirmed. */
function withCurve(view: ReelView, { of, id, what, points }: CommandOf<"setCurve">): ReelView {
  if (of === "clip") {
    const drawn = (c: ReelView["clips"][number]) =>
      what === "gain" || what === "pan" ? { ...c, [what]: points.map((p) => ({ ...p, at: p.at - c.start + c.offset })) } : c;
    return { ...view, clips: view.clips.map((c) => (c.id === id ? drawn(c) : c)) };
  }
  if (of === "track") {
    const drawn = (t: ReelView["tracks"][number]) =>
      what === "gain" || what === "pan" ? { ...t, [what]: points } : { ...t, curves: { ...t.curves, [what]: points } };
    return { ...view, tracks: view.tracks.map((t) => (t.id === id ? drawn(t) : t)) };
  }
  if (of === "knot") return { ...view, knots: view.knots.map((k) => (k.id === id ? { ...k, curve: points } : k)) };
  const bus = view.buses.find((b) => b.row === of && b.from === id) ?? { id: `${of} ${id}`, row: of, from: id };
  return { ...view, buses: [...view.buses.filter((b) => b.id !== bus.id), { ...bus, curves: { ...bus.curves, [what]: points } }] };
}

/** The reel with an edit laid over it. */
export function laidOver(view: ReelView, p: Pending): ReelView {
  if (p.command) return withClips(withCommand(view, p.command), p.clips ?? new Map());
  const outputs = new Set(view.outputs.map((o) => o.id));
  const tied = new Set(view.knots.map((k) => `${k.row} ${k.from} ${k.output}`));
  const fresh = (p.ties ?? []).filter((x) => outputs.has(x.output) && !tied.has(`${x.row} ${x.from} ${x.output}`));
  return fresh.length === 0
    ? view
    : withKnots(
        view,
        fresh.map((x) => ({ ...x, channel: 0, gainDB: 0 })),
      );
}
