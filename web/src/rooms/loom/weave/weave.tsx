// The weave: rows run into it from the left, output channels are its columns, knots are where they meet. It is painted; the
// crossing that keys go to, and the one under the pointer, are elements of the page as well.
import { useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent, type RefObject } from "react";

import type { ReelView } from "../../../api/client";
import { fit, topOf } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import type { BandRow } from "../ground/band";
import { along, bandLines, block, cellLabel, cellOf, lineKey, trackLines, type Cell, type Line, type Place } from "../ground/cells";
import { columnAt, layColumns } from "../ground/columns";
import { KnotCard } from "./knotcard";
import { Pinned } from "../ground/pinned";
import { useSlid } from "./reed";
import type { Rows } from "../ground/rows";
import { useLoom, useLoomStore } from "../ground/state";
import { tying, type Edits } from "./tying";
import { paintWeave } from "./weavepaint";
import { usePress, type At } from "../../../ui/press";
import type { Weave } from "./tying";

export function useWeave(view: ReelView, rows: Rows, band: BandRow[], bandRow: number, chosen: ReadonlySet<string>, edits: Edits): Weave {
  const foldedGroups = useLoom((s) => s.foldedGroups);
  const columns = useMemo(
    () => layColumns({ groups: view.groups, outputs: view.outputs }, new Set(foldedGroups)),
    [view.groups, view.outputs, foldedGroups],
  );
  const tracks = useMemo(() => trackLines(rows), [rows]);
  const lines = useMemo(() => [...tracks, ...bandLines(band, bandRow)], [tracks, band, bandRow]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: cells are made of no more of a reel
  const cells = useMemo(() => {
    const known = new Map<string, Cell[]>();
    return (line: Line) => {
      const key = lineKey(line);
      const there = known.get(key) ?? columns.list.map((c) => cellOf(view, line, c));
      known.set(key, there);
      return there;
    };
  }, [view.outputs, view.groups, view.routes, view.knots, view.findings, columns]);
  return {
    view,
    lines,
    tracks: tracks.length,
    columns,
    cells,
    tying: tying({ view, lines, columns, chosen, edits }),
    command: edits.command,
    chosen,
  };
}

type Drag = { from: Place; to: Place; block: boolean; moved: boolean };

const none: Place[] = [];

type PartProps = {
  weave: Weave;
  part: "tracks" | "band";
  label: string;
  shown: number; // width in pixels
  height: number;
  scroller?: RefObject<HTMLElement | null>;
  /** Slides the weave until a column is in view. */
  onReach: (column: number) => void;
};

/** The crossings of the tracks, or of the band. Both are parts of one weave, and arrow keys go from one into the other. */
export function WeavePart(p: PartProps) {
  const { weave, part } = p;
  const { lines, columns, tying } = weave;
  const store = useLoomStore();
  const slid = useSlid(p.shown, columns.width);
  const first = part === "tracks" ? 0 : weave.tracks;
  const own = useMemo(() => (part === "tracks" ? lines.slice(0, weave.tracks) : lines.slice(weave.tracks)), [lines, weave.tracks, part]);
  const at = useLoom((s) => s.at);
  const corner = useLoom((s) => s.corner);
  const card = useLoom((s) => s.card);
  const [pointed, setPointed] = useState<Place | null>(null);
  const [drag, setDrag] = useState<Drag | null>(null);
  const focus = { line: Math.min(at.line, lines.length - 1), column: Math.min(at.column, columns.list.length - 1) };
  // Rows and columns come, go and fold while something is chosen, pointed at or dragged: what is no longer there is none of it.
  const there = (x: Place) => x.line < lines.length && x.column >= 0 && x.column < columns.list.length;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is there is asked of lines and columns
  const chosen = useMemo(() => (corner ? block(at, corner).filter(there) : none), [at, corner, lines, columns]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: as it is dragged; knots are those of that moment
  const ghosts = useMemo(() => {
    if (!drag?.moved) return { places: none, clears: false };
    const places = (drag.block ? block(drag.from, drag.to) : tying.widened(along(drag.from, drag.to))).filter(there);
    return { places, clears: !drag.block && there(drag.from) && clears(tying, drag.from) };
  }, [drag, lines, columns]);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s)
        paintWeave(s.g, s.width, s.height, topOf(p.scroller?.current), {
          lines: own,
          first,
          columns,
          cells: weave.cells,
          slid,
          chosen: weave.chosen,
          places: chosen,
          ghosts,
          pointed,
        });
    },
    [own, columns, weave.cells, slid, p.shown, weave.chosen, chosen, ghosts, pointed],
    p.scroller,
  );
  const box = useRef<HTMLDivElement>(null);

  const placeAt = (e: { clientX: number; clientY: number }): Place | null => {
    const r = box.current!.getBoundingClientRect();
    const y = e.clientY - r.top;
    const line = own.findIndex((l) => y >= l.y && y < l.y + l.height);
    const column = columnAt(columns, e.clientX - r.left + slid);
    return line < 0 || column < 0 ? null : { line: first + line, column };
  };
  const choose = (place: Place, to: Place | null, card: boolean) => store.setState({ at: place, corner: to, card });

  const latest = useRef({ tying, there, placeAt, press: (_: Place, _block?: boolean) => {} }); // as it is when the hand lets go
  const hands = usePress(
    (at) => {
      const from = placeAt(at);
      if (!from) return null;
      const block = at.shiftKey;
      let d: Drag = { from, to: from, block, moved: false };
      const become = (to: At) => {
        const place = latest.current.placeAt(to);
        if (place && !same(place, d.to)) d = { ...d, to: place, moved: true };
        return d;
      };
      return {
        slack: 0,
        drag: (to) => setDrag(become(to)),
        drop: (to) => {
          setDrag(null);
          drop(become(to));
        },
        cancel: () => setDrag(null),
      };
    },
    (at) => {
      const place = at && placeAt(at);
      if (place?.line !== pointed?.line || place?.column !== pointed?.column) setPointed(place);
    },
  );
  const drop = ({ from, to, block, moved }: Drag) => {
    const { tying, there } = latest.current;
    if (!there(from) || !there(to)) return;
    if (!moved) return latest.current.press(from, block);
    if (block) return choose(to, from, true);
    choose(to, null, false);
    const places = tying.widened(along(from, to)).filter(there);
    if (clears(tying, from)) tying.clear(places);
    else tying.tie(places);
  };
  /** Ties what is free; what is there already, or a block, is shown with what can be done with it. */
  const press = (place: Place, extends_ = false) => {
    if (extends_) return choose(place, corner ?? focus, true);
    if (corner && chosen.some((x) => x.line === place.line && x.column === place.column)) return store.setState({ card: true });
    const ties = tying.ties(place);
    choose(place, null, !ties);
    if (ties) tying.tie(tying.widened([place]));
  };
  latest.current = { tying, there, placeAt, press };

  const key = (e: KeyboardEvent) => {
    const by = (
      {
        ArrowUp: [-1, 0],
        ArrowDown: [1, 0],
        ArrowLeft: [0, -1],
        ArrowRight: [0, 1],
        PageUp: [-8, 0],
        PageDown: [8, 0],
        Home: [0, -1e6],
        End: [0, 1e6],
      } as Record<string, [number, number]>
    )[e.key];
    if (by && !e.ctrlKey && !e.metaKey && !e.altKey) {
      e.preventDefault();
      const to = { line: bounded(focus.line + by[0], lines.length), column: bounded(focus.column + by[1], columns.list.length) };
      // At the edge nothing is drawn anew: the focus would go there with what is drawn next, wherever it is by then.
      store.setState({ at: to, corner: e.shiftKey ? (corner ?? focus) : null, card: false, walked: !same(to, focus) });
      p.onReach(to.column);
    } else if (e.key === "Delete" || e.key === "Backspace") {
      e.preventDefault();
      tying.clear(corner ? chosen : tying.widened([focus]));
    } else if (e.key === "Escape" && corner) {
      e.preventDefault();
      store.setState({ corner: null, card: false });
    } else if (e.key === "Enter") {
      // Space plays, here as everywhere
      e.preventDefault();
      press(focus);
    }
  };

  const here = (x: Place) => x.line >= first && x.line < first + own.length && x.column >= 0;
  const stop = here(focus) ? focus : { line: first, column: focus.column };
  const spots = [stop, ...(pointed && here(pointed) && !same(pointed, stop) ? [pointed] : [])];
  return (
    <div
      ref={box}
      role="grid"
      aria-label={p.label}
      aria-rowcount={own.length}
      aria-colcount={columns.list.length}
      aria-multiselectable
      className="relative h-full touch-none select-none"
      style={{ width: p.shown, minHeight: p.height }}
      {...hands}
      onKeyDown={key}
    >
      {p.scroller ? (
        <Pinned scroller={p.scroller}>
          <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
        </Pinned>
      ) : (
        <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      )}
      {spots.filter(there).map((x) => (
        <Spot
          key={`${x.line}:${x.column}`}
          weave={weave}
          place={x}
          first={first}
          slid={slid}
          focused={same(x, focus)}
          scroller={p.scroller}
          chosen={chosen.some((c) => same(c, x)) ? chosen.length : 0}
        >
          {card &&
            same(x, focus) &&
            ((anchor) => (
              <KnotCard
                weave={weave}
                places={corner ? chosen : [focus]}
                corners={corner ? [corner, focus] : null}
                anchor={anchor}
                onClose={() => store.setState({ card: false })}
              />
            ))}
        </Spot>
      ))}
    </div>
  );
}

