import { Headphones } from "lucide-react";
import { useEffect, useRef } from "react";

import type { ReelView, Spec } from "../../api/client";
import { colour, fit } from "../../draw/canvas";
import { player, type Tap } from "../../listen/player";
import { useLight } from "../../ui/light";
import { columnX, weaveWidth } from "./geometry";
import { outputName } from "./weave";

/** The lowest level a meter shows, in dBFS. */
const floor = -60;
/** dBFS of a reading on the programme meter's scale. */
export const ofPPM = (ppm: number) => -18 + 4 * (ppm - 4);
/** Where a programme should mostly be: from PPM 2 up to what the spec allows. */
export const band = (spec: Spec | undefined): [number, number] => [ofPPM(2), spec?.ppmMax != null ? ofPPM(spec.ppmMax) : ofPPM(6)];

const share = (dB: number) => Math.max(0, Math.min(1, (dB - floor) / -floor));

/** A meter below each output column: ink, judged against the spec's band; what goes over it is hatched. */
export function Meters({ view, spec, tap, onTap }: { view: ReelView; spec: Spec | undefined; tap: Tap; onTap: (t: Tap) => void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  const [low, high] = band(spec);
  useEffect(() => {
    const paint = () => {
      const surface = canvas.current && fit(canvas.current);
      if (!surface) return;
      const { g, height } = surface;
      const { meters } = player.snapshot();
      const [ink, well, lime, wrong, warp] = ["--ink", "--band", "--lime", "--wrong", "--warp"].map(colour) as [string, string, string, string, string];
      view.outputs.forEach((_, i) => {
        const x = columnX(i) - 6;
        const y = (dB: number) => height - share(dB) * height;
        g.fillStyle = well;
        g.fillRect(x, 0, 12, height);
        g.fillStyle = lime;
        g.globalAlpha = 0.45;
        g.fillRect(x, y(high), 12, y(low) - y(high));
        g.globalAlpha = 1;
        const reading = meters[i] ?? -200;
        if (reading > floor) {
          g.fillStyle = reading < low ? warp : ink;
          g.fillRect(x + 3, y(Math.min(reading, high)), 6, height - y(Math.min(reading, high)));
        }
        if (reading > high) {
          g.strokeStyle = wrong;
          g.lineWidth = 1.5;
          for (let at = y(high); at > y(reading); at -= 3.5) {
            g.beginPath();
            g.moveTo(x + 2, at);
            g.lineTo(x + 10, at - 3);
            g.stroke();
          }
        }
      });
    };
    paint();
    const stop = player.subscribe(paint);
    return () => {
      stop();
    };
  }, [view.outputs, low, high, light]);
  return (
    <div className="relative flex h-full flex-col" style={{ width: weaveWidth(view.outputs.length) }}>
      <canvas ref={canvas} className="mt-2 min-h-0 w-full grow" aria-label="Meters of the outputs" />
      <div className="relative h-[46px] shrink-0">
        {view.outputs.map((o, i) => {
          const on = tap.kind === "output" && tap.id === o.id;
          return (
            <span key={o.id} className="absolute top-0.5 flex w-[30px] flex-col items-center gap-0.5" style={{ left: columnX(i) - 15 }}>
              <span className="tc text-[11px]">{o.label}</span>
              <button
                className={`flex h-[22px] w-[22px] cursor-pointer items-center justify-center rounded-full border ${on ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
                aria-pressed={on}
                aria-label={`Listen to ${outputName(view, o)} alone`}
                title={`Listen to ${outputName(view, o)} alone`}
                onClick={() => onTap({ kind: "output", id: o.id })}
              >
                <Headphones size={12} />
              </button>
            </span>
          );
        })}
      </div>
    </div>
  );
}
