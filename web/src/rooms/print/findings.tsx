import { AlertTriangle, Check, X } from "lucide-react";

import type { Finding, Receipt } from "../../api/client";

/** How grave a finding is, as a sign with its word. */
export function Severity({ of }: { of: Finding["severity"] }) {
  if (of === "ok")
    return <Check size={16} strokeWidth={3} className="mt-0.5 shrink-0" style={{ color: "var(--dye-FX)" }} aria-label="passed" />;
  if (of === "warning")
    return <AlertTriangle size={16} className="mt-0.5 shrink-0" style={{ color: "var(--dye-DX)" }} aria-label="worth a look" />;
  return <X size={16} strokeWidth={3} className="mt-0.5 shrink-0 text-wrong" aria-label="found wanting" />;
}

/** A figure; where there is none, why: nothing is heard, or too little for what is measured over a while. */
const value = (x: number | null, heard: boolean) => (x === null ? (heard ? "too short" : "silent") : x.toFixed(1).replace("-", "−"));

/** What was measured of the groups in the files. */
export function Measured({ groups }: { groups: NonNullable<Receipt["receipt"]>["groups"] }) {
  return (
    <section className="mt-5">
      <h2 className="mb-1.5 font-bold">Measured in the files</h2>
      <table className="w-full text-left">
        <thead className="text-[13px] text-muted">
          <tr>
            {["Group", "Integrated, LUFS", "Range, LU", "Short-term max, LUFS", "True peak, dBTP", "Highest PPM"].map((h, i) => (
              <th key={h} className={`pb-1 font-normal ${i > 0 ? "text-right" : ""}`}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {groups.map((g, i) => (
            <tr key={i} className="border-t border-line">
              <td className="py-1.5 font-semibold">{g.name}</td>
              {[g.integratedLUFS, g.loudnessRangeLU, g.shortTermMaxLUFS, g.truePeakMaxDBTP, g.ppmMax].map((x, k) => (
                <td key={k} className="tc py-1.5 text-right">
                  {value(x, g.truePeakMaxDBTP !== null)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
