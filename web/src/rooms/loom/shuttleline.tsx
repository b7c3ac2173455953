// Where the shuttle is, as a place and as a line. It alone is drawn again while playing.
import type { ReelView } from "../../api/client";
import { player, usePlayer } from "../../listen/player";
import { xOf, type TimeView } from "./geometry";

/** Where the shuttle is: where the reel plays, or where it stands. */
export function positionOf(reel: string, at: number): number {
  const s = player.snapshot();
  return s.playing?.what === "reel" && s.playing.id === reel ? s.position : at;
}

export function usePosition(reel: string, at: number): number {
  return usePlayer(() => positionOf(reel, at));
}

export function ShuttleLine({ view, time, at }: { view: Pick<ReelView, "id">; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at));
  return <span className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-zest" style={{ transform: `translateX(${x - 1}px)` }} aria-hidden />;
}

export function ShuttleMark({ view, time, at }: { view: Pick<ReelView, "id">; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at));
  return (
    <svg className="pointer-events-none absolute bottom-0 left-0" style={{ transform: `translateX(${x - 7}px)` }} width={14} height={14} aria-hidden>
      <path d="M7 14 L1 6 L7 0 L13 6 Z" fill="var(--zest)" />
    </svg>
  );
}
