// The time of a take's board: what of it is in view, the same for all channels, and the range that is chosen in it.
import { createContext, useContext } from "react";

import type { Production, Take } from "../../api/client";
import type { Timed } from "../loom/ground/geometry";
import type { Scroll } from "../loom/ground/scroll";

export type Range = { from: number; to: number };

export type BoardTime = {
  view: Timed;
  scroll: Scroll;
  range: Range | null;
  onRange: (range: Range | null) => void;
};

const Context = createContext<BoardTime | null>(null);
export const BoardTimeProvider = Context.Provider;

export function useBoardTime(): BoardTime {
  const time = useContext(Context);
  if (!time) throw new Error("There is no board around this");
  return time;
}

/** A take as something in time: where its time stamp says, with the marks of its file. */
export function timedOf(take: Take, frameRate: Production["frameRate"]): Timed {
  const d = take.description;
  const start = d.startSamples ?? 0;
  const marks = (d.cues ?? []).map((c, i) => ({ id: String(i), name: c.label || `Mark ${i + 1}`, at: start + c.frame }));
  return { id: take.id, end: start + d.frames, head: { start, sampleRate: d.sampleRate, frameRate }, clips: [], marks };
}

/** Columns of a channel's row: mark, name, how it is read, its waveform, stem, whether it is unravelled. */
export const columns = "grid-cols-[46px_146px_24px_minmax(110px,1fr)_114px_38px] gap-2";
