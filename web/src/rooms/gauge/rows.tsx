import type { ReelView } from "../../api/client";
import { StemTag } from "../../ui/stem";
import { decimal } from "../../ui/figures";
import { rowKey, verdictOf, type GaugeRow, type GaugeView } from "./judge";
import { Sign } from "./sign";

function Tag({ row }: { row: GaugeRow }) {
  if (row.row !== "group") return <StemTag stem={row.tag} />;
  return (
    <span className="tc inline-flex h-[18px] min-w-[34px] shrink-0 items-center justify-center rounded bg-ink px-1 text-[11px] font-bold text-ground">
      {row.tag || "OUT"}
    </span>
  );
}

const width = (labels: string[]) => ({ 1: "mono", 2: "stereo", 6: "5.1", 8: "7.1" })[labels.length] ?? `${labels.length} channels`;

function about(row: GaugeRow, view: ReelView): string {
  const feed = view.groups.find((g) => row.row === "group" && g.id === row.id)?.feed;
  const from = feed?.row === "group" ? view.groups.find((g) => g.id === feed.from)?.name : undefined;
  if (row.correction) return row.correction.off ? "correction off" : row.correction.stale ? "correction is old" : "corrected";
  return [width(row.labels), from && `folded from ${from}`].filter(Boolean).join(", ");
}

/** What is measured, each with its loudness and how that is judged; another row is measured when it is chosen. */
export function Rows(p: {
  view: ReelView;
  gauge: GaugeView | undefined;
  chosen: string;
  onChoose: (row: GaugeRow["row"], id: string) => void;
}) {
  const rows = p.gauge?.rows ?? [];
  const others = [
    ...p.view.mixes.map((m) => ({ row: "mix" as const, id: m.id, name: `Mix ${m.name}` })),
    ...p.view.tracks.map((t) => ({ row: "track" as const, id: t.id, name: `Track ${t.name}` })),
  ];
  const list = (title: string, of: GaugeRow[]) =>
    of.length > 0 && (
      <section aria-label={title} className="mt-3">
        <h2 className="px-4 pb-1 text-[13px] font-bold">{title}</h2>
        <ul>
          {of.map((r) => {
            const on = rowKey(r) === p.chosen;
            return (
              <li key={rowKey(r)} className="border-t border-line last:border-b">
                <button
                  className={`flex w-full cursor-pointer items-center gap-2.5 border-l-[3px] py-1.5 pl-[13px] pr-4 text-left
                    ${on ? "border-zest bg-paper" : "border-transparent hover:bg-band"}`}
                  aria-pressed={on}
                  onClick={() => p.onChoose(r.row, r.id)}
                >
                  <Tag row={r} />
                  <span className="min-w-0 grow">
                    <span className="block truncate font-semibold">{r.name}</span>
                    <span className="block truncate text-[12px] text-muted">{about(r, p.view)}</span>
                  </span>
                  <Sign of={verdictOf(r)} />
                  <span className={`tc w-[6ch] shrink-0 text-right font-semibold ${verdictOf(r) === "off" ? "text-wrong" : ""}`}>
                    {r.whole ? decimal(r.whole.integratedLUFS) : "…"}
                  </span>
                </button>
              </li>
            );
          })}
        </ul>
      </section>
    );
  return (
    <>
      {list(
        "Output groups",
        rows.filter((r) => r.row === "group"),
      )}
      {list(
        "Stems",
        rows.filter((r) => r.row === "stem"),
      )}
      {list(
        "Also",
        rows.filter((r) => r.row !== "group" && r.row !== "stem"),
      )}
      {others.length > 0 && (
        <label className="mx-4 mt-3 flex flex-col gap-1 text-[13px] text-muted">
          Measure a mix or a track
          <select
            className="field"
            value=""
            onChange={(e) => {
              const o = others[Number(e.target.value)];
              if (o) p.onChoose(o.row, o.id);
            }}
          >
            <option value="">choose…</option>
            {others.map((o, i) => (
              <option key={`${o.row} ${o.id}`} value={i}>
                {o.name}
              </option>
            ))}
          </select>
        </label>
      )}
    </>
  );
}
