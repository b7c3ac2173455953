import { Link } from "react-router";

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
