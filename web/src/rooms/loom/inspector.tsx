import { Trash2 } from "lucide-react";
import { useState, type ReactNode } from "react";

import type { Clip, ReelView, Track } from "../../api/client";
import type { Command } from "../../api/hooks";
import { duration, labelAt, parse } from "../../ui/timecode";

/** Gives nothing where the command was refused. */
type Do = (c: Command) => Promise<ReelView | undefined>;

/** A text field that is kept when it is left or Enter is pressed, and put back by Escape. */
function Kept(p: { label: string; value: string; onKeep: (text: string) => void; className?: string }) {
  const [draft, setDraft] = useState<string | null>(null);
  const keep = () => {
    if (draft !== null && draft.trim() !== p.value) p.onKeep(draft.trim());
    setDraft(null);
  };
  return (
    <input
      className={`field h-7 ${p.className ?? ""}`}
      aria-label={p.label}
      value={draft ?? p.value}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur(); // which keeps it, once
        if (e.key === "Escape") setDraft(null);
      }}
    />
  );
}

function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div className="flex h-[30px] items-center gap-2 whitespace-nowrap text-[13px]">
      <span className="w-14 shrink-0 text-muted">{name}</span>
      {children}
    </div>
  );
}

export const number = (text: string) => {
  const n = Number(text.replace("−", "-").replace(",", ".").replace(/\s*dB$/i, ""));
  return text.trim() !== "" && Number.isFinite(n) ? n : null;
};

/** What is selected: a track with how it goes into its stem, and a clip with where it lies. */
export function Inspector({ view, track, clip, onDo, onRemove }: { view: ReelView; track: Track | undefined; clip: Clip | undefined; onDo: Do; onRemove: () => void }) {
  if (!track) {
    const { start, sampleRate, frameRate, panLaw } = view.head;
    return (
      <div className="flex h-full gap-8 overflow-hidden px-4 py-2">
        <div>
          <Line name="Reel">
            <b className="max-w-56 truncate font-semibold">{view.name}</b>
          </Line>
          <Line name="Starts">
            <Kept
              label="Timecode at which the reel starts"
              value={labelAt(start, sampleRate, frameRate)}
              onKeep={(t) => {
                const to = parse(t, sampleRate, frameRate);
                if (to !== null) void onDo({ kind: "setReel", command: { start: to } });
              }}
              className="tc w-28"
            />
          </Line>
          <Line name="Lasts">
            <span className="tc">{duration(view.end - start, sampleRate)}</span>
          </Line>
          <Line name="Pan law">
            <select className="field h-7" aria-label="What a mono track in the middle of a pair loses on each side" value={panLaw} onChange={(e) => void onDo({ kind: "setReel", command: { panLaw: Number(e.target.value) } })}>
              {[3, 4.5, 6].map((x) => (
                <option key={x} value={x}>
                  −{x} dB
                </option>
              ))}
            </select>
            <span className="text-muted">in the middle of a pair</span>
          </Line>
        </div>
        <p className="max-w-md border-l border-line pl-6 text-[13px] text-muted">Select a track or a clip to see where it lies and how it goes into its stem. Knots are tied in the weave on the right: press where a row and an output cross.</p>
      </div>
    );
  }
  const set = (command: Record<string, unknown>) => onDo({ kind: "setTrack", command: { track: track.id, ...command } });
  const stem = view.stems.find((s) => s.id === track.stem);
  const toPair = track.labels.length === 1 && (stem?.labels.length ?? 0) === 2;
  const tied = clip?.tie ? view.clips.filter((c) => c.tie === clip.tie).length - 1 : 0;
  const { sampleRate, frameRate } = view.head;
  return (
    <div className="flex h-full gap-8 overflow-hidden px-4 py-2">
      <div className="min-w-0">
        <Line name="Track">
          <Kept label="Name of the track" value={track.name} onKeep={(name) => set({ name })} className="w-52 font-semibold" />
          <button className="cursor-pointer rounded p-1 text-muted hover:text-wrong" aria-label={`Take ${track.name} off the reel`} title="Take it off the reel" onClick={onRemove}>
            <Trash2 size={15} />
          </button>
        </Line>
        <Line name="Gain">
          <Kept label="Gain of the track in dB" value={String(track.gainDB)} onKeep={(t) => number(t) !== null && set({ gainDB: number(t) })} className="tc w-20 text-right" /> dB
        </Line>
        <Line name={track.labels.length === 1 ? "Pan" : "Balance"}>
          {toPair && track.feed.dual ? (
            <span>dual mono, unity on both sides</span>
          ) : (
            <PanSlider key={`${track.id} ${track.feed.pan}`} pan={track.feed.pan} onPan={(pan) => set({ pan })} />
          )}
        </Line>
        {toPair && (
          <Line name="">
            <label className="flex cursor-pointer items-center gap-2">
              <Dual key={`${track.id} ${track.feed.dual}`} on={track.feed.dual} onChange={(dual) => set({ dual })} /> dual mono (else the pan law, −{view.head.panLaw} dB in the middle)
            </label>
          </Line>
        )}
      </div>
      {clip && (
        <div className="min-w-0 border-l border-line pl-6">
          <Line name="Clip">
            <b className="max-w-56 truncate font-semibold">{clip.name}</b>
          </Line>
          <Line name="Starts">
            <Kept
              label="Timecode at which the clip starts"
              value={labelAt(clip.start, sampleRate, frameRate)}
              onKeep={(t) => {
                const to = parse(t, sampleRate, frameRate);
                if (to !== null) onDo({ kind: "moveClip", command: { clip: clip.id, by: to - clip.start } });
              }}
              className="tc w-28"
            />
          </Line>
          <Line name="Lasts">
            <span className="tc">{duration(clip.length, sampleRate)}</span>
          </Line>
          <Line name="Tied">{tied > 0 ? `to ${tied} other ${tied === 1 ? "clip" : "clips"} of the take; they move together` : "to nothing"}</Line>
        </div>
      )}
    </div>
  );
}

/** Turns at once, before the server has answered, and back if it refuses. */
function Dual(p: { on: boolean; onChange: (on: boolean) => Promise<ReelView | undefined> }) {
  const [on, setOn] = useState(p.on);
  return (
    <input
      type="checkbox"
      className="accent-act"
      checked={on}
      onChange={(e) => {
        setOn(e.target.checked);
        void p.onChange(e.target.checked).then((done) => done || setOn(p.on));
      }}
    />
  );
}

function PanSlider({ pan, onPan }: { pan: number; onPan: (pan: number) => Promise<ReelView | undefined> }) {
  const [at, setAt] = useState(pan);
  const keep = () => {
    if (at !== pan) void onPan(at).then((done) => done || setAt(pan));
  };
  return (
    <>
      <input type="range" min={-1} max={1} step={0.05} value={at} aria-label="Pan" className="w-36 accent-act" onChange={(e) => setAt(Math.abs(Number(e.target.value)) < 0.03 ? 0 : Number(e.target.value))} onPointerUp={keep} onKeyUp={keep} onBlur={keep} />
      <span className="tc">{at === 0 ? "middle" : `${Math.round(Math.abs(at) * 100)} ${at < 0 ? "left" : "right"}`}</span>
    </>
  );
}
