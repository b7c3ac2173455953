import { DropdownMenu } from "radix-ui";

import { dimDB, lowestDB, output, useOutput } from "../listen/output";
import { player, usePlayer } from "../listen/player";
import { decimal } from "../ui/figures";
import { keyOf, keySign, useActions } from "../ui/keys";
import { useRemembered } from "../ui/remembered";
import { many } from "../ui/words";
import { scaleOf, scales } from "./programme";

/** Level, dim and mono of all that sounds, and dropouts where there were any. */
export function PlayBar() {
  const gaps = usePlayer((s) => s.gaps);
  const o = useOutput();
  useActions({ dim: () => output.set({ dim: !o.dim }) });
  const turn = (on: boolean, name: string, title: string, onClick: () => void) => (
    <button
      className={`h-6 cursor-pointer rounded-full border px-2 text-[12px] ${on ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
      aria-pressed={on}
      title={title}
      onClick={onClick}
    >
      {name}
    </button>
  );
  return (
    <div className="flex shrink-0 items-center gap-1.5 max-[700px]:hidden" role="group" aria-label="Listening">
      {gaps > 0 && (
        <button
          className="h-6 cursor-pointer text-[12px] text-muted underline decoration-dotted underline-offset-2"
          title="The connection was too slow for what plays. Press to put this away"
          onClick={() => player.clearGaps()}
        >
          {many(gaps, "dropout")}
        </button>
      )}
      <input
        type="range"
        className="h-6 w-16 accent-ink"
        min={lowestDB}
        max={0}
        step={1}
        value={o.dB}
        aria-label="Level of the loudspeakers"
        aria-valuetext={o.dB <= lowestDB ? "off" : `${o.dB} dB`}
        title={`Level of the loudspeakers: ${o.dB <= lowestDB ? "off" : `${o.dB} dB`.replace("-", "−")}. Nothing that is printed changes. Press twice for 0 dB`}
        onChange={(e) => output.set({ dB: Number(e.target.value) })}
        onDoubleClick={() => output.set({ dB: 0 })}
      />
      {turn(o.dim, "Dim", `Softer by ${-dimDB} dB, and back (${keySign(keyOf("dim"))})`, () => output.set({ dim: !o.dim }))}
      {turn(o.mono, "Mono", "Both sides added up, whatever plays; nothing that is printed changes", () => output.set({ mono: !o.mono }))}
    </div>
  );
}

/** What is heard, measured while it is heard: since playing began, or since something else is listened to. */
export function LiveStrip() {
  const playing = usePlayer((s) => s.playing !== null);
  const r = usePlayer((s) => s.loudness);
  const [scale, setScale] = useRemembered("programme meter", "IIa");
  if (!playing || !r) return null;
  const on = scaleOf(scale);
  const reads = r[on.moves];
  const figures: [string, string, number | null][] = [
    ["M", "Momentary loudness, LUFS", r.momentary],
    ["S", "Short-term loudness, LUFS", r.shortTerm],
    ["I", "Integrated loudness since playing began, LUFS", r.integrated],
    ["TP", "Highest true peak since playing began, dBTP", r.truePeak],
  ];
  return (
    <dl className="tc mr-1 flex shrink-0 items-center gap-2.5 text-[12px] max-[1100px]:hidden" aria-label="What is heard">
      {figures.map(([sign, words, value]) => (
        <div key={sign} className="flex items-baseline gap-1" title={words}>
          <dt className="text-muted">{sign}</dt>
          <dd className="min-w-[5ch] text-right">{decimal(value)}</dd>
        </div>
      ))}
      <div className="flex items-baseline gap-1 max-[1399px]:hidden">
        <dt>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              className="min-h-6 cursor-pointer text-muted underline decoration-dotted underline-offset-2"
              title={`Programme meter, IEC 60268-10. ${on.title}`}
            >
              {on.unit === "PPM" ? "PPM" : `PPM ${on.id}`}
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content className="menu" sideOffset={4} align="end">
                {scales.map((s) => (
                  <DropdownMenu.Item key={s.id} className="menu-item" onSelect={() => setScale(s.id)}>
                    {s.title}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </dt>
        <dd className="min-w-[5ch] text-right">{decimal(reads === null || reads < -80 ? null : on.of(reads))}</dd>
      </div>
      <div className="flex items-center gap-1 max-[1399px]:hidden" title={`Correlation of the front pair: ${decimal(r.correlation, 2)}`}>
        <dt className="sr-only">Correlation</dt>
        <dd className="relative h-2 w-10 rounded-full bg-band">
          <span className="sr-only">{decimal(r.correlation, 2)}</span>
          {r.correlation !== null && (
            <span
              className="absolute top-0 h-2 w-1 rounded-full"
              style={{ left: `${((r.correlation + 1) / 2) * 36}px`, background: r.correlation < 0 ? "var(--wrong)" : "var(--ink)" }}
            />
          )}
        </dd>
      </div>
    </dl>
  );
}
