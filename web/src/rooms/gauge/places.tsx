import { Flag, Play, Square } from "lucide-react";

import { Measuring } from "../../ui/measuring";
import { signed } from "../../ui/figures";
import { labelAt } from "../../ui/timecode";
import type { Timed } from "../loom/ground/geometry";
import { overUnit, placeWords, type GaugePlace } from "./judge";

/** Where the row leaves what is asked, each to go to, to hear and to mark. */
export function Places(p: {
  view: Pick<Timed, "head">;
  places: GaugePlace[] | null;
  share: number; // that is measured
  playing: number | null;
  onGo: (sample: number) => void;
  onHear: (at: number | null, from: number, until: number) => void;
  onMark?: (name: string, from: number, to: number) => void;
}) {
  const { head } = p.view;
  const at = (seconds: number) => head.start + Math.round(seconds * head.sampleRate);
  if (!p.places) return <Measuring share={p.share} />;
  if (p.places.length === 0) return <p className="text-muted">Nowhere. Drag over the picture above to measure a part by itself.</p>;
  return (
    <ul>
      {p.places.slice(0, 200).map((x, i) => {
        const on = p.playing === i;
        const tc = labelAt(at(x.from), head.sampleRate, head.frameRate);
        return (
          <li key={`${x.kind} ${x.from}`} className={`flex items-center gap-3 border-t border-line py-0.5 ${on ? "bg-paper" : ""}`}>
            <button className="tc shrink-0 cursor-pointer py-1 hover:underline" onClick={() => p.onGo(at(x.from))}>
              {tc}
            </button>
            <span className="min-w-0 grow truncate">{placeWords(x)}</span>
            {x.over !== undefined && <span className="tc shrink-0 text-wrong">{`${signed(x.over)} ${overUnit(x)}`}</span>}
            <button
              className="flex h-6 w-6 shrink-0 cursor-pointer items-center justify-center rounded-full hover:bg-band"
              aria-label={on ? "Stop" : `Hear it at ${tc}`}
              aria-pressed={on}
              onClick={() => p.onHear(on ? null : i, at(Math.max(0, x.from - 1)), at(x.to + 1))}
            >
              {on ? <Square size={12} /> : <Play size={12} />}
            </button>
            {p.onMark && (
              <button
                className="flex h-6 w-6 shrink-0 cursor-pointer items-center justify-center rounded-full text-muted hover:bg-band hover:text-ink"
                aria-label={`Mark it at ${tc}`}
                title="Set a mark on the reel here"
                onClick={() => p.onMark!(placeWords(x), at(x.from), at(x.to))}
              >
                <Flag size={12} />
              </button>
            )}
          </li>
        );
      })}
      {p.places.length > 200 && <li className="py-1 text-muted">and {p.places.length - 200} more</li>}
    </ul>
  );
}
