import { Play, Square } from "lucide-react";

import { useActions } from "../../ui/keys";
import { labelAt } from "../../ui/timecode";
import { zoom, type Timed } from "../loom/ground/geometry";
import type { Scroll } from "../loom/ground/scroll";

/** Plays and stops, tells where that is, and has the keys that go through time. */
export function Transport(p: {
  view: Timed;
  scroll: Scroll;
  width: number;
  playing: boolean;
  position: number;
  onPlay: () => void;
  onGo: (sample: number) => void;
}) {
  const { start, sampleRate, frameRate } = p.view.head;
  const frame = (sampleRate * frameRate.den) / frameRate.num;
  const zoomed = (by: number) => p.scroll.change((v) => zoom(v, by, p.width / 2));
  useActions({
    play: p.onPlay,
    "frame-back": () => p.onGo(Math.max(start, Math.round(p.position - frame))),
    "frame-on": () => p.onGo(Math.round(p.position + frame)),
    home: () => p.onGo(start),
    closer: () => zoomed(0.5),
    wider: () => zoomed(2),
    whole: p.scroll.showAll,
  });
  return (
    <>
      <button
        className="flex h-8 w-10 cursor-pointer items-center justify-center rounded-full bg-ink text-ground"
        aria-label={p.playing ? "Stop" : "Play"}
        aria-pressed={p.playing}
        onClick={p.onPlay}
      >
        {p.playing ? <Square size={14} /> : <Play size={15} />}
      </button>
      <span className="tc text-[19px] font-semibold">{labelAt(p.position, sampleRate, frameRate)}</span>
    </>
  );
}
