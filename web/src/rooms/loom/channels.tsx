import { useState } from "react";

import type { Clip, Command, Take, Track } from "../../api/client";
import { Dialog } from "../../ui/dialog";
import { number } from "./numbers";

/** Gains in dB as they are typed, a row for each channel of the take and a column for each of the track; empty for none. */
type Typed = string[][];

const asDB = (gain: number) => (gain === 0 ? "" : String(Math.round(200 * Math.log10(Math.abs(gain))) / 10));

/** What a clip uses of its take now. */
export function typedOf(clip: Clip, take: Take, width: number): Typed {
  const each =
    clip.matrix ??
    (clip.sum
      ? Array.from({ length: width }, () => clip.channels.map(() => 1 / clip.channels.length))
      : Array.from({ length: width }, (_, r) => clip.channels.map((_, c) => (r === c || width === 1 ? 1 : 0))));
  return take.channels.map((_, channel) => {
    const column = clip.channels.indexOf(channel);
    return Array.from({ length: width }, (_, r) => (column < 0 ? "" : asDB(each[r]?.[column] ?? 0)));
  });
}

/** The channels and the matrix that gains stand for, or what is wrong with them. */
export function matrixOf(typed: Typed): { channels: number[]; matrix: number[][] } | string {
  const channels = typed.flatMap((row, i) => (row.some((t) => t.trim() !== "") ? [i] : []));
  if (channels.length === 0) return "Give at least one channel a gain; 0 is as it is";
  const width = typed[0]!.length;
  const matrix: number[][] = [];
  for (let r = 0; r < width; r++) {
    const row: number[] = [];
    for (const c of channels) {
      const text = typed[c]![r]!;
      const dB = text.trim() === "" ? -Infinity : number(text);
      if (dB === null) return `“${text}” is no gain in dB`;
      if (dB > 24) return "A gain is at most 24 dB";
      row.push(dB === -Infinity ? 0 : 10 ** (dB / 20));
    }
    matrix.push(row);
  }
  return { channels, matrix };
}

/** Which channels of its take a clip uses, each at gains of its own. */
export function ClipChannels({
  clip,
  take,
  track,
  onDo,
  onClose,
}: {
  clip: Clip;
  take: Take;
  track: Track;
  onDo: (c: Command) => void;
  onClose: () => void;
}) {
  const [typed, setTyped] = useState(() => typedOf(clip, take, track.labels.length));
  const [refused, setRefused] = useState("");
  const name = (l: string, i: number) => (l === "M" ? (track.labels.length === 1 ? track.name : String(i + 1)) : l);
  const put = (c: number, r: number, text: string) =>
    setTyped(typed.map((row, i) => (i === c ? row.map((t, k) => (k === r ? text : t)) : row)));
  return (
    <Dialog
      open
      onOpenChange={onClose}
      title={`Channels of ${clip.name}`}
      about="Gains in dB from the channels of its take to those of the track; an empty field lets nothing through. The take stays as it is."
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          const m = matrixOf(typed);
          if (typeof m === "string") return setRefused(m);
          onDo({ kind: "setMatrix", command: { clip: clip.id, ...m } });
          onClose();
        }}
      >
        <div className="max-h-[50vh] overflow-auto">
          <table className="text-[13px]">
            <thead>
              <tr>
                <th />
                {track.labels.map((l, i) => (
                  <th key={i} className="px-2 pb-1 text-center font-semibold">
                    {name(l, i)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {take.channels.map((ch, c) => (
                <tr key={c}>
                  <th className="max-w-48 truncate pr-3 text-left font-normal">
                    <span className="tc text-muted">{c + 1}</span> {ch.name || "no name"}
                  </th>
                  {track.labels.map((l, r) => (
                    <td key={r} className="px-1 py-0.5">
                      <input
                        className="field tc h-7 w-16 text-right"
                        aria-label={`${ch.name || `Channel ${c + 1}`} to ${name(l, r)} in dB`}
                        value={typed[c]![r]}
                        onChange={(e) => put(c, r, e.target.value)}
                      />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        {refused && (
          <p role="alert" className="mt-2 text-wrong">
            {refused}
          </p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          {track.labels.length === 2 && (
            <button type="button" className="pill mr-auto" onClick={() => setTyped(typed.map((row) => [...row].reverse()))}>
              Change the sides over
            </button>
          )}
          <button className="pill-act">Use them so</button>
        </div>
      </form>
    </Dialog>
  );
}
