import { Headphones } from "lucide-react";
import { ContextMenu } from "radix-ui";
import { useEffect, useMemo, useRef } from "react";

import type { ReelView, Spec } from "../../../api/client";
import { colour, fit } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import { player, type Tap } from "../../../listen/player";
import { strictest } from "../../print/specwords";
import { columnName, outputName } from "../ground/cells";
import { middleOf, type Columns } from "../ground/columns";
import { quiet } from "../../../ui/quiet";

/** The lowest level a meter shows, in dBFS. */
const floor = -60;
/** dBFS of a reading on the programme meter's scale. */
export const ofPPM = (ppm: number) => -18 + 4 * (ppm - 4);
/** Where a programme should mostly be: from PPM 2 up to what the spec allows. */
export const band = (spec: Spec | undefined): [number, number] => [ofPPM(2), ofPPM(strictest(spec, "ppmMax") ?? 6)];

const share = (dB: number) => Math.max(0, Math.min(1, (dB - floor) / -floor));

/** Where the meter of each output stands: below its column, or side by side below its folded group. */
function places(columns: Columns): { output: number; x: number; width: number }[] {
  const out: { output: number; x: number; width: number }[] = [];
  for (const c of columns.list) {
    const width = c.folded ? Math.max(2, Math.min(12, (c.width - 12) / c.outputs.length)) : 12;
    const left = middleOf(c) - (width * c.outputs.length) / 2;
    c.outputs.forEach((o, i) => out.push({ output: o.number - 1, x: left + i * width, width: c.folded ? width - 1 : width }));
  }
  return out;
}

/** How often what the meters read is put into words, in milliseconds. */
const readEvery = 500;

/** What the meters read, for a screen reader. */
function Readings({ view }: { view: ReelView }) {
  const list = useRef<HTMLDivElement>(null);
  useEffect(() => {
    let due = 0;
    return player.subscribe(() => {
      const { playing, meters } = player.snapshot();
      if (playing && performance.now() < due) return;
      due = performance.now() + readEvery;
      view.outputs.forEach((o, i) => {
        const read = playing ? Math.max(floor, Math.min(0, meters[o.number - 1] ?? floor)) : floor;
        const el = list.current?.children[i];
        el?.setAttribute("aria-valuenow", String(Math.round(read)));
        el?.setAttribute("aria-valuetext", read > floor ? `${Math.round(read)} dBFS` : "silent");
      });
    });
  }, [view.outputs]);
  return (
    <div ref={list} className="sr-only">
      {view.outputs.map((o) => (
        <span
          key={o.id}
          role="meter"
          aria-label={outputName(view, o)}
          aria-valuemin={floor}
          aria-valuemax={0}
          aria-valuenow={floor}
          aria-valuetext="silent"
        />
      ))}
    </div>
  );
}

