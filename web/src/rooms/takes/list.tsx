import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";

import type { Take } from "../../api/client";
import { dyeName } from "../../draw/canvas";
import { useActions } from "../../ui/keys";
import { stemOf } from "./reading";
import { bare } from "../../ui/bare";

type Item = { heading: string; about: string } | { take: Take };

const kinds = {
  music: "Music",
  effect: "Effects",
  recording: "Recordings without a roll",
  camera: "Camera movies",
  picture: "Picture",
} as const;

/** Ways of ordering the list. */
export const orders = { roll: "by roll", scene: "by scene", day: "by day", name: "by name" } as const;
export type Order = keyof typeof orders;

export function takeTitle(t: Take): string {
  const title = t.description.scene ? `${t.description.scene}, take ${t.description.take}` : bare(t.fileName);
  if (t.description.stream) return `${title}, ${t.description.stream}`;
  return t.stream > 0 ? `${title}, stream ${t.stream + 1}` : title;
}

/** Finds a take by its ID, or the one that has taken its place: its group, or it resampled. */
export const takeOf = (takes: readonly Take[] | undefined, id: string | undefined) =>
  takes?.find((t) => t.id === id) ?? takes?.find((t) => t.assembly?.files.some((f) => f.take === id));

/** What a search looks through. */
function words(t: Take): string {
  const d = t.description;
  return [d.scene, `take ${d.take}`, d.roll, d.note, t.fileName, ...saidBy(d), ...t.channels.map((c) => c.name)].join(" ").toLowerCase();
}

/** 9 before 12A before 100: numbers in names count as numbers. */
const natural = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

const headings: Record<Order, (t: Take) => string> = {
  roll: (t) => (t.description.roll && t.kind !== "camera" ? `Roll ${t.description.roll}` : kinds[t.kind]),
  scene: (t) => (t.description.scene ? `Scene ${t.description.scene}` : kinds[t.kind]),
  day: (t) => t.description.date || "No date",
  name: () => "All takes",
};

const sorts: Record<Order, (a: Take, b: Take) => number> = {
  roll: () => 0, // as the server has them: by roll and time
  scene: (a, b) =>
    Number(!a.description.scene) - Number(!b.description.scene) ||
    natural.compare(a.description.scene, b.description.scene) ||
    natural.compare(a.description.take, b.description.take),
  day: (a, b) =>
    Number(!a.description.date) - Number(!b.description.date) ||
    (a.description.date ?? "").localeCompare(b.description.date ?? "") ||
    (a.description.startSamples ?? 0) - (b.description.startSamples ?? 0),
  name: (a, b) => natural.compare(takeTitle(a), takeTitle(b)),
};

export function listed(takes: Take[], find: string, circled: boolean, order: Order = "roll"): Item[] {
  const wanted = find.toLowerCase().split(/\s+/).filter(Boolean);
  const groups = new Map<string, Take[]>();
  for (const t of [...takes].sort(sorts[order])) {
    if (circled && !t.description.circled) continue;
    const text = words(t);
    if (!wanted.every((w) => text.includes(w))) continue;
    const heading = headings[order](t);
    groups.set(heading, [...(groups.get(heading) ?? []), t]);
  }
  return [...groups].flatMap(([heading, list]) => [
    { heading, about: list.length === 1 ? "1 take" : `${list.length} takes` },
    ...list.map((take) => ({ take })),
  ]);
}

/** The takes from one to another in the order of the list, both with it. */
export function between(items: Item[], from: string, to: string): string[] {
  const ids = items.flatMap((i) => ("take" in i ? [i.take.id] : []));
  const [a, b] = [ids.indexOf(from), ids.indexOf(to)].sort((x, y) => x - y) as [number, number];
  return a < 0 ? [to] : ids.slice(a, b + 1);
}

