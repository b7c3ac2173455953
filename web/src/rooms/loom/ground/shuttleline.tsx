// Where the shuttle is, as a place and as a line. It alone is drawn again while playing.
import { player, usePlayer } from "../../../listen/player";
import { xOf, type Timed, type TimeView } from "./geometry";

/** Where the shuttle is: where the reel plays, or where it stands. A take tells how far from its own start it plays. */
export function positionOf(id: string, at: number, start = 0): number {
  const s = player.snapshot();
  if (s.playing?.id !== id) return at;
  return s.playing.what === "reel" ? s.position : s.playing.what === "take" ? start + s.position : at;
}

export function usePosition(id: string, at: number, start = 0): number {
  return usePlayer(() => positionOf(id, at, start));
}

export function ShuttleLine({ view, time, at }: { view: Pick<Timed, "id" | "head">; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at, view.head.start));
  return (
    <span
      className="pointer-events-none absolute inset-y-0 left-0 w-[2px] bg-zest"
      style={{ transform: `translateX(${x - 1}px)` }}
      aria-hidden
    />
  );
}

export function ShuttleMark({ view, time, at }: { view: Pick<Timed, "id" | "head">; time: TimeView; at: number }) {
  const x = xOf(time, usePosition(view.id, at, view.head.start));
  return (
    <svg
      className="pointer-events-none absolute bottom-0 left-0"
      style={{ transform: `translateX(${x - 7}px)` }}
      width={14}
      height={14}
      aria-hidden
    >
      <path d="M7 14 L1 6 L7 0 L13 6 Z" fill="var(--zest)" />
    </svg>
  );
}
