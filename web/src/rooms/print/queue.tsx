import { useQuery } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, GripVertical, Pause, Play, RotateCcw, X } from "lucide-react";
import { useRef, useState } from "react";
import { Link } from "react-router";

import { api, ok } from "../../api/client";
import { useDo, useReels, useSpecs } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { Small } from "../../ui/small";

type Queued = NonNullable<ReturnType<typeof useQueue>["data"]>[number];

const useQueue = (production: string) =>
  useQuery({
    queryKey: keysOf.queue(production),
    queryFn: () => ok(api.GET("/productions/{production}/queue", { params: { path: { production } } })),
  });

/** What is left of a print, by how far it came in what time. */
function left(q: Queued, begun: Map<string, { at: number; progress: number }>): string {
  const first = begun.get(q.id);
  if (!first) {
    begun.set(q.id, { at: Date.now(), progress: q.progress });
    return "";
  }
  const done = q.progress - first.progress;
  const took = (Date.now() - first.at) / 1000;
  if (done < 0.03 || took < 1) return "";
  const seconds = Math.round(((1 - q.progress) * took) / done);
  return seconds < 60 ? `${seconds} s left` : `${Math.ceil(seconds / 60)} min left`;
}

/** The prints of the production that run, wait in their turn, or failed lately. */
export function Queue({ production, reel }: { production: string; reel: string }) {
  const queue = useQueue(production);
  const begun = useRef(new Map<string, { at: number; progress: number }>());
  const dragged = useRef("");
  const [several, setSeveral] = useState(false);
  const again = [keysOf.queue(production), keysOf.prints(reel), keysOf.work(production)];
  const on = (work: string) => ({ params: { path: { work } } });
  const turn = useDo(
    ({ id, ...body }: { id: string; before?: string; hold?: boolean }) => ok(api.POST("/work/{work}/turn", { ...on(id), body })),
    again,
  );
  const cancel = useDo((id: string) => ok(api.POST("/work/{work}/cancel", on(id))), again);
  const retry = useDo((id: string) => ok(api.POST("/work/{work}/retry", on(id))), again);
  const list = queue.data ?? [];
  const waiting = list.filter((q) => q.state === "queued" && !q.held);
  return (
    <section aria-label="Queue" className="mt-5">
      <div className="flex items-baseline">
        <h2 className="grow font-bold">Queue</h2>
        <button className="cursor-pointer text-[13px] text-muted underline hover:text-ink" onClick={() => setSeveral(true)}>
          print several…
        </button>
      </div>
      {list.length === 0 && <p className="text-[13px] text-muted">Nothing waits.</p>}
      <ol>
        {list.map((q) => {
          const at = waiting.indexOf(q);
          const waits = at >= 0;
          return (
            <li
              key={q.id}
              className="border-t border-line py-1.5 text-[13px]"
              draggable={waits}
              onDragStart={() => (dragged.current = q.id)}
              onDragOver={(e) => waits && dragged.current && e.preventDefault()}
              onDrop={() => dragged.current !== q.id && turn.mutate({ id: dragged.current, before: q.id })}
            >
              <span className="flex items-center gap-1">
                {waits && <GripVertical size={12} className="shrink-0 cursor-grab text-muted" aria-hidden />}
                <Link className="min-w-0 grow truncate hover:underline" title={q.title} to={`/p/${production}/print/${q.reel}/${q.id}`}>
                  {q.title}
                </Link>
                {waits && waiting.length > 1 && (
                  <>
                    <Small
                      label={`${q.title} sooner`}
                      disabled={at === 0}
                      onClick={() => turn.mutate({ id: q.id, before: waiting[at - 1]!.id })}
                    >
                      <ArrowUp size={13} />
                    </Small>
                    <Small
                      label={`${q.title} later`}
                      disabled={at === waiting.length - 1}
                      onClick={() => turn.mutate({ id: q.id, ...(waiting[at + 2] ? { before: waiting[at + 2]!.id } : {}) })}
                    >
                      <ArrowDown size={13} />
                    </Small>
                  </>
                )}
                {(q.state === "queued" || q.state === "running") && (
                  <Small
                    label={q.held ? `Go on with ${q.title}` : q.state === "running" ? `Pause ${q.title}` : `Hold ${q.title} back`}
                    onClick={() => turn.mutate(q.held ? { id: q.id } : { id: q.id, hold: true })}
                  >
                    {q.held ? <Play size={13} /> : <Pause size={13} />}
                  </Small>
                )}
                {q.state === "queued" || q.state === "running" ? (
                  <Small label={`Stop ${q.title}`} onClick={() => cancel.mutate(q.id)}>
                    <X size={13} />
                  </Small>
                ) : (
                  <Small label={`Try ${q.title} again`} onClick={() => retry.mutate(q.id)}>
                    <RotateCcw size={13} />
                  </Small>
                )}
              </span>
              {q.state === "running" && (
                <span
                  className="flex items-center gap-2 text-[12px] text-muted"
                  role="progressbar"
                  aria-label={q.title}
                  aria-valuenow={Math.round(q.progress * 100)}
                  aria-valuemin={0}
                  aria-valuemax={100}
                >
                  <span className="h-1.5 grow overflow-hidden rounded-full bg-band">
                    <span className="block h-full rounded-full bg-ink" style={{ width: `${q.progress * 100}%` }} />
                  </span>
                  {left(q, begun.current)}
                </span>
              )}
              {q.state === "queued" && (
                <span className="text-[12px] text-muted">
                  {q.held
                    ? q.progress > 0
                      ? "paused; goes on with what is whole"
                      : "held back"
                    : at === 0
                      ? "waits, comes next"
                      : "waits"}
                </span>
              )}
              {q.state === "failed" && <span className="text-[12px] text-wrong">{q.message}</span>}
              {q.state === "cancelled" && <span className="text-[12px] text-muted">stopped</span>}
            </li>
          );
        })}
      </ol>
      <Several production={production} open={several} onOpenChange={setSeveral} again={again} />
    </section>
  );
}

