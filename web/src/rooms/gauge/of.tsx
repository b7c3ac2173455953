import { Link } from "react-router";

/** How many times the sample rate true peak is looked for at. */
export type Factor = 4 | 8;

/** How a reel is measured and judged: after its spec where no profile is named. */
export type Asked = { profile: string | undefined; oversample: Factor };

export function Oversample({ value, onChange }: { value: Factor; onChange: (to: Factor) => void }) {
  return (
    <label className="flex items-center gap-1.5 text-[13px] text-muted" title="How many times the sample rate true peak is looked for at">
      True peak at
      <select className="field" value={value} onChange={(e) => onChange(e.target.value === "8" ? 8 : 4)}>
        <option value={4}>4×</option>
        <option value={8}>8×</option>
      </select>
    </label>
  );
}

/** What is measured: a reel, or files by themselves. */
export function Of({ production, files }: { production: string; files: boolean }) {
  const side = (to: string, name: string, here: boolean) => (
    <Link
      className={`flex h-7 grow items-center justify-center px-3 ${here ? "bg-ink font-semibold text-ground" : "bg-paper hover:bg-band"}`}
      aria-current={here ? "page" : undefined}
      to={`/p/${production}/${to}`}
    >
      {name}
    </Link>
  );
  return (
    <nav className="mx-4 mb-3 flex shrink-0 overflow-hidden rounded-full border border-line text-[13px]" aria-label="What is measured">
      {side("gauge", "Reels", !files)}
      {side("gauge/files", "Files", files)}
    </nav>
  );
}