/** shown is the take that is open; chosen are all that commands are about, of which it is one. */
export function TakeList(p: {
  takes: Take[] | undefined;
  shown: string | undefined;
  chosen: Set<string>;
  onChoose: (shown: string, chosen: string[]) => void;
  onBringIn: () => void;
  children?: React.ReactNode;
}) {
  const [find, setFind] = useState("");
  const [circled, setCircled] = useState(false);
  const [order, setOrder] = useState<Order>("roll");
  const items = useMemo(() => listed(p.takes ?? [], find, circled, order), [p.takes, find, circled, order]);
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: (i) => ("take" in items[i]! ? 40 : 36),
    overscan: 8,
  });
  const at = items.findIndex((i) => "take" in i && i.take.id === p.shown);
  const anchor = useRef(p.shown);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at);
  }, [at, rows]);
  const one = (id: string) => {
    anchor.current = id;
    p.onChoose(id, [id]);
  };
  const upTo = (id: string) => p.onChoose(id, between(items, anchor.current ?? p.shown ?? id, id));
  const press = (id: string, e: React.MouseEvent) => {
    if (e.shiftKey) return upTo(id);
    if (!e.ctrlKey && !e.metaKey) return one(id);
    anchor.current = id;
    const next = new Set(p.chosen);
    if (!next.delete(id)) next.add(id);
    if (next.size === 0) return;
    p.onChoose(next.has(id) ? id : [...next][0]!, [...next]);
  };
  // Rows keep their press handler, so that scrolling draws only the rows that come in.
  const latest = useRef(press);
  latest.current = press;
  const onPress = useCallback((id: string, e: React.MouseEvent) => latest.current(id, e), []);
  const step = (by: number, range: boolean) => {
    for (let i = at + by; i >= 0 && i < items.length; i += by) {
      const item = items[i]!;
      if ("take" in item) return range ? upTo(item.take.id) : one(item.take.id);
    }
  };
  // What is done to those chosen is done to no take that the search does not show.
  // biome-ignore lint/correctness/useExhaustiveDependencies: when what is listed has changed
  useEffect(() => {
    const listed = new Set(items.flatMap((i) => ("take" in i ? [i.take.id] : [])));
    const left = [...p.chosen].filter((id) => listed.has(id) || id === p.shown);
    if (p.shown && left.length < p.chosen.size) p.onChoose(p.shown, left);
  }, [items]);
  const idAt = (i: number) => {
    const item = items[i];
    return item && "take" in item ? item.take.id : undefined;
  };
  useActions({
    "all-takes": () => {
      const ids = items.flatMap((i) => ("take" in i ? [i.take.id] : []));
      if (ids.length > 0) p.onChoose(p.shown ?? ids[0]!, ids);
    },
  });
  return (
    <>
      <div className="flex flex-wrap items-center gap-2 px-4 py-3">
        <button className="pill-act" onClick={p.onBringIn}>
          Bring in…
        </button>
        <input
          className="field min-w-0 grow rounded-full"
          placeholder="Find scene, take, name, note"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          aria-label="Find takes"
        />
        {p.children}
        <div className="flex w-full items-center gap-2">
          <button
            className={`pill ${circled ? "border-ink font-semibold" : ""}`}
            aria-pressed={circled}
            onClick={() => setCircled(!circled)}
          >
            Circled
          </button>
          <select
            className="field h-7 rounded-full"
            aria-label="Order of the list"
            value={order}
            onChange={(e) => setOrder(e.target.value as Order)}
          >
            {(Object.keys(orders) as Order[]).map((o) => (
              <option key={o} value={o}>
                {orders[o]}
              </option>
            ))}
          </select>
          <span className="ml-auto text-[12px] text-muted">
            {p.chosen.size > 1 ? `${p.chosen.size} chosen` : "Shift or Ctrl chooses several"}
          </span>
        </div>
      </div>
      <div
        ref={box}
        className="min-h-0 grow overflow-auto"
        role="listbox"
        aria-label="Takes"
        aria-multiselectable
        aria-activedescendant={rows.getVirtualItems().some((v) => idAt(v.index) === p.shown) ? `take-${p.shown}` : undefined}
        tabIndex={0}
        onKeyDown={(e) => {
          if (e.key === "Escape" && p.shown) one(p.shown);
          if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
          e.preventDefault();
          step(e.key === "ArrowDown" ? 1 : -1, e.shiftKey);
        }}
      >
        {p.takes && p.takes.length > 0 && items.length === 0 && (
          <p className="px-4 py-6 text-muted">No take matches. Clear the search{circled && ", or show takes that are not circled"}.</p>
        )}
        <div className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((v) => {
            const item = items[v.index]!;
            if (!("take" in item)) {
              return (
                <div
                  key={v.key}
                  className="absolute inset-x-0 flex items-end gap-2 px-4 pb-1.5"
                  style={{ transform: `translateY(${v.start}px)`, height: v.size }}
                >
                  <b>{item.heading}</b>
                  <span className="text-[13px] text-muted">{item.about}</span>
                </div>
              );
            }
            return (
              <TakeRow
                key={item.take.id}
                take={item.take}
                on={p.chosen.has(item.take.id)}
                shown={item.take.id === p.shown}
                top={v.start}
                height={v.size}
                onPress={onPress}
              />
            );
          })}
        </div>
      </div>
    </>
  );
}

