import { useQuery } from "@tanstack/react-query";
import { Pencil, Trash2 } from "lucide-react";
import { lazy, Suspense, useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, ok, type Production } from "../../api/client";
import { useDo, useProductions } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { takenIn } from "../../shell/dropped";
import { Header } from "../../shell/header";
import { uploads } from "../../shell/uploads";
import { Missing } from "../../ui/missing";
import { rateName, rates } from "../../ui/rates";
import { useSeen } from "../../ui/seen";
import { Small } from "../../ui/small";
import { dayAndTime, timeOrDay } from "../../ui/when";
import { many } from "../../ui/words";
import { bare } from "../../ui/bare";

const Rename = lazy(async () => ({ default: (await import("./asking")).Rename }));
const Remove = lazy(async () => ({ default: (await import("./asking")).Remove }));

/** The way in: all productions, and a form for a new one. */
export function ProductionsPage() {
  const productions = useProductions();
  const condition = useQuery({ queryKey: ["condition"], queryFn: () => ok(api.GET("/condition")), refetchInterval: 60_000 });
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
            {/* Above the list, which grows while it comes: nothing moves from under a hand. */}
            <form
              className="card mb-6 flex flex-wrap items-end gap-4 px-5 py-4"
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
            <Missing of={[productions]} />
            {condition.data?.troubles.map((t) => (
              <p key={t} className="mb-4 rounded-xl border border-wrong px-5 py-3" role="alert">
                {t}
              </p>
            ))}
            {productions.data?.length === 0 && (
              <p className="rounded-xl border border-dashed border-line px-5 py-8 text-center text-muted">
                There is no production yet. Name your first one above, or begin with a file of your own.
              </p>
            )}
            <ul className="flex flex-col">
              {productions.data?.map((p) => (
                <li key={p.id} className="border-t border-line py-1.5">
                  <div className="flex items-center">
                    <Link to={`/p/${p.id}/takes`} className="flex min-w-0 grow items-baseline gap-4 px-2 py-1.5 hover:bg-paper">
                      <span className="min-w-0 grow truncate text-[17px] font-semibold">{p.name}</span>
                      <span className="tc shrink-0 text-right text-[13px] text-muted">
                        {rateName(p.frameRate)} fps, {p.sampleRate / 1000} kHz
                      </span>
                    </Link>
                    <Small label={`Rename ${p.name}`} onClick={() => setAsking({ about: p, what: "rename" })}>
                      <Pencil size={15} />
                    </Small>
                    <Small label={`Remove ${p.name}`} onClick={() => setAsking({ about: p, what: "remove" })}>
                      <Trash2 size={15} />
                    </Small>
                  </div>
                  <StandingOf production={p.id} />
                </li>
              ))}
            </ul>
          </section>
          <FirstSteps frameRate={rates.find((r) => r.name === rate)!.rate} taken={productions.data?.map((p) => p.name) ?? []} />
        </div>
      </main>
      <Suspense fallback={null}>
        {asking?.what === "rename" && <Rename production={asking.about} onClose={() => setAsking(null)} />}
        {asking?.what === "remove" && <Remove production={asking.about} onClose={() => setAsking(null)} />}
      </Suspense>
    </div>
  );
}

