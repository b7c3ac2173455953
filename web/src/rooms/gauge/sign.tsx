import type { Verdict } from "./judge";

const words = { in: "inside what is asked", off: "off what is asked", free: "not limited" };

/** A small square of cloth: lime inside what is asked, hatched in vermilion off it, pale where nothing is asked. */
export function Sign({ of }: { of: Verdict }) {
  const background = {
    in: "var(--lime)",
    off: "repeating-linear-gradient(45deg, var(--wrong) 0 2px, var(--paper) 2px 4px)",
    free: "var(--band)",
  }[of];
  return (
    <span
      className="inline-block h-2.5 w-2.5 shrink-0 rounded-[2px] border"
      style={{ background, borderColor: of === "off" ? "var(--wrong)" : of === "in" ? "var(--lime)" : "var(--line)" }}
      role="img"
      aria-label={words[of]}
    />
  );
}
