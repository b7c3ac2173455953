import { Pencil, Trash2 } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, ok, type Production } from "../../api/client";
import { useDo, useProductions } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { rateName, rates } from "../../ui/rates";
import { Small } from "../../ui/small";
import { many } from "../../ui/words";

/** The way in: all productions, and a form for a new one. */
export function ProductionsPage() {
  const productions = useProductions();
  const go = useNavigate();
  const [name, setName] = useState("");
  const [rate, setRate] = useState("25");
  const [asking, setAsking] = useState<{ about: Production; what: "rename" | "remove" } | null>(null);
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
            <p className="mb-4 text-muted">
              Recordings come in under Takes, are laid out and routed in the Loom, and go out as checked files under Print.
            </p>
            <Missing of={[productions]} />
            {productions.data?.length === 0 && (
              <p className="rounded-xl border border-dashed border-line px-5 py-8 text-center text-muted">
                There is no production yet. Name your first one below.
              </p>
            )}
            <ul className="flex flex-col">
              {productions.data?.map((p) => (
                <li key={p.id} className="flex items-center border-t border-line">
                  <Link to={`/p/${p.id}/takes`} className="flex min-w-0 grow items-baseline gap-4 px-2 py-3 hover:bg-paper">
                    <span className="min-w-0 grow truncate text-[17px] font-semibold">{p.name}</span>
                    <span className="w-24 text-muted">{p.takes === 1 ? "1 take" : `${p.takes} takes`}</span>
                    <span className="w-24 text-muted">{p.reels === 1 ? "1 reel" : `${p.reels} reels`}</span>
                    <span className="tc w-40 text-right text-[13px] text-muted">
                      {rateName(p.frameRate)} fps, {p.sampleRate / 1000} kHz
                    </span>
                  </Link>
                  <Small label={`Rename ${p.name}`} onClick={() => setAsking({ about: p, what: "rename" })}>
                    <Pencil size={15} />
                  </Small>
                  <Small label={`Remove ${p.name}`} onClick={() => setAsking({ about: p, what: "remove" })}>
                    <Trash2 size={15} />
                  </Small>
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
              <input
                className="field"
                value={name}
                onChange={(e) => setName(e.target.value)}
                placeholder="Its name"
                maxLength={100}
                required
              />
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
      {asking?.what === "rename" && <Rename production={asking.about} onClose={() => setAsking(null)} />}
      {asking?.what === "remove" && <Remove production={asking.about} onClose={() => setAsking(null)} />}
    </div>
  );
}

type Asked = { production: Production; onClose: () => void };

function Rename({ production: p, onClose }: Asked) {
  const [name, setName] = useState(p.name);
  const rename = useDo(
    () => ok(api.PATCH("/productions/{production}", { params: { path: { production: p.id } }, body: { name } })),
    [keysOf.productions, keysOf.production(p.id)],
    onClose,
  );
  return (
    <Dialog open onOpenChange={onClose} title={`Rename ${p.name}`} about="Files that were written already keep the name that they have.">
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          rename.mutate(undefined);
        }}
      >
        <label className="flex grow flex-col gap-1 text-[13px] text-muted">
          Name
          <input className="field" value={name} autoFocus onChange={(e) => setName(e.target.value)} required maxLength={100} />
        </label>
        <button className="pill-act" disabled={!name.trim() || rename.isPending}>
          Rename it
        </button>
      </form>
    </Dialog>
  );
}

/** Asks for the name, as nothing brings a production back. */
function Remove({ production: p, onClose }: Asked) {
  const [name, setName] = useState("");
  const remove = useDo(
    () => ok(api.DELETE("/productions/{production}", { params: { path: { production: p.id } } })),
    [keysOf.productions],
    onClose,
  );
  return (
    <Dialog
      open
      onOpenChange={onClose}
      title={`Remove ${p.name}`}
      about={
        `${many(p.takes, "take")} of it, its reels with their history, and its prints go from the server for good. ` +
        "The files on your cards stay. Type its name to say that you mean it."
      }
    >
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          remove.mutate(undefined);
        }}
      >
        <label className="flex grow flex-col gap-1 text-[13px] text-muted">
          Name of the production
          <input className="field" value={name} autoFocus onChange={(e) => setName(e.target.value)} placeholder={p.name} />
        </label>
        <button type="button" className="pill-act" onClick={onClose}>
          Keep it
        </button>
        <button className="pill h-8 text-wrong" disabled={name.trim() !== p.name || remove.isPending}>
          Remove it for good
        </button>
      </form>
    </Dialog>
  );
}
