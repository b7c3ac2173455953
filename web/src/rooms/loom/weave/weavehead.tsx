import { ChevronsLeftRight, ChevronsRightLeft } from "lucide-react";

import type { ReelView } from "../../../api/client";
import type { Tap } from "../../../listen/player";
import { columnName } from "../ground/cells";
import { middleOf, type Column, type Columns } from "../ground/columns";
import { rulerHeight } from "../ground/geometry";
import { useLoomStore } from "../ground/state";
import { quiet } from "../../../ui/quiet";

/** The outputs that nothing feeds, as one word: findings are told anew with every edit. */
export const unfedIn = (findings: ReelView["findings"]) =>
  findings
    .filter((f) => f.rule === "unfed")
    .map((f) => f.output)
    .join(" ");

/** The heads of the columns: groups, which fold into one column and are listened to, and their channels. */
export const WeaveHead = quiet(function WeaveHead({
  view,
  unfed,
  columns,
  tap,
  onTap,
}: {
  view: ReelView;
  unfed: string; // IDs of outputs, one after another
  columns: Columns;
  tap: Tap;
  onTap: (t: Tap) => void;
}) {
  const store = useLoomStore();
  const nothing = new Set(unfed.split(" "));
  const fold = (id: string) =>
    store.setState((s) => ({
      foldedGroups: s.foldedGroups.includes(id) ? s.foldedGroups.filter((g) => g !== id) : [...s.foldedGroups, id],
    }));
  return (
    <div className="relative" style={{ height: rulerHeight }}>
      {view.groups.map((g) => {
        const own = columns.list.filter((c) => c.group.id === g.id);
        const [first, last] = [own[0], own.at(-1)];
        if (!first || !last) return null;
        const on = tap.kind === "group" && tap.id === g.id;
        const width = last.x + last.width - first.x;
        return (
          <div
            key={g.id}
            className={`absolute top-1 flex items-center border-b ${on ? "border-zest" : "border-ink"}`}
            style={{ left: first.x + 2, width: width - 4 }}
          >
            <button
              className={`-my-1 h-6 min-w-0 grow cursor-pointer truncate px-0.5 text-center text-[12px] ${on ? "font-bold" : ""}`}
              aria-pressed={on}
              title={`${g.name}: listen to it`}
              onClick={() => onTap({ kind: "group", id: g.id })}
            >
              {(width < 70 && g.tag) || g.name}
            </button>
            {g.labels.length > 1 && (
              <button
                className="-my-1 flex h-6 w-6 shrink-0 cursor-pointer items-center justify-center rounded text-muted hover:text-ink"
                aria-label={`${first.folded ? "Show the channels of" : "Fold"} ${g.name}`}
                aria-expanded={!first.folded}
                title={first.folded ? `Show its ${g.labels.length} channels` : "Fold it into one column"}
                onClick={() => fold(g.id)}
              >
                {first.folded ? <ChevronsLeftRight size={12} /> : <ChevronsRightLeft size={12} />}
              </button>
            )}
          </div>
        );
      })}
      {columns.list.map((c) => (
        <ColumnHead key={c.key} view={view} column={c} unfed={c.outputs.some((o) => nothing.has(o.id))} />
      ))}
    </div>
  );
});

function ColumnHead({ view, column, unfed }: { view: ReelView; column: Column; unfed: boolean }) {
  const o = column.outputs[0]!;
  const title = column.folded
    ? `${column.outputs.length} channels, outputs ${o.number} to ${column.outputs.at(-1)!.number}${unfed ? ", some of which nothing feeds" : ""}`
    : unfed
      ? `Nothing feeds output ${o.number}`
      : `Output ${o.number}`;
  return (
    <span
      className={`tc absolute bottom-0.5 truncate text-center text-[11px] ${unfed ? "font-bold text-wrong" : ""}`}
      style={{ left: middleOf(column) - column.width / 2, width: column.width }}
      title={title}
      data-column={columnName(view, column)}
    >
      {column.folded ? (
        `${column.group.tag ?? ""} ${column.outputs.length}ch`
      ) : (
        <>
          <span className="block text-[9px] leading-[10px] text-muted">{o.number}</span>
          <span className="block leading-[13px]">
            {o.label}
            {unfed && "?"}
          </span>
        </>
      )}
      {column.folded && unfed && "?"}
    </span>
  );
}