/** Queues every chosen reel after every chosen spec, in one go. */
function Several({
  production,
  open,
  onOpenChange,
  again,
}: {
  production: string;
  open: boolean;
  onOpenChange: (on: boolean) => void;
  again: readonly (readonly unknown[])[];
}) {
  const reels = useReels(production).data ?? [];
  const specs = useSpecs(production).data ?? [];
  const [chosen, setChosen] = useState<{ reels: string[]; specs: string[] }>({ reels: [], specs: [] });
  const [refused, setRefused] = useState<string[]>([]);
  const all = chosen.reels.flatMap((reel) => chosen.specs.map((spec) => ({ reel, spec })));
  const name = (list: { id: string; name?: string; title?: string }[], id: string) =>
    list.find((x) => x.id === id)?.name ?? list.find((x) => x.id === id)?.title ?? id;
  const queue = useDo(
    () => ok(api.POST("/productions/{production}/queue", { params: { path: { production } }, body: all })),
    again,
    (answers) => {
      const no = answers.filter((a) => a.message !== "").map((a) => `${name(reels, a.reel)}, ${name(specs, a.spec)}: ${a.message}`);
      setRefused(no);
      if (no.length === 0) onOpenChange(false);
    },
  );
  const turned = (list: string[], id: string) => (list.includes(id) ? list.filter((x) => x !== id) : [...list, id]);
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Print several"
      about={
        "Each reel is printed after each spec. They wait in a queue, one after another, and can change places there. " +
        "What stands against one keeps no other from being printed."
      }
    >
      <div className="grid grid-cols-2 gap-5">
        {(
          [
            ["Reels", "reels", reels.map((r) => [r.id, r.name] as const)],
            ["Specs", "specs", specs.map((s) => [s.id, s.title] as const)],
          ] as const
        ).map(([title, what, list]) => (
          <fieldset key={what} className="min-w-0">
            <legend className="font-semibold">{title}</legend>
            {list.map(([id, called]) => (
              <label key={id} className="flex cursor-pointer items-center gap-2 py-0.5 text-[13px]">
                <input
                  type="checkbox"
                  className="accent-act"
                  checked={chosen[what].includes(id)}
                  onChange={() => setChosen({ ...chosen, [what]: turned(chosen[what], id) })}
                />
                <span className="truncate">{called}</span>
              </label>
            ))}
          </fieldset>
        ))}
      </div>
      {refused.length > 0 && (
        <div role="alert" className="mt-3 text-[13px]">
          <b className="text-wrong">Not queued</b>
          <ul>
            {refused.map((r) => (
              <li key={r}>{r}</li>
            ))}
          </ul>
        </div>
      )}
      <button className="pill-act mt-4" disabled={all.length === 0 || queue.isPending} onClick={() => queue.mutate(undefined)}>
        {all.length < 2 ? "Queue the print" : `Queue ${all.length} prints`}
      </button>
    </Dialog>
  );
}
