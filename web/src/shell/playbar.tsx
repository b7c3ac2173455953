import { dimDB, lowestDB, output, useOutput } from "../listen/output";
import { player, usePlayer } from "../listen/player";
import { Loudspeakers } from "./loudspeakers";
import { keyOf, keySign, useActions } from "../ui/keys";
import { many } from "../ui/words";

/** Level, dim and mono of all that sounds, and dropouts where there were any. */
export function PlayBar() {
  const gaps = usePlayer((s) => s.gaps);
  const waits = usePlayer((s) => s.waits);
  const o = useOutput();
  useActions({ dim: () => output.set({ dim: !o.dim }) });
  const turn = (on: boolean, name: string, title: string, onClick: () => void) => (
    <button
      className={`h-6 cursor-pointer rounded-full border px-2 text-[12px]
        ${on ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
      aria-pressed={on}
      title={title}
      onClick={onClick}
    >
      {name}
    </button>
  );
  return (
    <div className="flex shrink-0 items-center gap-1.5" role="group" aria-label="Listening">
      {waits && (
        <span
          className="text-[12px] font-semibold"
          title="The server plays for as many as it can without gaps; it begins by itself when there is room"
        >
          Waiting for room…
        </span>
      )}
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
      {!o.speakers &&
        turn(o.mono, "Mono", "Both sides added up, whatever plays; nothing that is printed changes", () => output.set({ mono: !o.mono }))}
      <Loudspeakers />
    </div>
  );
}
