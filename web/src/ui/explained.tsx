import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";

/** Our own words, each with what it means and the plain word of the trade. */
export const words = {
  unravel: "Break a multichannel take into labelled tracks or files, singly or in sets.",
  ply: "Wrap mono files that were recorded together into one polyphonic file.",
  strand: "A named part of a stem: one character of the dialogue, one language of the narration. A sub-stem.",
  bonded: "Channels that only make sense kept together, such as a stereo pair or a 5.1 set: never panned or cut apart.",
  tied: "In sync: clips that are tied move, cut and trim together, with their picture.",
  hush: "Silence one channel for a range, without cutting the others.",
  dip: "Lower one channel over a range, with ramps at both ends.",
  borrow: "Take a line from another take, on one channel only, and lay it over this one.",
  settle: "Render a clip or a range in place to a new take; the way back is kept.",
  weave: "The routing: which track and stem feeds which output channel, and at what gain.",
  knot: "A crosspoint of the routing: where a row feeds an output channel.",
  pattern: "Stems, routing and delivery spec of a reel, saved to be used again: a template.",
  "touch-listen": "Press and hold on a waveform to hear that channel alone from there.",
  reed: "The divider between time on the left and the routing on the right. Drag it.",
  desk: "The receiver's stand-in: it checks a delivery by the spec, on its own, as the receiver would.",
  level: "Bring finished files to the loudness and below the peak that a receiver asks for.",
} as const;

export type Word = keyof typeof words;

/** A word of our own where it first stands: what it means shows under the pointer, and where it has the focus. */
export function Explained({ word, children }: { word: Word; children: ReactNode }) {
  return (
    <Tooltip.Provider delayDuration={300}>
      <Tooltip.Root>
        <Tooltip.Trigger
          type="button"
          className="cursor-help rounded underline decoration-dotted decoration-1 underline-offset-2"
          onClick={(e) => e.preventDefault()} // it stays, also where it was pressed
        >
          {children}
        </Tooltip.Trigger>
        <Tooltip.Portal>
          <Tooltip.Content className="card z-50 max-w-64 px-3 py-2 text-[13px] leading-snug" sideOffset={4}>
            {words[word]}
          </Tooltip.Content>
        </Tooltip.Portal>
      </Tooltip.Root>
    </Tooltip.Provider>
  );
}
