import type { Tried } from "../listen/player";

/** What of a chain is heard: what comes out of it where nothing is said. */
export type Way = Tried["hear"];

/** Chooses what of a chain is heard; words are what the ways are called, and what each means. */
export function HearWays(p: { hear: Way; onHear: (h: Way) => void; words: [Way, string, string][] }) {
  return (
    <div className="flex" role="radiogroup" aria-label="What is heard">
      {p.words.map(([way, words, title]) => (
        <button
          key={words}
          role="radio"
          aria-checked={p.hear === way}
          className={`h-6 cursor-pointer border border-line px-2 first:rounded-l-full last:rounded-r-full ${p.hear === way ? "bg-ink text-ground" : ""}`}
          title={title}
          onClick={() => p.onHear(way)}
        >
          {words}
        </button>
      ))}
    </div>
  );
}

/** By how much what comes to a chain is louder or softer, to be as loud as what comes out, in dB. */
export const asLoud = (loudness: (number | null | undefined)[] | undefined) =>
  Math.max(-24, Math.min(24, (loudness?.[1] ?? 0) - (loudness?.[0] ?? 0)));
