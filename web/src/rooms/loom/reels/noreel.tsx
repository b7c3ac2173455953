import { useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, ok } from "../../../api/client";
import { useDo, useProduction } from "../../../api/hooks";
import { keysOf } from "../../../api/keys";
import { Header } from "../../../shell/header";
import { ReadHandedOver } from "./handover";
import { ReelStart } from "./reelstart";

/** What stands where a reel would be, before there is one. */
export function NoReel({ production: id }: { production: string }) {
  const production = useProduction(id);
  const go = useNavigate();
  const [name, setName] = useState("Reel 1");
  const [start, setStart] = useState("");
  const make = useDo(
    () =>
      ok(
        api.POST("/productions/{production}/reels", {
          params: { path: { production: id } },
          body: { name, ...(start.trim() && { start }) },
        }),
      ),
    [keysOf.reels(id)],
    (r) => void go(`/p/${id}/loom/${r.id}`),
  );
  return (
    <div className="flex h-full flex-col">
      <Header production={production.data} />
      <main className="flex grow flex-col items-center justify-center gap-5 px-6 text-center">
        <div>
          <h1 className="text-xl font-bold">There is no reel yet</h1>
          <p className="mt-1 max-w-md text-muted">
            Unravel a take under{" "}
            <Link className="font-semibold text-ink underline" to={`/p/${id}/takes`}>
              Takes
            </Link>{" "}
            and a reel is made for it, or make an empty one here.
          </p>
        </div>
        <form
          className="card flex items-end gap-3 px-5 py-4 text-left"
          onSubmit={(e) => {
            e.preventDefault();
            make.mutate(undefined);
          }}
        >
          <label className="flex flex-col gap-1 text-[13px] text-muted">
            Name
            <input className="field" value={name} onChange={(e) => setName(e.target.value)} required maxLength={100} />
          </label>
          <ReelStart value={start} onChange={setStart} />
          <button className="pill-act" disabled={make.isPending}>
            Make the reel
          </button>
        </form>
        <ReadHandedOver production={id} />
      </main>
    </div>
  );
}
