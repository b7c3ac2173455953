// The weave: rows run into it from the left, output channels are its columns, knots are where they meet.
import { Popover } from "radix-ui";
import { memo, useMemo, useRef, useState } from "react";

import type { Command, Knot, Output, ReelView, Row } from "../../api/client";
import type { useReelEdits } from "../../api/hooks";
import { thread } from "../../draw/canvas";
import { useDraft } from "../../ui/draft";
import { labelsOf } from "./band";
import { findingOf, knotsOf, routeOf } from "./byrow";
import { columnWidth, columnX, weavePad, weaveWidth } from "./geometry";
import { figure, gains } from "./numbers";

type Edits = Pick<ReturnType<typeof useReelEdits>, "command" | "tie">;

export const shownGain = (dB: number) => (Math.abs(dB) < 0.05 ? "0" : `${dB > 0 ? "+" : "−"}${Math.abs(dB).toFixed(Math.abs(dB) % 1 < 0.05 || Math.abs(dB) % 1 > 0.95 ? 0 : 1)}`);

const groupName = (view: ReelView, o: Output) => view.groups.find((g) => g.id === o.group)?.name ?? o.group;

export const outputName = (view: ReelView, o: Output) => `${groupName(view, o)} ${o.label}`;

/** The columns that are in view, and a few on either side. */
export type Columns = { first: number; end: number };

/** The columns that lie in so much of the weave. The same columns are the same object, so that rows stay as they are. */
export function columnsIn(from: number, width: number, was: Columns | undefined): Columns {
  const first = Math.max(0, Math.floor((from - weavePad) / columnWidth) - 2);
  const end = Math.ceil((from + width - weavePad) / columnWidth) + 2;
  return was?.first === first && was.end === end ? was : { first, end };
}

const inView = <T,>(list: readonly T[], c: Columns): [T, number][] => list.slice(c.first, c.end).map((x, i) => [x, c.first + i]);

type Cell = { knots: Knot[]; reach: number | null; fed: boolean; twice: boolean; finding: string; fix?: { name: string; command: Command } };

export function cellsOf(view: ReelView, row: Row, id: string): Cell[] {
  const feeds = new Set(view.groups.filter((g) => g.feed?.row === row && g.feed.from === id).map((g) => g.id));
  return view.outputs.map((o) => {
    const route = row === "track" ? routeOf(view, id, o.id) : undefined;
    return {
      knots: knotsOf(view, row, id, o.id),
      reach: route?.gainDB ?? null,
      fed: feeds.has(o.group),
      twice: route?.twice ?? false,
      finding: row === "track" ? (findingOf(view, id, o.id)?.message ?? "") : "",
      fix: row === "track" ? findingOf(view, id, o.id)?.fix : undefined,
    };
  });
}

type RowProps = { view: ReelView; row: Row; id: string; name: string; stem: string; index: number; edits: Edits; muted: boolean; height: number; columns: Columns; onReach: (row: number, column: number) => void };

/** What of a reel a row of the weave shows. Most edits leave all of it as it was, and then no row is drawn again. */
const shows = ["outputs", "routes", "knots", "findings", "groups", "stems", "mixes", "tracks"] as const satisfies readonly (keyof ReelView)[];
const same = (a: RowProps, b: RowProps) =>
  shows.every((k) => a.view[k] === b.view[k]) && a.row === b.row && a.id === b.id && a.name === b.name && a.stem === b.stem && a.index === b.index && a.muted === b.muted && a.height === b.height && a.columns === b.columns && a.edits === b.edits;

