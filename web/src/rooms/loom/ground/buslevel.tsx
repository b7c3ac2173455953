import { Spline } from "lucide-react";

import type { Bus } from "../../../api/client";
import { movingOf } from "./curves";

/** What is done at a row, in a few words. */
export function busWords(b: Bus): string {
  const moving = movingOf(b);
  const turned = Object.entries(b.feed ?? {})
    .filter(([, v]) => typeof v === "number" && v !== 0)
    .map(([what]) => (what === "pan" ? "balanced" : what === "turn" ? "turned" : what));
  return [b.gainDB ? levelSign(b.gainDB) : "", ...turned, moving.length > 0 ? `moves: ${moving.join(", ")}` : ""]
    .filter(Boolean)
    .join(", ");
}

const levelSign = (dB: number) => `${dB > 0 ? "+" : "−"}${Math.abs(dB)} dB`;

/** The level of a stem, strand, mix or output group, seen without opening it, and the way to where it is set. */
export function BusLevel({ name, does, onOpen }: { name: string; does: Bus | undefined; onOpen: () => void }) {
  const moves = does && movingOf(does).length > 0;
  const words = does ? busWords(does) : "0 dB";
  return (
    <button
      className={`tc flex h-5 shrink-0 cursor-pointer items-center gap-1 rounded px-1 text-[11px] hover:bg-ground hover:text-ink
        focus-visible:opacity-100 ${does ? "text-ink" : "text-muted opacity-0 group-hover/bus:opacity-100"}`}
      aria-label={`Level of ${name}: ${words}`}
      title={`Level: ${words}. Press to set it, or to have it move`}
      onClick={onOpen}
    >
      {does?.gainDB || !moves ? levelFigure(does?.gainDB ?? 0) : null}
      {moves && <Spline size={12} />}
    </button>
  );
}

const levelFigure = (dB: number) => (dB === 0 ? "0 dB" : `${dB > 0 ? "+" : "−"}${Math.abs(dB)}`);