/** A drag from a knot clears, one from an empty crossing ties. */
const clears = (tying: Weave["tying"], from: Place) => tying.knots([from]).length > 0;

const same = (a: Place, b: Place) => a.line === b.line && a.column === b.column;
const bounded = (i: number, n: number) => Math.max(0, Math.min(n - 1, i));

/** One crossing as an element: where keys go, and where the pointer is. */
function Spot(p: {
  weave: Weave;
  place: Place;
  first: number;
  slid: number;
  focused: boolean;
  chosen: number;
  scroller?: RefObject<HTMLElement | null>;
  children: ((anchor: RefObject<HTMLDivElement | null>) => React.ReactNode) | false;
}) {
  const { view, columns } = p.weave;
  const line = p.weave.lines[p.place.line]!;
  const column = columns.list[p.place.column]!;
  const cell = p.weave.cells(line)[p.place.column]!;
  const el = useRef<HTMLDivElement>(null);
  const store = useLoomStore();
  useLayoutEffect(() => {
    if (!p.focused || !store.getState().walked) return;
    store.setState({ walked: false });
    el.current!.focus({ preventScroll: true });
    const box = p.scroller?.current;
    if (box && (line.y < box.scrollTop || line.y + line.height > box.scrollTop + box.clientHeight))
      box.scrollTop = Math.max(0, line.y - box.clientHeight / 2);
  });
  const label = cellLabel(view, line, column, cell);
  return (
    // biome-ignore lint/a11y/useFocusableInteractive: what has the focus, and the keys, is another element
    <div role="row" aria-rowindex={p.place.line - p.first + 1} aria-label={line.name} className="contents">
      <div
        ref={el}
        role="gridcell"
        aria-colindex={p.place.column + 1}
        aria-selected={p.chosen > 0 || undefined}
        tabIndex={p.focused ? 0 : -1}
        onFocus={() => !p.focused && store.setState({ at: p.place, corner: null, card: false })}
        className="absolute cursor-pointer outline-offset-[-2px]"
        style={{ left: column.x - p.slid, width: column.width, top: line.y, height: line.height }}
        aria-label={p.chosen > 1 ? `${label}. ${p.chosen} crossings are chosen` : label}
        title={cell.finding?.message ?? label}
      />
      {p.children ? p.children(el) : null}
    </div>
  );
}
