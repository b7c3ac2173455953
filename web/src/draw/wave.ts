// One channel of a take as a waveform, a column for each pixel.
import { extent, levelFor } from "./overview";

export type Channel = {
  take: string;
  /** How many the take has, and which of them it is, from 0. */
  channels: number;
  channel: number;
};

/** Where it is drawn, in pixels, and what of the take lies there: from is the frame at the left edge of the canvas. */
export type Place = { first: number; last: number; middle: number; half: number; from: number; perPixel: number };

const extentAt = (c: Channel, p: Place, x: number) => {
  const at = p.from + x * p.perPixel;
  return extent(c.take, c.channels, c.channel, levelFor(p.perPixel), at, at + p.perPixel);
};

/** The largest sample of what is drawn, full scale 1; 0 while nothing of it has come. */
export function loudest(c: Channel, p: Place): number {
  let most = 0;
  for (let x = p.first; x < p.last; x++) {
    const e = extentAt(c, p, x);
    if (e) most = Math.max(most, e.high, -e.low);
  }
  return most;
}

/** Paints its peaks, and as the darker body its RMS, in the colour that is set. What is still on its way is a thin line. */
export function paintWave(g: CanvasRenderingContext2D, c: Channel, p: Place, scale: number, faint: boolean) {
  for (let x = p.first; x < p.last; x++) {
    const e = extentAt(c, p, x);
    const size = (v: number) => Math.min(p.half, v * scale * p.half);
    const up = e ? size(e.high) : 0;
    const down = e ? size(-e.low) : 0;
    g.globalAlpha = faint ? 0.35 : 0.6;
    g.fillRect(x, p.middle - up - 0.5, 1, Math.max(1, up + down));
    const body = e ? size(e.rms) : 0;
    g.globalAlpha = faint ? 0.55 : 1;
    if (body > 0.5) g.fillRect(x, p.middle - body, 1, 2 * body);
  }
  g.globalAlpha = 1;
}
