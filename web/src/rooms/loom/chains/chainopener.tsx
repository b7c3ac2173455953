import { Waypoints } from "lucide-react";

import type { Clip, ReelView, Row } from "../../../api/client";
import { keyOf, keySign } from "../../../ui/keys";
import { chainOf, clipOf } from "../ground/lookup";

/** What a clip goes through, or one channel of it. */
export const stepsOfClip = (clip: Clip | undefined, channel?: number) =>
  channel === undefined ? clip?.chain : clip?.lanes?.[channel]?.chain;

/** The way to the chain of a row: how many processors it has, and that there are such things. */
export function ChainOpener(p: { view: ReelView; row: Row | "clip"; id: string; channel?: number; name: string; onOpen: () => void }) {
  const chain = p.row === "clip" ? undefined : chainOf(p.view, p.row, p.id);
  const n = (p.row === "clip" ? stepsOfClip(clipOf(p.view, p.id), p.channel) : chain?.steps)?.length ?? 0;
  const what = p.row === "clip" ? `the sound of ${p.name}` : `all that is on ${p.name}`;
  return (
    <button
      className="pill h-6 shrink-0 gap-1 px-2 text-[12px]"
      title={`What ${what} goes through: filters, dynamics, repair${p.row === "track" ? ` (${keySign(keyOf("chain"))})` : ""}`}
      onClick={p.onOpen}
    >
      <Waypoints size={12} /> Chain{n > 0 && <span className="tc">{chain?.off ? "off" : n}</span>}
    </button>
  );
}