/** What a production is at, each part a way to where it is looked after. */
function StandingOf({ production }: { production: string }) {
  const [seen, ref] = useSeen();
  const standing = useQuery({
    queryKey: keysOf.standing(production),
    enabled: seen, // of hundreds only those that somebody looks at are asked for
    queryFn: () => ok(api.GET("/productions/{production}/standing", { params: { path: { production } } })),
    refetchInterval: (q) => (q.state.data && q.state.data.working > 0 ? 2000 : false),
  });
  const s = standing.data;
  if (!s)
    return (
      <p ref={ref} className="px-2 pb-1 text-[13px] text-muted">
        {standing.error?.message ?? "…"}
      </p>
    );
  const to = (path: string) => `/p/${production}/${path}`;
  const part = "inline-flex min-h-6 items-center hover:text-ink hover:underline";
  const d = s.delivery;
  return (
    <div className="flex flex-wrap gap-x-5 gap-y-0.5 px-2 pb-1 text-[13px] text-muted">
      <Link className={part} to={to("takes")}>
        {s.takes === 0 ? "Nothing has arrived yet" : many(s.takes, "take")}
        {s.damaged > 0 && <span className="text-wrong">, {s.damaged} damaged</span>}
      </Link>
      {s.unplaced > 0 && (
        <Link className={part} to={to("sync")}>
          {s.unplaced} not in sync yet
        </Link>
      )}
      {s.reels.slice(0, 4).map((r) => (
        <Link
          key={r.id}
          className={part}
          to={to(`loom/${r.id}`)}
          title={r.changedBy && `Changed ${dayAndTime(r.changedAt)} by ${r.changedBy}`}
        >
          {r.name}
        </Link>
      ))}
      {s.reels.length > 4 && <span>and {many(s.reels.length - 4, "reel")} more</span>}
      {d && (
        <Link className={part} to={to(`print/${d.reel}/${d.print}`)}>
          Delivered {d.reelName} {timeOrDay(d.at)},{" "}
          <span className={d.verdict === "refused" ? "text-wrong" : d.verdict === "accepted" ? "text-ink" : ""}>
            {{ accepted: "accepted by the desk", refused: "refused by the desk", unchecked: "not checked by the desk" }[d.verdict]}
          </span>
        </Link>
      )}
      {s.working > 0 && (
        <Link className={part} to={to("queue")}>
          {many(s.working, "piece of work", "pieces of work")} under way
        </Link>
      )}
      {s.failed > 0 && (
        <Link className={`text-wrong ${part}`} to={to("queue")}>
          {s.failed} failed
        </Link>
      )}
      {s.people.length > 0 && <span title="Who has changed something in the last seven days">{s.people.join(", ")}</span>}
    </div>
  );
}

/** The way from a file of one's own to a delivery, for whoever is here for the first time. */
function FirstSteps({ frameRate, taken }: { frameRate: Production["frameRate"]; taken: string[] }) {
  const go = useNavigate();
  const begin = useDo(
    (files: File[]) => ok(api.POST("/productions", { body: { name: freeName(files[0]!.name, taken), frameRate } })),
    [keysOf.productions],
    (p, files) => {
      uploads.add(p.id, files);
      void go(`/p/${p.id}/takes`);
    },
  );
  return (
    <section className="text-[13px] text-muted" aria-label="New here?">
      <h2 className="mb-1 text-[15px] font-bold text-ink">New here?</h2>
      <p>
        <label className="cursor-pointer font-semibold text-ink underline focus-within:outline-2">
          Begin with files of your own
          <input
            type="file"
            multiple
            className="sr-only"
            accept={[...takenIn, "audio/*", "video/*"].join()}
            onChange={(e) => {
              const files = [...(e.target.files ?? [])];
              e.target.value = "";
              if (files.length > 0) begin.mutate(files);
            }}
          />
        </label>{" "}
        and go along the rooms, from left to right:
      </p>
      <ol className="mt-1 list-decimal pl-5">
        <li>
          <b className="text-ink">Takes</b>: hear each channel, name it, and unravel the take onto a reel.
        </li>
        <li>
          <b className="text-ink">Sync</b>: only where a take has no timecode, or a camera’s clock was off.
        </li>
        <li>
          <b className="text-ink">Loom</b>: cut, and choose the delivery spec; the outputs and their routes are set up after it.
        </li>
        <li>
          <b className="text-ink">Gauge</b>: see whether it is loud enough and not too loud, and correct it.
        </li>
        <li>
          <b className="text-ink">Print</b>: write the files, have the desk check them, and hand them over.
        </li>
      </ol>
    </section>
  );
}

/** A name for a production that begins with a file: the file's, and a number where that is taken. */
export function freeName(file: string, taken: string[]): string {
  const name = bare(file).slice(0, 90) || "Production";
  for (let n = 1; ; n++) {
    const free = n === 1 ? name : `${name} ${n}`;
    if (!taken.includes(free)) return free;
  }
}
