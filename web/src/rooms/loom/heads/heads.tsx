import { ChevronDown, ChevronRight, Spline } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { memo, useEffect, useState, type MouseEvent, type ReactNode, type RefObject } from "react";

import type { Bus, Chain, Clip, ReelView, Take, Track } from "../../../api/client";
import type { Tap } from "../../../listen/player";
import { keyOf, keySign } from "../../../ui/keys";
import { StemTag } from "../../../ui/stem";
import type { BandRow } from "../ground/band";
import { BusLevel } from "../ground/buslevel";
import { movingOf } from "../ground/curves";
import { headsWidth } from "../ground/geometry";
import { RowPad } from "../chosen/panpad";
import { laneHeight, rowsIn, type FolderRow, type Rows, type TrackRow } from "../ground/rows";
import { back } from "../../../ui/focus";
import { topOf } from "../../../draw/canvas";
import { quiet } from "../../../ui/quiet";
import { useSize } from "../../../ui/size";

/** What a head does. The functions stay the same from one rendering to the next. */
export type HeadActs = {
  /** Chooses a track; with Shift up to it, with Ctrl beside those that are chosen. */
  select: (track: string, how: "alone" | "beside" | "up to") => void;
  stem: (track: string, stem: string) => void;
  mute: (track: string, on: boolean) => void;
  solo: (track: string) => void;
  drag: (track: string, e: React.DragEvent, what: "start" | "over" | "drop") => void;
  lane: (track: string, clip: string, channel: number) => void;
  laneOff: (clip: string, channel: number, off: boolean) => void;
  /** What opens from the small pad of a track. */
  place: (track: Track) => ReactNode;
  /** Opens the chain of a track. */
  chain: (track: string) => void;
};

type HeadProps = {
  stems: ReelView["stems"];
  row: TrackRow;
  opened: Clip | undefined; // the clip whose channels stand beside
  take: Take | undefined; // its take
  lane: number; // the chosen channel, −1 for none
  origin: string; // roll and channels of the take, such as LF03 4
  selected: boolean;
  soloed: boolean;
  alone: boolean;
  chain: Chain | undefined;
  acts: HeadActs;
};

const sameHead = (a: HeadProps, b: HeadProps) =>
  a.stems === b.stems &&
  a.row.track === b.row.track &&
  a.row.y === b.row.y &&
  a.row.height === b.row.height &&
  a.row.body === b.row.body &&
  a.opened === b.opened &&
  a.take === b.take &&
  a.lane === b.lane &&
  a.origin === b.origin &&
  a.selected === b.selected &&
  a.soloed === b.soloed &&
  a.chain === b.chain &&
  a.alone === b.alone;