/** A meter below each output column: ink, judged against the spec's band; what goes over it is hatched. */
export const Meters = quiet(function Meters({
  view,
  columns,
  spec,
  tap,
  onTap,
  onSignal,
}: {
  view: ReelView;
  columns: Columns;
  spec: Spec | undefined;
  tap: Tap;
  onTap: (t: Tap) => void;
  onSignal: (outputs: string[], names: boolean) => void;
}) {
  const [low, high] = band(spec);
  const at = useMemo(() => places(columns), [columns]);
  const canvas = useCanvas(
    (c) => {
      const s = fit(c);
      if (s) paintMeters(s.g, s.height, at, low, high);
    },
    [at, low, high],
  );
  useEffect(
    () =>
      player.subscribe(() => {
        const s = canvas.current && fit(canvas.current);
        if (s) paintMeters(s.g, s.height, at, low, high);
      }),
    [canvas, at, low, high],
  );
  return (
    <div className="relative flex h-full flex-col" style={{ width: columns.width }} role="group" aria-label="Meters of the outputs">
      <canvas ref={canvas} className="mt-2 min-h-0 w-full grow" aria-hidden />
      <Readings view={view} />
      <div className="relative h-[46px] shrink-0">
        {columns.list.map((c) => {
          const kind = c.folded ? "group" : "output";
          const on = tap.kind === kind && tap.id === c.key;
          const name = c.folded ? columnName(view, c) : outputName(view, c.outputs[0]!);
          return (
            <span
              key={c.key}
              data-meter={c.key}
              className="absolute top-0.5 flex flex-col items-center gap-0.5"
              style={{ left: c.x, width: c.width }}
            >
              <span className="tc max-w-full truncate text-[11px]">{c.folded ? c.group.tag || c.group.name : c.outputs[0]!.label}</span>
              <ContextMenu.Root>
                <ContextMenu.Trigger asChild>
                  <button
                    className={`flex h-[22px] w-[22px] cursor-pointer items-center justify-center rounded-full border
                      ${on ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
                    aria-pressed={on}
                    aria-label={`Listen to ${name} alone`}
                    title={`Listen to ${name} alone; its menu sends a tone or its name to it`}
                    onClick={() => onTap({ kind, id: c.key })}
                  >
                    <Headphones size={12} />
                  </button>
                </ContextMenu.Trigger>
                <ContextMenu.Portal>
                  <ContextMenu.Content className="menu">
                    <ContextMenu.Item className="menu-item" onSelect={() => onTap({ kind, id: c.key })}>
                      Listen to {name} alone
                    </ContextMenu.Item>
                    <ContextMenu.Item
                      className="menu-item"
                      onSelect={() =>
                        onSignal(
                          c.outputs.map((o) => o.id),
                          false,
                        )
                      }
                    >
                      Send a tone to it
                    </ContextMenu.Item>
                    <ContextMenu.Item
                      className="menu-item"
                      onSelect={() =>
                        onSignal(
                          c.outputs.map((o) => o.id),
                          true,
                        )
                      }
                    >
                      Say its name on it
                    </ContextMenu.Item>
                  </ContextMenu.Content>
                </ContextMenu.Portal>
              </ContextMenu.Root>
            </span>
          );
        })}
      </div>
    </div>
  );
});

function paintMeters(g: CanvasRenderingContext2D, height: number, at: ReturnType<typeof places>, low: number, high: number) {
  const { meters } = player.snapshot();
  const [ink, well, lime, wrong, warp] = ["--ink", "--band", "--lime", "--wrong", "--warp"].map(colour) as [
    string,
    string,
    string,
    string,
    string,
  ];
  const y = (dB: number) => height - share(dB) * height;
  for (const { output, x, width } of at) {
    const inset = Math.min(3, width / 4);
    g.fillStyle = well;
    g.fillRect(x, 0, width, height);
    g.fillStyle = lime;
    g.globalAlpha = 0.45;
    g.fillRect(x, y(high), width, y(low) - y(high));
    g.globalAlpha = 1;
    const reading = meters[output] ?? -200;
    if (reading > floor) {
      g.fillStyle = reading < low ? warp : ink;
      g.fillRect(x + inset, y(Math.min(reading, high)), width - 2 * inset, height - y(Math.min(reading, high)));
    }
    if (reading <= high) continue;
    g.strokeStyle = wrong;
    g.lineWidth = 1.5;
    for (let to = y(high); to > y(reading); to -= 3.5) {
      g.beginPath();
      g.moveTo(x + inset - 1, to);
      g.lineTo(x + width - inset + 1, to - 3);
      g.stroke();
    }
  }
  paintScale(g, at, y);
}

/** Places of the scale, in dBFS. */
const scale = [-10, -20, -30, -40, -50];

/** The scale of the meters: a stroke in each at every 10 dB, and its figure beside the first, where there is room for it. */
function paintScale(g: CanvasRenderingContext2D, at: ReturnType<typeof places>, y: (dB: number) => number) {
  const [first, second] = at;
  if (!first) return;
  const room = (second ? second.x : first.x + 40) - first.x - first.width;
  g.fillStyle = colour("--muted");
  g.font = '9px "Spline Sans Mono Variable", monospace';
  g.textBaseline = "middle";
  const tall = y(-20) - y(-10) >= 11; // else figures stand in each other
  if (y(-40) - y(-20) < 11) return;
  for (const dB of scale) {
    for (const { x, width } of at) g.fillRect(x, Math.round(y(dB)), Math.min(3, width), 1);
    if (room > 14 && (tall || dB % 20 === 0)) g.fillText(String(-dB), first.x + first.width + 2, y(dB));
  }
}
