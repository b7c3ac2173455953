import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import { api, ok, once, type LaidTake, type Take } from "../../api/client";
import { useDo, useProduction, useReels } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { freshReel, ReelSelect } from "./reelselect";
import { newReelName } from "./unravelbar";

const roles: Record<NonNullable<LaidTake["role"]>, string> = {
  mix: "the full mix",
  "M&E": "the M&E",
  DX: "dialogue",
  NX: "narration",
  MX: "music",
  FX: "effects",
  AX: "ambience",
};

const width = (l: LaidTake) =>
  l.tracks > 1
    ? `${l.tracks} tracks`
    : l.labels?.length === 1
      ? "mono"
      : l.labels?.length === 2
        ? "stereo"
        : `${l.labels?.length} channels`;

/** Several takes go onto a reel in one step, after it has been said how. */
export function LayTakes({ takes, production }: { takes: Take[]; production: string }) {
  const reels = useReels(production);
  const [chosen, setChosen] = useState("");
  const [reel, setReel] = useState<{ id: string; name: string } | null>(null);
  const made = useRef(""); // the reel that was made for this, and goes with it where nothing is laid
  const leave = useDo(() => ok(api.DELETE("/reels/{reel}", { params: { path: { reel: made.current } } })), [keysOf.reels(production)]);
  const known = useProduction(production).data;
  const target = chosen === freshReel ? undefined : (reels.data?.find((r) => r.id === chosen) ?? reels.data?.[0]);
  const begin = useDo(
    async () => {
      if (target) return target;
      const name = newReelName(reels.data?.map((r) => r.name) ?? []);
      const fresh = await ok(
        api.POST("/productions/{production}/reels", { params: { path: { production } }, body: { name, start: "10:00:00:00" } }),
      );
      made.current = fresh.id;
      return fresh;
    },
    [keysOf.reels(production)],
    setReel,
  );
  return (
    <section className="mt-5 border-t border-line pt-4">
      <h2 className="text-[16px] font-bold">Onto a reel</h2>
      <p className="mt-1 max-w-2xl text-[13px] text-muted">
        Each lies where it belongs, else at the start of the reel, on tracks that are called as it is. The parts of a finished mix are known
        by their names (mix, DX, VO, M&amp;E, music left…), paired, and each feeds an output of its own.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <button className="pill-act" disabled={!reels.data || !known || begin.isPending} onClick={() => begin.mutate(undefined)}>
          Lay {takes.length} takes onto {target?.name ?? "a new reel"}…
        </button>
        <ReelSelect reels={reels.data} chosen={target?.id ?? freshReel} label="Reel to lay them onto" onChoose={setChosen} />
      </div>
      {reel && (
        <Confirm
          takes={takes}
          reel={reel}
          production={production}
          onClose={() => {
            if (reel.id === made.current) leave.mutate(undefined);
            setReel(null);
          }}
        />
      )}
    </section>
  );
}

/** What would be laid where, and the one press that does it. */
function Confirm({
  takes,
  reel,
  production,
  onClose,
}: {
  takes: Take[];
  reel: { id: string; name: string };
  production: string;
  onClose: () => void;
}) {
  const go = useNavigate();
  const queries = useQueryClient();
  const [plain, setPlain] = useState(false);
  const ids = takes.map((t) => t.id);
  const look = useQuery({
    queryKey: ["lay", reel.id, plain, ...ids],
    queryFn: () => ok(api.POST("/reels/{reel}/lay/look", { params: { path: { reel: reel.id } }, body: { takes: ids, plain } })),
  });
  const lay = useDo(
    async () => {
      const path = { reel: reel.id };
      const now = await ok(api.GET("/reels/{reel}", { params: { path } }));
      return once((key) =>
        ok(
          api.POST("/reels/{reel}/lay", {
            params: { path, header: { "Idempotency-Key": key } },
            body: { revision: now.revision, takes: ids, plain, reuse: true },
          }),
        ),
      );
    },
    [keysOf.takes(production), keysOf.reels(production)],
    (view) => {
      queries.setQueryData(keysOf.reel(view.id), view);
      void go(`/p/${production}/loom/${view.id}`);
    },
  );
  const list = look.data;
  const finished = list?.some((l) => l.role);
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={`Lay them onto ${reel.name}`}
      about="In one step, which undo takes back. The takes themselves are not changed."
    >
      {look.error && <p className="text-wrong">{look.error.message}</p>}
      {list && (
        <table className="w-full text-[13px]">
          <thead className="text-left text-[12px] text-muted">
            <tr>
              <th className="py-1 font-normal">Track</th>
              <th className="py-1 font-normal">Width</th>
              {finished && <th className="py-1 font-normal">Holds</th>}
              {finished && <th className="py-1 font-normal">Feeds the output</th>}
            </tr>
          </thead>
          <tbody>
            {list.map((l) => (
              <tr key={l.take} className="border-t border-line align-top">
                <td className="py-1.5 pr-3">
                  <b className="font-semibold">{l.name}</b>
                  {l.joined && <span className="block text-[12px] text-muted">of {l.joined.join(" and ")}</span>}
                </td>
                <td className="py-1.5 pr-3">{width(l)}</td>
                {finished && <td className="py-1.5 pr-3">{l.role && roles[l.role]}</td>}
                {finished && (
                  <td className="py-1.5">
                    {l.group ? (
                      <>
                        {l.group.name}, {l.group.layout} {!l.group.id && <span className="text-muted">(new)</span>}
                      </>
                    ) : (
                      <span className="text-wrong">none: the reel has no such output</span>
                    )}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {(finished || plain) && (
        <label className="mt-3 flex cursor-pointer items-center gap-2 text-[13px]">
          <input type="checkbox" className="accent-act" checked={plain} onChange={(e) => setPlain(e.target.checked)} /> They are no finished
          mix: lay them like other takes, into their stems
        </label>
      )}
      <div className="mt-4 flex gap-3">
        <button className="pill-act" autoFocus disabled={!list || lay.isPending} onClick={() => lay.mutate(undefined)}>
          Lay them
        </button>
        <button className="pill h-8" onClick={onClose}>
          Not now
        </button>
      </div>
    </Dialog>
  );
}
