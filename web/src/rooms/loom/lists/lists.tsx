import { ArrowLeftRight, Link2, Redo2, Trash2, Undo2, X } from "lucide-react";
import { useState, type ReactNode } from "react";

import { author, setAuthor, type Mark, type ReelView, type Row, type Command } from "../../../api/client";
import { useSteps, useReelNow } from "../../../api/hooks";
import { keyOf, keySign } from "../../../ui/keys";
import { Small } from "../../../ui/small";
import { StemTag } from "../../../ui/stem";
import { labelAt } from "../../../ui/timecode";
import { dayAndTime } from "../../../ui/when";
import { Buses } from "./buses";
import { Kept } from "../../../ui/kept";
import { useLoomStore } from "../ground/state";
import type { ListName } from "../ground/state";

type Props = {
  view: ReelView;
  shown: ListName;
  track?: ReactNode;
  onShow: (l: ListName) => void;
  onBus: (b: { row: Row; id: string }) => void;
  onClose: () => void;
  onClip: (clip: string) => void;
  onGo: (at: number) => void;
  onDo: (c: Command) => Promise<unknown>;
  onUndo: () => void;
  /** Takes one step of the history back, or brings it back, whoever made it. */
  onTurn: (way: "undo" | "redo", step: number) => void;
  onRedo: () => void;
};

/** The lists at the right: what is out of sync, what strayed, marks, finding by name, history, and what the weave is made of. */
export function Lists(p: Props) {
  const { view } = p;
  const tabs: [ListName, string, number][] = [
    ["track", "Row", 0],
    ["sync", "Sync", view.adrift.length],
    ["strays", "Strays", view.strays.length],
    ["marks", "Marks", view.marks.length],
    ["find", "Find", 0],
    ["history", "History", 0],
    ["weave", "Weave", 0],
  ];
  return (
    <aside className="flex h-full flex-col bg-paper" aria-label="Lists">
      <div className="flex h-10 shrink-0 items-center gap-1 border-b border-line px-2">
        <div className="flex min-w-0 items-center overflow-x-auto" role="tablist" aria-label="Lists">
          {tabs.map(([id, name, n]) => (
            <button
              key={id}
              role="tab"
              aria-selected={p.shown === id}
              className={`shrink-0 cursor-pointer rounded-full px-[7px] py-1 text-[12.5px]
                ${p.shown === id ? "bg-band font-semibold" : "text-muted hover:text-ink"}`}
              onClick={() => p.onShow(id)}
            >
              {name}
              {n > 0 && <span className={`tc ml-1 text-[11px] ${id === "sync" || id === "strays" ? "text-wrong" : ""}`}>{n}</span>}
            </button>
          ))}
        </div>
        <button
          className="ml-auto shrink-0 cursor-pointer rounded p-1 text-muted hover:text-ink"
          aria-label="Put the lists away"
          onClick={p.onClose}
        >
          <X size={15} />
        </button>
      </div>
      <div className="min-h-0 grow overflow-y-auto px-3 py-2">
        {
          {
            track: p.track,
            sync: <Sync {...p} />,
            strays: <Strays {...p} />,
            marks: <Marks {...p} />,
            find: <Find {...p} />,
            history: <History {...p} />,
            weave: <Buses view={view} onDo={p.onDo} onBus={p.onBus} />,
          }[p.shown]
        }
      </div>
    </aside>
  );
}

const Empty = ({ children }: { children: ReactNode }) => <p className="py-3 text-[13px] text-muted">{children}</p>;

function Place({ view, at, onGo }: { view: ReelView; at: number; onGo: (at: number) => void }) {
  const label = labelAt(at, view.head.sampleRate, view.head.frameRate);
  return (
    <button className="tc cursor-pointer text-[12px] text-muted hover:text-ink" title="Go there" onClick={() => onGo(at)}>
      {label}
    </button>
  );
}

