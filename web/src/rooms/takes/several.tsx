import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { api, ok, type Take } from "../../api/client";
import { useDo } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { LayTakes } from "./lay";
import { takeTitle } from "./list";
import { Explained } from "../../ui/explained";

/** What is chosen, by title; where several have the same, how many. */
export function titlesOf(takes: Take[]): string {
  const count = new Map<string, number>();
  for (const t of takes) count.set(takeTitle(t), (count.get(takeTitle(t)) ?? 0) + 1);
  return [...count].map(([title, n]) => (n === 1 ? title : `${title} (${n} files)`)).join("; ");
}

/** What can be done with several takes at once. */
export function SeveralTakes({ takes, production, onShow }: { takes: Take[]; production: string; onShow: (id: string) => void }) {
  const ids = takes.map((t) => t.id);
  const again = [keysOf.takes(production)];
  const path = { params: { path: { production } } };
  const [all, setAll] = useState(false);
  const [singly, setSingly] = useState(false);
  const go = useNavigate();
  const edit = useDo(
    (circled: boolean) =>
      ok(api.POST("/productions/{production}/takes/edit", { ...path, body: { takes: ids, edit: { slate: { circled } } } })),
    again,
  );
  const batch = useDo(
    (kind: "unravel" | "ply") =>
      ok(api.POST("/productions/{production}/batches", { ...path, body: { kind, takes: ids, settings: { all, singly } } })),
    [keysOf.work(production)],
  );
  const circled = takes.every((t) => t.description.circled);
  const sounding = takes.filter((t) => t.channels.length > 0).length;
  return (
    <div className="h-full overflow-auto px-6 py-4">
      <h1 className="text-[22px] font-bold">{takes.length} takes</h1>
      <p className="mt-1 line-clamp-2 text-[13px] text-muted">{titlesOf(takes)}</p>
      <div className="mt-3 flex flex-wrap gap-2">
        <button className="pill" onClick={() => edit.mutate(!circled)}>
          {circled ? "Circle none of them" : "Circle them all"}
        </button>
        <button className="pill" onClick={() => void go(`/p/${production}/sync`, { state: { takes: ids } })}>
          Line them up in Sync…
        </button>
      </div>
      <LayTakes key={`lay ${ids.join()}`} takes={takes} production={production} />
      <section className="mt-5 border-t border-line pt-4">
        <h2 className="text-[16px] font-bold">To files</h2>
        <p className="mt-1 max-w-2xl text-[13px] text-muted">
          <Explained word="unravel">Unravel</Explained> makes a file for each channel or set, <Explained word="ply">ply</Explained> one for
          each take. Lossless, with names, time stamp and notes inside; named from roll, scene, take and label. One that can't be done does
          not stop the others. A ply keeps silent channels, so that those of all takes stand in the same places; what is switched off on a
          take’s board stays out.
        </p>
        <div className="mt-2 flex flex-wrap gap-x-6 gap-y-1 text-[13px]">
          <label className="flex cursor-pointer items-center gap-2">
            <input type="checkbox" className="accent-act" checked={all} onChange={() => setAll(!all)} />
            Every channel, also mixes, and in unravelled files empty ones and copies
          </label>
          <label className="flex cursor-pointer items-center gap-2">
            <input type="checkbox" className="accent-act" checked={singly} onChange={() => setSingly(!singly)} />
            One file a channel, also where channels are read together
          </label>
        </div>
        <div className="mt-3 flex flex-wrap items-center gap-2">
          <button className="pill-act" disabled={batch.isPending || sounding === 0} onClick={() => batch.mutate("unravel")}>
            Unravel {takes.length} takes to files
          </button>
          <button className="pill-act" disabled={batch.isPending || sounding === 0} onClick={() => batch.mutate("ply")}>
            Ply {takes.length} takes to one file each
          </button>
          <span className="text-[13px] text-muted">They appear below the list when they are written.</span>
        </div>
      </section>
      <GroupThem key={ids.join()} takes={takes} production={production} onShow={onShow} />
    </div>
  );
}

/** Joining takes by hand, with what speaks for it and against it said before. */
function GroupThem({ takes, production, onShow }: { takes: Take[]; production: string; onShow: (id: string) => void }) {
  const ids = takes.map((t) => t.id);
  const single = takes.every((t) => !t.assembly && t.channels.length > 0) && takes.length <= 64;
  const path = { params: { path: { production } }, body: { takes: ids } };
  const family = useQuery({
    queryKey: ["assess", ...ids],
    enabled: single,
    queryFn: () => ok(api.POST("/productions/{production}/takes/assess", path)),
  });
  const group = useDo(
    () => ok(api.POST("/productions/{production}/takes/group", path)),
    [keysOf.takes(production), keysOf.work(production)],
    (t) => onShow(t.id),
  );
  const f = family.data;
  return (
    <section className="mt-5 border-t border-line pt-4">
      <h2 className="text-[16px] font-bold">One take of them</h2>
      {!single && (
        <p className="mt-1 text-[13px] text-muted">
          Only single files can be joined. A take that is made of files already has to be taken apart first.
        </p>
      )}
      {family.error && <p className="mt-1 text-[13px] text-wrong">{family.error.message}</p>}
      {f && (
        <>
          <p className="mt-1 text-[13px] text-muted">
            {f.kind === "split"
              ? "They would become one take, one after another."
              : f.kind === "bonded"
                ? `They would become one bonded set, ${f.layout}.`
                : "They would become one take, a channel each, tied together."}{" "}
            The files stay as they are, and the take can be taken apart.
          </p>
          <ul className="mt-2 list-disc pl-5 text-[13px]">
            {f.why.map((w) => (
              <li key={w}>{w}</li>
            ))}
            {f.against.map((w) => (
              <li key={w} className="font-semibold text-wrong">
                Against it: {w.charAt(0).toLowerCase() + w.slice(1)}
              </li>
            ))}
          </ul>
          <button
            className={`mt-3 ${f.against.length === 0 ? "pill-act" : "pill"}`}
            disabled={group.isPending}
            onClick={() => group.mutate(undefined)}
          >
            {f.against.length === 0 ? "Make them one take" : "Make them one take all the same"}
          </button>
        </>
      )}
    </section>
  );
}