/** The head of a track: its stem (a suggestion until it is kept), its name, mute and solo. */
export const TrackHead = memo(function TrackHead(p: HeadProps) {
  const t = p.row.track;
  const loose = t.labels.length > 1 && t.labels.every((l) => l === "M");
  const width =
    t.labels.length === 1
      ? "mono"
      : loose
        ? `${t.labels.length} monos`
        : t.labels.length === 2
          ? "stereo, bonded"
          : `${t.labels.length} channels, bonded`;
  const low = p.row.body < 34;
  const moving = movingOf(t);
  const choose = (e: MouseEvent) => p.acts.select(t.id, e.shiftKey ? "up to" : e.ctrlKey || e.metaKey ? "beside" : "alone");
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: what has the focus, and the keys, is another element
    // biome-ignore lint/a11y/useKeyWithClickEvents: what has the focus, and the keys, is another element
    <div
      className={`absolute inset-x-0 border-b border-line ${p.selected ? "border-l-4 border-l-zest bg-paper" : t.folder ? "border-l-4 border-l-band" : ""}`}
      style={{ top: p.row.y, height: p.row.height }}
      data-low={low || undefined}
      onClick={choose}
      draggable
      onDragStart={(e) => p.acts.drag(t.id, e, "start")}
      onDragOver={(e) => p.acts.drag(t.id, e, "over")}
      onDrop={(e) => p.acts.drag(t.id, e, "drop")}
    >
      <div
        className={`flex items-center gap-1.5 pr-2 ${p.selected || t.folder ? "pl-2" : "pl-3"}`}
        style={{ height: p.row.body }}
        role="group"
        aria-label={`Track ${t.name}`}
      >
        <DropdownMenu.Root>
          <DropdownMenu.Trigger
            className="cursor-pointer rounded"
            aria-label={`Stem of ${t.name}: ${t.stem}${t.suggested ? ", suggested" : ""}`}
            title={
              t.suggested
                ? `A suggestion: ${keySign(keyOf("confirm"))} keeps it, ${keySign(keyOf("stem"))} takes the next stem`
                : `Stem: ${keyOf("stem")} takes the next one`
            }
          >
            <StemTag stem={t.stem} suggested={t.suggested} low={low} />
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4}>
              {p.stems.map((s) => (
                <DropdownMenu.Item key={s.id} className="menu-item" onSelect={() => p.acts.stem(t.id, s.id)}>
                  <StemTag stem={s.id} /> {s.name}
                  {t.suggested && s.id === t.stem && <span className="ml-auto text-muted">keep</span>}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
        <button className="min-w-0 grow cursor-pointer text-left" aria-pressed={p.selected}>
          <span
            className={`block truncate font-semibold ${low ? "text-[12px] leading-[16px]" : ""} ${t.mute ? "text-muted line-through" : ""}`}
            title={t.name}
          >
            {t.name}
          </span>
          {!low && (
            <span className="block truncate text-[11px] text-muted" title={p.origin && `From ${p.origin}`}>
              {p.alone ? "listening to it alone" : [t.strand, width, p.origin, t.suggested && "stem suggested"].filter(Boolean).join(" · ")}
            </span>
          )}
        </button>
        {!low && <RowPad track={t}>{() => p.acts.place(t)}</RowPad>}
        {p.chain && <Stitches chain={p.chain} name={t.name} onOpen={() => p.acts.chain(t.id)} />}
        {moving.length > 0 && (
          <span
            className="shrink-0 text-muted"
            role="img"
            aria-label={`Moves by curves: ${moving.join(", ")}`}
            title={`Moves by curves: ${moving.join(", ")}`}
          >
            <Spline size={low ? 11 : 13} />
          </span>
        )}
        <Round
          low={low}
          on={t.mute}
          label={`Mute ${t.name}`}
          hint={`Mute: it is not printed either (${keySign(keyOf("mute"))})`}
          onClick={() => p.acts.mute(t.id, !t.mute)}
        >
          M
        </Round>
        <Round
          low={low}
          on={p.soloed}
          label={`Solo ${t.name}`}
          hint={`Solo: for listening only, prints are not changed (${keySign(keyOf("solo"))})`}
          onClick={() => p.acts.solo(t.id)}
        >
          S
        </Round>
      </div>
      {p.opened?.channels.slice(0, p.row.lanes).map((ch, i) => {
        const name = p.take?.channels[ch]?.name || `Channel ${ch + 1}`;
        const off = p.opened!.lanes?.[i]?.off ?? false;
        return (
          <div
            key={i}
            className={`flex items-center gap-2 pl-10 pr-2 text-[12px] ${p.lane === i ? "bg-band font-semibold" : "text-muted"}`}
            style={{ height: laneHeight }}
          >
            <button
              className="min-w-0 grow cursor-pointer truncate text-left"
              aria-label={`Channel ${name}`}
              aria-pressed={p.lane === i}
              onClick={(e) => (e.stopPropagation(), p.acts.lane(t.id, p.opened!.id, i))}
            >
              <span className="tc mr-1.5 text-[11px]">{ch + 1}</span>
              {name}
            </button>
            <button
              className={`tc h-[20px] shrink-0 cursor-pointer rounded-full border px-1.5 text-[11px]
                ${off ? "border-ink bg-ink text-ground" : "border-line bg-paper"}`}
              aria-pressed={off}
              aria-label={`${name} off`}
              onClick={(e) => (e.stopPropagation(), p.acts.laneOff(p.opened!.id, i, !off))}
            >
              off
            </button>
          </div>
        );
      })}
    </div>
  );
}, sameHead);

/** What a track goes through, as stitches on its thread; those that do nothing are open. */
function Stitches({ chain, name, onOpen }: { chain: Chain; name: string; onOpen: () => void }) {
  const n = chain.steps.length;
  const words = `${n} ${n === 1 ? "processor" : "processors"}${chain.off ? ", off" : ""}`;
  return (
    <button
      className="flex h-6 shrink-0 cursor-pointer items-center rounded px-0.5 hover:bg-ground"
      aria-label={`Chain of ${name}: ${words}`}
      title={`Chain: ${words}. Press to open it (${keySign(keyOf("chain"))})`}
      onClick={(e) => (e.stopPropagation(), onOpen())}
    >
      {chain.steps.slice(0, 3).map((s) => (
        <span
          key={s.id}
          className={`ml-[2px] h-[8px] w-[8px] rounded-full border-[1.5px] border-ink first:ml-0 ${s.off || chain.off ? "border-dotted" : "bg-paper"}`}
        />
      ))}
      {n > 3 && <span className="tc ml-0.5 text-[10px]">{n}</span>}
    </button>
  );
}

/** How far beyond what is in view heads are there as well, in pixels: what is scrolled in stands there already. */
const margin = 500;

/** The heads of all rows; those that are far out of view are not there. */
export function Heads({
  rows,
  scroller,
  track,
  folder,
}: {
  rows: Rows;
  scroller: RefObject<HTMLElement | null>;
  track: (r: TrackRow) => React.ReactNode;
  folder: (r: FolderRow) => React.ReactNode;
}) {
  const [[from, to], setShown] = useState<[number, number]>([0, 60]);
  const { height } = useSize(scroller, { width: 0, height: 0 });
  useEffect(() => {
    const box = scroller.current!;
    const look = () =>
      setShown((was) => {
        const now = rowsIn(rows, topOf(box) - margin, topOf(box) + height + margin);
        return was[0] === now[0] && was[1] === now[1] ? was : now;
      });
    look();
    box.addEventListener("scroll", look, { passive: true });
    return () => box.removeEventListener("scroll", look);
  }, [rows, scroller, height]);
  return (
    <div
      className="relative shrink-0 border-r border-line"
      style={{ width: headsWidth, height: Math.max(rows.height, 1) }}
      role="group"
      aria-label="Tracks"
    >
      {rows.list.slice(from, to).map((r) => (r.kind === "folder" ? folder(r) : track(r)))}
    </div>
  );
}

/** The head of a folder: opens and shuts it. */
export const FolderHead = quiet(function FolderHead({ row, onFold }: { row: FolderRow; onFold: () => void }) {
  return (
    <button
      className="absolute inset-x-0 flex cursor-pointer items-center gap-1.5 border-b border-line bg-band pl-2 pr-2 text-left text-[12px]"
      style={{ top: row.y, height: row.height }}
      aria-expanded={!row.folded}
      onClick={onFold}
    >
      {row.folded ? <ChevronRight size={14} /> : <ChevronDown size={14} />}
      <b className="truncate font-semibold">{row.name}</b>
      <span className="text-muted">{row.tracks.length === 1 ? "1 track" : `${row.tracks.length} tracks`}</span>
    </button>
  );
});

function Round(p: { on: boolean; low: boolean; label: string; hint: string; onClick: () => void; children: string }) {
  return (
    <button
      className={`tc shrink-0 cursor-pointer rounded-full border
        ${p.low ? "h-4 w-4 text-[9px] leading-none" : "h-[22px] w-[22px] text-[11px]"}
        ${p.on ? "border-ink bg-ink text-ground" : "border-line bg-paper hover:border-muted"}`}
      aria-pressed={p.on}
      aria-label={p.label}
      title={p.hint}
      onClick={(e) => {
        e.stopPropagation();
        p.onClick();
      }}
    >
      {p.children}
    </button>
  );
}

const kinds: Record<BandRow["row"], string> = { stem: "Stem", strand: "Strand", mix: "Mix", track: "Track", group: "Group" };

/** The head of a row of the band: it is listened to by a press; a stem with strands opens to show them. */
export const BandHead = quiet(function BandHead({
  row,
  height,
  on,
  opened,
  does,
  onTap,
  onOpen,
  onLevel,
}: {
  row: BandRow;
  height: number;
  on: boolean;
  opened: boolean;
  does: Bus | undefined;
  onTap: (t: Tap) => void;
  onOpen: () => void;
  onLevel: () => void;
}) {
  return (
    <div
      className="group/bus flex items-center pr-1.5 hover:bg-paper"
      style={{ height }}
      data-low={height < 24 || undefined}
      role="group"
      aria-label={`${kinds[row.row]} ${row.name}`}
    >
      {row.strands > 0 ? (
        <button
          className="flex h-full w-6 cursor-pointer items-center justify-center text-muted hover:text-ink"
          aria-expanded={opened}
          aria-label={`Strands of ${row.name}`}
          title={opened ? "Put its strands away" : `Show its ${row.strands === 1 ? "strand" : `${row.strands} strands`}`}
          onClick={onOpen}
        >
          {opened ? <ChevronDown size={13} /> : <ChevronRight size={13} />}
        </button>
      ) : (
        <span className={row.row === "strand" ? "w-11" : "w-6"} />
      )}
      <button
        className="flex h-full min-w-0 grow cursor-pointer items-center gap-2 pr-2 text-left"
        aria-pressed={on}
        title={`Listen to ${row.name} alone`}
        onClick={() => onTap({ kind: row.row, id: row.id })}
      >
        {row.row === "stem" && <StemTag stem={row.id} low={height < 24} />}
        {row.row === "group" && <span className="tc rounded border border-muted px-1 text-[11px] text-muted">out</span>}
        {row.row === "mix" && <span className="tc rounded border border-muted px-1 text-[11px] text-muted">mix</span>}
        <span
          className={`truncate ${height < 24 ? "text-[12px]" : row.row === "strand" ? "text-[13px]" : ""} ${row.row === "strand" ? "" : "font-semibold"}`}
        >
          {row.name}
        </span>
        {on && <span className="ml-auto text-[11px] text-muted">listening</span>}
      </button>
      <BusLevel name={row.name} does={does} onOpen={onLevel} />
    </div>
  );
});
