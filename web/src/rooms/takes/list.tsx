import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, useState } from "react";

import type { Take } from "../../api/client";

type Item = { heading: string; about: string } | { take: Take };

const kinds = { music: "Music", effect: "Effects", recording: "Recordings without a roll" } as const;

export function takeTitle(t: Take): string {
  return t.description.scene ? `${t.description.scene}, take ${t.description.take}` : t.fileName.replace(/\.[^.]+$/, "");
}

/** What a search looks through. */
function words(t: Take): string {
  const d = t.description;
  return [d.scene, `take ${d.take}`, d.roll, d.note, t.fileName, ...t.channels.map((c) => c.name)].join(" ").toLowerCase();
}

export function listed(takes: Take[], find: string, circled: boolean): Item[] {
  const wanted = find.toLowerCase().split(/\s+/).filter(Boolean);
  const groups = new Map<string, Take[]>();
  for (const t of takes) {
    if (circled && !t.description.circled) continue;
    const text = words(t);
    if (!wanted.every((w) => text.includes(w))) continue;
    const heading = t.description.roll ? `Roll ${t.description.roll}` : kinds[t.kind];
    groups.set(heading, [...(groups.get(heading) ?? []), t]);
  }
  return [...groups].flatMap(([heading, list]) => [{ heading, about: list.length === 1 ? "1 take" : `${list.length} takes` }, ...list.map((take) => ({ take }))]);
}

export function TakeList(p: { takes: Take[] | undefined; shown: string | undefined; onChoose: (t: Take) => void; onBringIn: () => void }) {
  const [find, setFind] = useState("");
  const [circled, setCircled] = useState(false);
  const items = useMemo(() => listed(p.takes ?? [], find, circled), [p.takes, find, circled]);
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({ count: items.length, getScrollElement: () => box.current, estimateSize: (i) => ("take" in items[i]! ? 40 : 36), overscan: 12 });
  const at = items.findIndex((i) => "take" in i && i.take.id === p.shown);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at);
  }, [at, rows]);
  const step = (by: number) => {
    for (let i = at + by; i >= 0 && i < items.length; i += by) {
      const item = items[i]!;
      if ("take" in item) return p.onChoose(item.take);
    }
  };
  return (
    <>
      <div className="flex items-center gap-2 px-4 py-3">
        <button className="pill-act" onClick={p.onBringIn}>
          Bring in…
        </button>
        <input className="field min-w-0 grow rounded-full" placeholder="Find scene, take, name, note" value={find} onChange={(e) => setFind(e.target.value)} aria-label="Find takes" />
        <button className={`pill ${circled ? "border-ink font-semibold" : ""}`} aria-pressed={circled} onClick={() => setCircled(!circled)}>
          Circled
        </button>
      </div>
      <div
        ref={box}
        className="min-h-0 grow overflow-auto"
        role="listbox"
        aria-label="Takes"
        tabIndex={0}
        onKeyDown={(e) => {
          if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
          e.preventDefault();
          step(e.key === "ArrowDown" ? 1 : -1);
        }}
      >
        {p.takes && p.takes.length > 0 && items.length === 0 && <p className="px-4 py-6 text-muted">No take matches. Clear the search{circled && ", or show takes that are not circled"}.</p>}
        <div className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((v) => {
            const item = items[v.index]!;
            const style = { transform: `translateY(${v.start}px)`, height: v.size };
            if (!("take" in item)) {
              return (
                <div key={v.key} className="absolute inset-x-0 flex items-end gap-2 px-4 pb-1.5" style={style}>
                  <b>{item.heading}</b>
                  <span className="text-[13px] text-muted">{item.about}</span>
                </div>
              );
            }
            return <TakeRow key={v.key} take={item.take} on={item.take.id === p.shown} style={style} onChoose={() => p.onChoose(item.take)} />;
          })}
        </div>
      </div>
    </>
  );
}

function TakeRow({ take, on, style, onChoose }: { take: Take; on: boolean; style: React.CSSProperties; onChoose: () => void }) {
  const d = take.description;
  return (
    <div
      role="option"
      aria-selected={on}
      className={`absolute inset-x-0 flex cursor-pointer items-center gap-2 border-t border-line pr-4 ${on ? "border-l-4 border-l-zest bg-paper pl-2" : "pl-3 hover:bg-paper"}`}
      style={style}
      onClick={onChoose}
    >
      <span className="w-5 shrink-0" title={d.circled ? "Circled take" : undefined}>
        {d.circled && <span className="block h-3.5 w-3.5 rounded-full border-2 border-ink" aria-label="circled" />}
      </span>
      {d.scene ? (
        <>
          <b className="w-12 shrink-0 truncate">{d.scene}</b>
          <span className="w-16 shrink-0 truncate">take {d.take}</span>
        </>
      ) : (
        <b className="w-[136px] shrink-0 truncate font-semibold">{takeTitle(take)}</b>
      )}
      {take.description.recovered ? (
        <span className="min-w-0 grow truncate text-[13px] font-semibold text-wrong">damaged, saved in part</span>
      ) : (
        <span className="tc min-w-0 grow truncate text-[13px] text-muted">{d.startTimecode ?? (take.channels.length === 2 ? "stereo" : take.channels.length === 1 ? "mono" : `${take.channels.length} channels`)}</span>
      )}
      <LevelBars take={take} />
    </div>
  );
}

/** One small bar a channel, as high as it is loud: mixes in ink, isos in the dye of their stem, empty ones flat. */
function LevelBars({ take }: { take: Take }) {
  return (
    <span className="flex h-4 shrink-0 items-end gap-[2px]" aria-hidden>
      {take.channels.map((c) => {
        const level = c.rmsDBFS === null ? 0 : Math.max(0, Math.min(1, (c.rmsDBFS + 66) / 50));
        return <span key={c.index} className="w-1 rounded-sm" style={{ height: Math.max(2, level * 16), background: c.empty ? "var(--warp)" : c.use === "mix" ? "var(--muted)" : `var(--dye-${c.suggested})` }} />;
      })}
    </span>
  );
}