export const WeaveRow = memo(function WeaveRow(p: RowProps) {
  const { view } = p;
  const cells = useMemo(() => cellsOf(view, p.row, p.id), [view.outputs, view.groups, view.routes, view.knots, view.findings, p.row, p.id]); // eslint-disable-line react-hooks/exhaustive-deps
  const { height } = p;
  const dyed = `var(--dye-${p.stem}, var(--ink))`;
  const last = cells.findLastIndex((c) => c.knots.length > 0 || c.fed || c.reach !== null);
  const width = weaveWidth(view.outputs.length);
  return (
    <div className="relative" style={{ height, width }} role="row" aria-label={p.name}>
      <svg className="absolute inset-0" width={width} height={height} aria-hidden opacity={p.muted ? 0.35 : 1}>
        {inView(view.outputs, p.columns).map(([o, i]) => (
          <line key={o.id} x1={columnX(i)} x2={columnX(i)} y1={0} y2={height} stroke="var(--warp)" strokeWidth={1.5} />
        ))}
        {last >= 0 &&
          inView(cells.slice(0, last + 1), p.columns).map(([c, i]) => {
            // The row's thread lies over the columns that it feeds and passes under the others.
            const x = columnX(i);
            const over = c.knots.length > 0 || c.fed || c.reach !== null;
            const from = i === 0 ? 0 : x - columnWidth / 2;
            const to = i === last ? x : x + columnWidth / 2;
            const dash = { strokeDasharray: thread(p.stem).join(" ") || undefined, stroke: dyed, strokeWidth: p.row === "stem" || p.row === "mix" ? 3 : 1.75 };
            const y = height / 2;
            return over ? (
              <line key={i} x1={from} x2={to} y1={y} y2={y} {...dash} />
            ) : (
              <g key={i}>
                <line x1={from} x2={x - 5} y1={y} y2={y} {...dash} />
                <line x1={x + 5} x2={to} y1={y} y2={y} {...dash} />
              </g>
            );
          })}
      </svg>
      {inView(view.outputs, p.columns).map(([o, i]) => (
        <WeaveCell key={o.id} {...p} output={o} column={i} cell={cells[i]!} height={height} dyed={dyed} />
      ))}
    </div>
  );
}, same);

function WeaveCell(p: RowProps & { output: Output; column: number; cell: Cell; dyed: string }) {
  const { cell } = p;
  const [open, setOpen] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const tied = cell.knots.length > 0;
  const where = outputName(p.view, p.output);
  const gain = cell.knots[0]?.gainDB ?? 0;
  const state = tied ? `tied at ${shownGain(gain)} dB${cell.knots[0]!.invert ? ", polarity turned" : ""}` : cell.fed ? "feeds the whole group" : cell.reach !== null ? `reached at ${shownGain(cell.reach)} dB through its stem` : "not tied";
  const clear = () => tied && void p.edits.command({ kind: "clearKnots", command: { row: p.row, from: p.id, output: p.output.id } });
  // A cell out of view comes into it by being looked for: the weave slides until it is there.
  const move = (rows: number, columns: number) => p.onReach(p.index + rows, p.column + columns);
  return (
    <>
      <button
        ref={button}
        role="gridcell"
        data-cell={`${p.index}:${p.column}`}
        className="group absolute top-0 flex cursor-pointer items-center justify-center outline-offset-[-3px]"
        style={{ left: columnX(p.column) - columnWidth / 2, width: columnWidth, height: p.height }}
        aria-label={`${p.name} to ${where}: ${state}${cell.finding && `. ${cell.finding}`}`}
        title={cell.finding || `${p.name} → ${where}: ${state}`}
        onClick={() => (tied || cell.fed || cell.reach !== null || cell.finding ? setOpen(true) : void p.edits.tie(p.row, p.id, p.output.id))}
        onKeyDown={(e) => {
          const by = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] }[e.key];
          if (by) {
            e.preventDefault();
            move(by[0]!, by[1]!);
          } else if (e.key === "Delete" || e.key === "Backspace") {
            e.preventDefault();
            clear();
          }
        }}
      >
        <KnotMark cell={cell} dyed={p.dyed} muted={p.muted} stem={p.stem} strong={p.row === "stem" || p.row === "mix"} />
      </button>
      {/* There are hundreds of cells: one has a popover only while it is open. */}
      {open && (
        <Popover.Root open onOpenChange={setOpen}>
          <Popover.Anchor virtualRef={button as React.RefObject<HTMLButtonElement>} />
          <Popover.Portal>
            <Popover.Content className="card z-50 w-72 p-3.5 text-[13px]" sideOffset={-6} collisionPadding={10} onOpenAutoFocus={(e) => !tied && e.preventDefault()} onCloseAutoFocus={(e) => (e.preventDefault(), button.current?.focus())}>
              <p className="font-bold">
                {p.name} → {where}
              </p>
              {cell.finding && <p className="mt-1 text-wrong">{cell.finding}.</p>}
              {cell.fix && (
                <button
                  className="pill-act mt-2"
                  onClick={() => {
                    void p.edits.command(cell.fix!.command);
                    setOpen(false);
                  }}
                >
                  {cell.fix.name}
                </button>
              )}
              {cell.reach !== null && p.row === "track" && (
                <p className="mt-1 text-muted">
                  Arrives at <span className="tc text-ink">{shownGain(cell.reach)} dB</span>
                  {tied ? (cell.twice ? ", by its stem and by this knot together." : ".") : " through its stem. Change that at the stem's own knot below, or in the track's feed."}
                </p>
              )}
              {cell.fed && <p className="mt-1 text-muted">It feeds {groupName(p.view, p.output)}, channel by channel. Change that in the lists, under Weave.</p>}
              {cell.knots.map((k) => {
                const set = (part: Partial<Knot>) => p.edits.command({ kind: "setKnots", command: { knots: [{ row: k.row, from: k.from, channel: k.channel, output: k.output, gainDB: k.gainDB, invert: k.invert, ...part }] } });
                return (
                  <div key={k.id}>
                    <GainField knot={k} labels={labelsOf(p.view, p.row, p.id)} onGain={(gainDB) => set({ gainDB })} />
                    <label className="mt-1 flex cursor-pointer items-center gap-1.5 text-muted">
                      <input type="checkbox" className="accent-act" checked={k.invert ?? false} onChange={(e) => void set({ invert: e.target.checked })} /> polarity turned
                    </label>
                  </div>
                );
              })}
              <div className="mt-3 flex gap-2">
                {tied ? (
                  <button
                    className="pill"
                    onClick={() => {
                      clear();
                      setOpen(false);
                    }}
                  >
                    Clear the knot
                  </button>
                ) : (
                  <button
                    className="pill"
                    onClick={() => {
                      void p.edits.tie(p.row, p.id, p.output.id);
                      setOpen(false);
                    }}
                  >
                    Tie it here itself
                  </button>
                )}
              </div>
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
      )}
    </>
  );
}

