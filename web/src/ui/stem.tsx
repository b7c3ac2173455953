import { dyeName } from "../draw/canvas";

// How a stem looks wherever it is named: its two letters on its dye; dashed while it is a suggestion.
export function StemTag({ stem, suggested = false }: { stem: string; suggested?: boolean }) {
  const dyed = `var(${dyeName(stem)})`;
  const style = suggested || stem === ""
    ? { color: "var(--ink)", borderColor: dyed, background: "transparent" }
    : { background: dyed, borderColor: dyed, color: stem === "DX" ? "var(--on-DX)" : "var(--on-dye)" };
  return (
    <span className={`tc inline-flex h-[18px] w-[26px] shrink-0 items-center justify-center rounded border-[1.5px] text-[11px] font-bold ${suggested ? "border-dashed" : ""}`} style={style}>
      {stem || "–"}
    </span>
  );
}
