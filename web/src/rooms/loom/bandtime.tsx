import type { ReelView } from "../../api/client";
import { fit } from "../../draw/canvas";
import { useCanvas } from "../../draw/usecanvas";
import type { BandRow } from "./band";
import { sampleAt } from "./geometry";
import { paintBand, type TakeWidths } from "./paint";
import type { Rows } from "./rows";
import { useScroll, type Scroll } from "./scroll";
import { ShuttleLine } from "./shuttleline";
import { onFrame } from "./snap";
import { useWheel } from "./wheel";

/** The band in time, below the tracks. */
export function BandTime(p: { view: ReelView; band: BandRow[]; bandRow: number; scroll: Scroll; takes: TakeWidths; rows: Rows; at: number; onGo: (sample: number) => void }) {
  const time = useScroll(p.scroll);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintBand(s.g, s.width, { ...p, time });
    },
    [p.view, p.band, p.bandRow, time, p.takes, p.rows],
  );
  const box = useWheel(p.scroll);
  return (
    <div ref={box} className="relative w-full overflow-hidden" style={{ height: p.band.length * p.bandRow }} onPointerDown={(e) => p.onGo(onFrame(p.view, sampleAt(time, e.clientX - e.currentTarget.getBoundingClientRect().left)))}>
      <canvas ref={canvas} className="absolute inset-0 h-full w-full" />
      <ShuttleLine view={p.view} time={time} at={p.at} />
    </div>
  );
}