/** A gain in dB that is set when the field is left or Enter is pressed. */
export function GainField(p: { knot: Knot; labels?: string[]; onGain: (dB: number) => void }) {
  const { field, refused } = useDraft(String(p.knot.gainDB), figure(p.onGain, ...gains));
  return (
    <label className="mt-2 flex flex-wrap items-center justify-between gap-x-3">
      <span className="text-muted">Gain{p.labels && p.labels.length > 1 && ` of ${p.labels[p.knot.channel]}`}</span>
      <span className="flex items-center gap-1.5">
        <input
          className="field tc h-7 w-20 text-right"
          inputMode="decimal"
          {...field}
        />
        dB
      </span>
      {refused && (
        <span role="alert" className="w-full text-[12px] text-wrong">
          {refused}
        </span>
      )}
    </label>
  );
}

function KnotMark({ cell, dyed, muted, stem, strong }: { cell: Cell; dyed: string; muted: boolean; stem: string; strong: boolean }) {
  const opacity = muted ? 0.35 : 1;
  if (cell.knots.length > 0) {
    const gain = cell.knots[0]!.gainDB;
    const text = (Math.abs(gain) < 0.05 ? "" : shownGain(gain)) + (cell.knots[0]!.invert ? "ø" : "");
    return (
      <span
        className={`tc flex items-center justify-center rounded-full text-[9px] font-bold ${strong || text ? "h-[19px] min-w-[19px]" : "h-3.5 w-3.5"} ${cell.finding ? "outline-2 outline-dashed outline-offset-2 outline-wrong" : ""}`}
        style={{ background: dyed, color: stem === "DX" ? "var(--on-DX)" : "var(--on-dye)", opacity }}
      >
        {text}
      </span>
    );
  }
  if (cell.finding) {
    return <span className="flex h-4 w-4 items-center justify-center rounded-full border-2 border-dashed border-wrong bg-ground text-[10px] font-bold text-wrong">?</span>;
  }
  if (cell.fed || cell.reach !== null) return <span className="h-3 w-3 rounded-full border-[2.5px] bg-ground" style={{ borderColor: dyed, opacity }} />;
  return <span className="h-2.5 w-2.5 rounded-full border-2 border-transparent group-hover:border-muted group-focus-visible:border-muted" />;
}
