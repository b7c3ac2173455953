import { dyeName } from "../draw/canvas";

// How a stem looks wherever it is named: its two letters on its dye; dashed while it is a suggestion.
export function StemTag({ stem, suggested = false, low = false }: { stem: string; suggested?: boolean; low?: boolean }) {
  const dyed = `var(${dyeName(stem)})`;
  const style =
    suggested || stem === ""
      ? { color: "var(--ink)", borderColor: dyed, background: "transparent" }
      : { background: dyed, borderColor: dyed, color: stem === "DX" ? "var(--on-DX)" : "var(--on-dye)" };
  return (
    <span
      className={`tc inline-flex w-[26px] shrink-0 items-center justify-center rounded border-[1.5px] font-bold
        ${low ? "h-[15px] text-[10px]" : "h-[18px] text-[11px]"} ${suggested ? "border-dashed" : ""}`}
      style={style}
    >
      {stem || "–"}
    </span>
  );
}