/** What the recorder said of a take, beside that it is circled. */
export function saidBy(d: Pick<Take["description"], "wild" | "noGood" | "falseStart">): string[] {
  return [d.wild && "Wild track", d.noGood && "No good", d.falseStart && "False start"].filter((s): s is string => !!s);
}

/** What stands behind a take's name: what the recorder said of it, and its timecode, or what it is. */
function about(t: Take): string {
  return [...saidBy(t.description), timeOrWidth(t)].join(", ");
}

function timeOrWidth(t: Take): string {
  // A recorder's single channels are told apart by their names.
  if (t.description.startTimecode)
    return t.channels.length === 1 && t.channels[0]!.name
      ? `${t.description.startTimecode} ${t.channels[0]!.name}`
      : t.description.startTimecode;
  const set = t.sets.find((s) => s.channels.length === t.channels.length);
  if (set?.kind === "field") return "sound field";
  if (set?.channels.length === 6) return "5.1";
  if (set?.channels.length === 8) return "7.1";
  return t.channels.length === 0
    ? "no sound"
    : t.channels.length === 1
      ? "mono"
      : t.channels.length === 2
        ? "stereo"
        : `${t.channels.length} channels`;
}

const TakeRow = memo(function TakeRow({
  take,
  on,
  shown,
  top,
  height,
  onPress,
}: {
  take: Take;
  on: boolean;
  shown: boolean;
  top: number;
  height: number;
  onPress: (id: string, e: React.MouseEvent) => void;
}) {
  const d = take.description;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: what has the focus, and the keys, is another element
    // biome-ignore lint/a11y/useFocusableInteractive: the list has the focus, not what is in it
    <div
      role="option"
      id={`take-${take.id}`}
      aria-selected={on}
      className={`absolute inset-x-0 flex cursor-pointer select-none items-center gap-2 border-t border-line pr-4
        ${on ? `border-l-4 bg-paper pl-2 ${shown ? "border-l-zest" : "border-l-muted"}` : "pl-3 hover:bg-paper"}`}
      style={{ transform: `translateY(${top}px)`, height, contain: "strict" }}
      onClick={(e) => onPress(take.id, e)}
    >
      <span className="w-5 shrink-0" title={d.circled ? "Circled take" : undefined}>
        {d.circled && <span className="block h-3.5 w-3.5 rounded-full border-2 border-ink" role="img" aria-label="circled" />}
      </span>
      {d.scene ? (
        <>
          <b className="w-12 shrink-0 truncate">{d.scene}</b>
          <span className="w-16 shrink-0 truncate">take {d.take}</span>
        </>
      ) : (
        <b className="w-[136px] shrink-0 truncate font-semibold">{takeTitle(take)}</b>
      )}
      {d.recovered ? (
        <span className="min-w-0 grow truncate text-[13px] font-semibold text-wrong">damaged, saved in part</span>
      ) : (
        <span className="tc min-w-0 grow truncate text-[13px] text-muted">{about(take)}</span>
      )}
      {take.assembly && take.assembly.kind !== "converted" && (
        <span
          className="tc shrink-0 rounded border border-line px-1 text-[11px] text-muted"
          title={`Made of ${take.assembly.files.length} files`}
        >
          {take.assembly.files.length} files
        </span>
      )}
      {take.tie && (
        <span
          className="shrink-0 text-[13px] text-ink"
          title={`Tied to ${take.tie.title}`}
          role="img"
          aria-label={`tied to ${take.tie.title}`}
        >
          ⋈
        </span>
      )}
      <LevelBars take={take} />
    </div>
  );
});

/** One small bar a channel, as high as it is loud: mixes in ink, isos in the dye of their stem, empty ones flat. */
function LevelBars({ take }: { take: Take }) {
  const bars = take.channels.slice(0, 16);
  return (
    <svg className="shrink-0" width={Math.max(0, bars.length * 6 - 2)} height={16} aria-hidden>
      {bars.map((c, i) => {
        const level = Math.max(2, (c.rmsDBFS === null ? 0 : Math.max(0, Math.min(1, (c.rmsDBFS + 66) / 50))) * 16);
        return (
          <rect
            key={c.index}
            x={i * 6}
            y={16 - level}
            width={4}
            height={level}
            rx={1}
            fill={c.empty ? "var(--warp)" : c.use === "mix" ? "var(--muted)" : `var(${dyeName(stemOf(c))})`}
          />
        );
      })}
    </svg>
  );
}