function Sync({ view, onClip, onGo, onDo }: Props) {
  const untied = view.clips.filter((c) => c.was && !view.adrift.some((a) => a.clip === c.id));
  const back = (clips: string[]) => onDo({ kind: "tieBack", command: { clips } });
  return (
    <>
      {view.adrift.length === 0 && <Empty>Everything is in sync{untied.length > 0 ? ", though some clips are untied" : ""}.</Empty>}
      {view.adrift.length > 1 && (
        <button className="pill mb-2" onClick={() => back(view.adrift.map((a) => a.clip))}>
          <Link2 size={14} /> Tie all {view.adrift.length} back
        </button>
      )}
      {view.adrift.map((a) => {
        const c = view.clips.find((x) => x.id === a.clip);
        return (
          c && (
            <div key={a.clip} className="flex items-center gap-2 border-t border-line py-1.5 text-[13px]">
              <div className="min-w-0 grow">
                <button className="block max-w-full cursor-pointer truncate text-left font-semibold" onClick={() => onClip(c.id)}>
                  {c.name} <span className="font-normal text-muted">{view.tracks.find((t) => t.id === c.track)?.name}</span>
                </button>
                <span className="text-wrong">{a.words}</span> <Place view={view} at={c.start} onGo={onGo} />
              </div>
              <button
                className="pill h-6 px-2"
                aria-label={`Tie ${c.name} back`}
                title={`Tie it back at zero (${keySign(keyOf("tie-back"))})`}
                onClick={() => back([c.id])}
              >
                <Link2 size={13} /> tie back
              </button>
            </div>
          )
        );
      })}
      {untied.map((c) => (
        <div key={c.id} className="flex items-center gap-2 border-t border-line py-1.5 text-[13px]">
          <button className="min-w-0 grow cursor-pointer truncate text-left" onClick={() => onClip(c.id)}>
            {c.name} <span className="text-muted">{view.tracks.find((t) => t.id === c.track)?.name}, untied, in sync</span>
          </button>
          <button className="pill h-6 px-2" aria-label={`Tie ${c.name} back`} onClick={() => back([c.id])}>
            <Link2 size={13} /> tie back
          </button>
        </div>
      ))}
    </>
  );
}

function Strays({ view, onClip, onDo }: Props) {
  if (view.strays.length === 0) return <Empty>Every clip lies on a track of its stem.</Empty>;
  return (
    <>
      <button className="pill-act mb-2" onClick={() => onDo({ kind: "moveStrays", command: {} })}>
        Move {view.strays.length === 1 ? "it" : "them all"} to tracks of their stem
      </button>
      {view.strays.map((s) => {
        const c = view.clips.find((x) => x.id === s.clip);
        const t = view.tracks.find((x) => x.id === s.track);
        return (
          c &&
          t && (
            <div key={s.clip} className="flex items-center gap-2 border-t border-line py-1.5 text-[13px]">
              <StemTag stem={s.stem} />
              <button className="min-w-0 grow cursor-pointer truncate text-left" onClick={() => onClip(c.id)}>
                <b className="font-semibold">{c.name}</b> <span className="text-muted">lies on {t.name}, which is</span> {t.stem}
              </button>
              <button
                className="pill h-6 px-2"
                title={`Say that it belongs to ${t.stem}`}
                onClick={() => onDo({ kind: "setClip", command: { clip: c.id, stem: t.stem } })}
              >
                keep it here
              </button>
            </div>
          )
        );
      })}
    </>
  );
}

function Marks({ view, onGo, onDo }: Props) {
  const set = (m: Mark, part: Partial<Mark>) => onDo({ kind: "setMark", command: { length: 0, note: "", ...m, ...part } });
  return (
    <>
      {view.marks.length === 0 && <Empty>No marks yet. {keySign(keyOf("mark"))} marks where the playhead stands, or the range.</Empty>}
      {view.marks.map((m) => (
        <div key={m.id} className="border-t border-line py-1.5">
          <div className="flex items-center gap-2">
            <Kept label="Name of the mark" value={m.name} onKeep={(name) => set(m, { name })} className="min-w-0 grow font-semibold" />
            <Place view={view} at={m.at} onGo={onGo} />
            <Small label={`Remove ${m.name}`} onClick={() => onDo({ kind: "removeMarks", command: { marks: [m.id] } })}>
              <Trash2 size={14} />
            </Small>
          </div>
          <Kept
            label={`Note on ${m.name}`}
            value={m.note ?? ""}
            onKeep={(note) => set(m, { note })}
            className="mt-1 w-full"
            placeholder="note"
          />
        </div>
      ))}
    </>
  );
}

