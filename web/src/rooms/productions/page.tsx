import { useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, ok } from "../../api/client";
import { keysOf, useDo, useProductions } from "../../api/hooks";
import { Header } from "../../ui/header";
import { rateName, rates } from "../../ui/rates";

/** The way in: all productions, and a form for a new one. */
export function ProductionsPage() {
  const productions = useProductions();
  const go = useNavigate();
  const [name, setName] = useState("");
  const [rate, setRate] = useState("25");
  const create = useDo(
    () => ok(api.POST("/productions", { body: { name, frameRate: rates.find((r) => r.name === rate)!.rate } })),
    [keysOf.productions],
    (p) => void go(`/p/${p.id}/takes`),
  );
  return (
    <div className="flex h-full flex-col">
      <Header />
      <main className="grow overflow-auto">
        <div className="mx-auto flex max-w-[860px] flex-col gap-8 px-6 py-10">
          <section>
            <h1 className="mb-1 text-2xl font-bold">Productions</h1>
            <p className="mb-4 text-muted">Recordings come in under Takes, are laid out and routed in the Loom, and go out as checked files under Print.</p>
            {productions.error && <p className="text-wrong">{productions.error.message}</p>}
            {productions.data?.length === 0 && <p className="rounded-xl border border-dashed border-line px-5 py-8 text-center text-muted">There is no production yet. Name your first one below.</p>}
            <ul className="flex flex-col">
              {productions.data?.map((p) => (
                <li key={p.id}>
                  <Link to={`/p/${p.id}/takes`} className="flex items-baseline gap-4 border-t border-line px-2 py-3 hover:bg-paper">
                    <span className="grow text-[17px] font-semibold">{p.name}</span>
                    <span className="w-24 text-muted">{p.takes === 1 ? "1 take" : `${p.takes} takes`}</span>
                    <span className="w-24 text-muted">{p.reels === 1 ? "1 reel" : `${p.reels} reels`}</span>
                    <span className="tc w-40 text-right text-[13px] text-muted">
                      {rateName(p.frameRate)} fps, {p.sampleRate / 1000} kHz
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
          </section>
          <form
            className="card flex flex-wrap items-end gap-4 px-5 py-4"
            onSubmit={(e) => {
              e.preventDefault();
              create.mutate(undefined);
            }}
          >
            <label className="flex grow flex-col gap-1 text-[13px] text-muted">
              New production
              <input className="field" value={name} onChange={(e) => setName(e.target.value)} placeholder="Its name" maxLength={100} required />
            </label>
            <label className="flex flex-col gap-1 text-[13px] text-muted">
              Frames a second
              <select className="field" value={rate} onChange={(e) => setRate(e.target.value)}>
                {rates.map((r) => (
                  <option key={r.name}>{r.name}</option>
                ))}
              </select>
            </label>
            <button className="pill-act" disabled={!name.trim() || create.isPending}>
              Make it
            </button>
          </form>
        </div>
      </main>
    </div>
  );
}
