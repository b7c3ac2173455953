import { useState } from "react";

import type { Clip, Command, Take, Track } from "../../../api/client";
import { Dialog } from "../../../ui/dialog";
import { number } from "../ground/numbers";

/** Gains in dB as they are typed, a row for each channel of the take and a column for each of the track; empty for none. */
type Typed = string[][];

/** A factor in dB, with ø behind it where polarity is turned. */
const asDB = (gain: number) => (gain === 0 ? "" : `${Math.round(2000 * Math.log10(Math.abs(gain))) / 100}${gain < 0 ? " ø" : ""}`);

/** Half, and half of the power: as they are typed, −6.02 and −3.01 dB, they mean these to the last bit. */
const exact = [0.5, Math.SQRT1_2, 1];

/** The factor that is typed in dB; ø, or p, behind it turns polarity. Null where it is none. */
export function factorOf(text: string): number | null {
  const turned = /[øØp]\s*$/.test(text);
  const bare = text.replace(/[øØp]\s*$/, "").trim();
  const dB = turned && bare === "" ? 0 : number(bare);
  if (dB === null) return null;
  const gain = exact.find((g) => Math.abs(20 * Math.log10(g) - dB) < 0.005) ?? 10 ** (dB / 20);
  return turned ? -gain : gain;
}

/** What is often wanted of two channels of a take, as gains from the first and from the second to each of the track's. */
export const presets: { name: string; about: string; gains: (width: number) => [string[], string[]] }[] = [
  { name: "Left to both", about: "The first alone, everywhere", gains: (w) => [Array(w).fill("0"), Array(w).fill("")] },
  { name: "Right to both", about: "The second alone, everywhere", gains: (w) => [Array(w).fill(""), Array(w).fill("0")] },
  { name: "Sum", about: "Half of each, everywhere", gains: (w) => [Array(w).fill("-6.02"), Array(w).fill("-6.02")] },
  {
    name: "Mid and side",
    about: "The first is the middle and the second the side: left is both, right the one less the other",
    gains: () => [
      ["0", "0"],
      ["0", "0 ø"],
    ],
  },
  {
    name: "Change over",
    about: "The first to the right and the second to the left",
    gains: () => [
      ["", "0"],
      ["0", ""],
    ],
  },
];

/** Those that a track of so many channels can have. */
export const presetsFor = (width: number) => presets.filter((p) => width === 2 || p.gains(width)[0].length === width);

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
      const gain = text.trim() === "" ? 0 : factorOf(text);
      if (gain === null) return `“${text}” is no gain in dB`;
      if (Math.abs(gain) > 10 ** (24 / 20)) return "A gain is at most 24 dB";
      row.push(gain);
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
  alike,
  onDo,
  onClose,
}: {
  clip: Clip;
  take: Take;
  track: Track;
  /** Others that are chosen and that the same can be done to. */
  alike: Clip[];
  onDo: (c: Command) => void;
  onClose: () => void;
}) {
  const [typed, setTyped] = useState(() => typedOf(clip, take, track.labels.length));
  const [refused, setRefused] = useState("");
  const name = (l: string, i: number) => (l === "M" ? (track.labels.length === 1 ? track.name : String(i + 1)) : l);
  const [all, setAll] = useState(true);
  // The two channels of the take that the clip uses, else its first two.
  const two = clip.channels.length >= 2 ? clip.channels.slice(0, 2) : take.channels.length >= 2 ? [0, 1] : [];
  const put = (c: number, r: number, text: string) =>
    setTyped(typed.map((row, i) => (i === c ? row.map((t, k) => (k === r ? text : t)) : row)));
  return (
    <Dialog
      open
      onOpenChange={onClose}
      title={`Channels of ${clip.name}`}
      about={
        "Gains in dB from the channels of its take to those of the track; an empty field lets nothing through, " +
        "ø or p behind a gain turns its polarity. The take stays as it is."
      }
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          const m = matrixOf(typed);
          if (typeof m === "string") return setRefused(m);
          const one = (c: Clip) => ({ kind: "setMatrix" as const, command: { clip: c.id, ...m } });
          onDo(all && alike.length > 0 ? { kind: "several", command: { commands: [clip, ...alike].map(one) } } : one(clip));
          onClose();
        }}
      >
        {two.length === 2 && (
          <div className="mb-3 flex flex-wrap gap-2">
            {presetsFor(track.labels.length).map((p) => (
              <button
                key={p.name}
                type="button"
                className="pill"
                title={p.about}
                onClick={() => {
                  const gains = p.gains(track.labels.length);
                  setTyped(typed.map((row, c) => gains[two.indexOf(c)] ?? row.map(() => "")));
                }}
              >
                {p.name}
              </button>
            ))}
          </div>
        )}
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
          {alike.length > 0 && (
            <label className="mr-auto flex cursor-pointer items-center gap-2 text-[13px]">
              <input type="checkbox" className="accent-act" checked={all} onChange={(e) => setAll(e.target.checked)} />
              {alike.length === 1 ? "the other chosen clip too" : `the ${alike.length} other chosen clips too`}
            </label>
          )}
          <button className="pill-act">Use them so</button>
        </div>
      </form>
    </Dialog>
  );
}