/** Most that are listed. */
const most = 200;

function Find({ view, onClip, onGo }: Props) {
  const [text, setText] = useState("");
  const q = text.trim().toLowerCase();
  const names = new Map(view.tracks.map((t) => [t.id, t.name]));
  const found = q ? view.clips.filter((c) => `${c.name} ${names.get(c.track) ?? ""}`.toLowerCase().includes(q)) : [];
  const marks = q ? view.marks.filter((m) => `${m.name} ${m.note ?? ""}`.toLowerCase().includes(q)) : [];
  return (
    <>
      <input
        className="field mb-2 w-full"
        autoFocus
        placeholder="name of a clip, track or mark"
        aria-label="Find by name"
        value={text}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => e.key === "Enter" && found[0] && onClip(found[0].id)}
      />
      {q && found.length + marks.length === 0 && <Empty>Nothing on this reel is called that.</Empty>}
      {marks.map((m) => (
        <div key={m.id} className="flex gap-2 border-t border-line py-1 text-[13px]">
          <span className="min-w-0 grow truncate">{m.name}</span> <Place view={view} at={m.at} onGo={onGo} />
        </div>
      ))}
      {found.slice(0, most).map((c) => (
        <div key={c.id} className="flex items-center gap-2 border-t border-line py-1 text-[13px]">
          <button className="min-w-0 grow cursor-pointer truncate text-left" onClick={() => onClip(c.id)}>
            <b className="font-semibold">{c.name}</b> <span className="text-muted">{names.get(c.track)}</span>
          </button>
          <Place view={view} at={c.start} onGo={onGo} />
        </div>
      ))}
      {found.length > most && <Empty>and {found.length - most} more</Empty>}
    </>
  );
}

function History({ view: drawn, onUndo, onRedo, onTurn }: Props) {
  const view = useReelNow(drawn.id) ?? drawn;
  const steps = useSteps(view.id, view.revision, true);
  const store = useLoomStore();
  return (
    <>
      <div className="mb-2 flex items-center gap-2 text-[13px]">
        <button className="pill" disabled={!view.undo} onClick={onUndo}>
          Undo
        </button>
        <button className="pill" disabled={!view.redo} onClick={onRedo}>
          Redo
        </button>
        <label className="ml-auto flex items-center gap-1.5 text-muted">
          You are
          <Kept label="Your name in the history" value={author()} onKeep={setAuthor} className="w-28" />
        </label>
      </div>
      {steps.data?.map((s) => (
        <div
          key={s.revision}
          className={`flex gap-2 border-t border-line py-1 text-[13px] ${s.state === "done" || s.state === "passed" ? "" : "text-muted line-through"}`}
        >
          <span className="min-w-0 grow">
            {s.kind !== "do" && s.kind !== "treat" && <span className="text-muted">{s.kind}: </span>}
            {s.name}
          </span>
          <span className="shrink-0 text-[12px] text-muted" title={dayAndTime(s.at)}>
            {s.author}
          </span>
          {s.kind === "do" && (s.state === "done" || s.state === "passed") && (
            <Small label={`Take back: ${s.name}`} onClick={() => onTurn("undo", s.revision)}>
              <Undo2 size={13} />
            </Small>
          )}
          {s.kind === "do" && s.state === "undone" && (
            <Small label={`Bring back: ${s.name}`} onClick={() => onTurn("redo", s.revision)}>
              <Redo2 size={13} />
            </Small>
          )}
          {s.revision < view.revision && (
            <Small
              label={`Compare with the reel as it was after this: ${s.name}`}
              onClick={() => store.setState({ other: { reel: view.id, revision: s.revision, heard: false, name: `as after ${s.name}` } })}
            >
              <ArrowLeftRight size={13} />
            </Small>
          )}
        </div>
      ))}
      {steps.data?.length === 0 && <Empty>Nothing has been done on this reel yet.</Empty>}
    </>
  );
}
