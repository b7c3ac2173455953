import { memo, useEffect, useState } from "react";

import type { Clip, ReelView, Track } from "../../api/client";
import { duration, labelAt } from "../../ui/timecode";
import { slipOf, slipSign, type Choice } from "./ground/choice";
import { clipOf, tiedTo, trackOf } from "./ground/lookup";

/** A clip in words: all that is painted of it. */
export function clipWords(view: ReelView, c: Clip): string {
  const { sampleRate, frameRate } = view.head;
  const tied = tiedTo(view, c);
  const slip = slipOf(c);
  return [
    c.name,
    `from ${labelAt(c.start, sampleRate, frameRate)}, lasting ${duration(c.length, sampleRate)}`,
    c.mute && "muted",
    tied > 0 && `tied to ${tied} other ${tied === 1 ? "clip" : "clips"}`,
    slip !== 0 && `${slipSign(view, slip)} out of sync`,
  ]
    .filter(Boolean)
    .join(", ");
}

function words(view: ReelView, choice: Choice, track: Track | undefined, clips: Clip[]): string {
  const chosen = choice.clips.map((id) => clipOf(view, id)).filter((c) => c !== undefined);
  if (chosen.length > 1) return `${chosen.length} clips chosen`;
  const one = chosen[0];
  if (one) return `${clips.indexOf(one) + 1} of ${clips.length} on ${trackOf(view, one.track)?.name ?? ""}: ${clipWords(view, one)}`;
  return track ? `Track ${track.name}, ${clips.length === 1 ? "1 clip" : `${clips.length} clips`}` : "";
}

/** The tracks' clips for a screen reader: those of the chosen track as a list, and what is chosen said as it changes. */
export function Spoken(p: { view: ReelView; choice: Choice; track: Track | undefined; clips: Clip[] }) {
  const { view, track, clips } = p;
  return (
    <div className="sr-only">
      <p role="status">{words(view, p.choice, track, clips)}</p>
      <Lying view={view} track={track} clips={clips} />
    </div>
  );
}

/** How long the hand is to rest before what lies on a track is written out, in milliseconds: there may be hundreds of clips. */
const rest = 250;

function Lying(p: { view: ReelView; track: Track | undefined; clips: Clip[] }) {
  const [now, setNow] = useState(p);
  const { view, track, clips } = p;
  useEffect(() => {
    const soon = setTimeout(() => setNow({ view, track, clips }), rest);
    return () => clearTimeout(soon);
  }, [view, track, clips]);
  return now.track && <Written {...now} track={now.track} />;
}

const Written = memo(function Written({ view, track, clips }: { view: ReelView; track: Track; clips: Clip[] }) {
  if (clips.length === 0) return null;
  return (
    <ol aria-label={`What lies on ${track.name}`}>
      {clips.map((c) => (
        <li key={c.id}>{clipWords(view, c)}</li>
      ))}
    </ol>
  );
});
