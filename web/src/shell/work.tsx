import { useQuery, useQueryClient } from "@tanstack/react-query";
import { RotateCw, Trash2, X } from "lucide-react";
import { useState } from "react";

import { api, base, ok, type Work } from "../api/client";
import { isOpen, useDo, useWork } from "../api/hooks";
import { keysOf } from "../api/keys";
import { Small } from "../ui/small";
import { Bar } from "../ui/bar";
import { forgetAwaited, unsent, uploads, useUploads, type UploadItem } from "./uploads";
import { many } from "../ui/words";

const doing = {
  import: "reading",
  unravel: "writing",
  ply: "writing",
  sync: "comparing",
  convert: "resampling",
  diagnose: "listening",
  settle: "rendering",
  list: "writing",
  print: "printing",
  deliver: "writing",
  check: "checking",
  correct: "correcting",
  level: "levelling",
  revise: "replacing",
} as const;

const wrote = new Set<Work["kind"]>(["unravel", "ply", "list", "level"]);

/** Whether there is anything to show: on its way, under way, gone wrong, or written for download. */
export const anythingOf = (work: Work[], sent: readonly UploadItem[]) =>
  sent.length > 0 ||
  work.some(
    (w) => w.state === "arriving" || isOpen(w) || w.state === "failed" || w.offer === "again" || (w.state === "done" && wrote.has(w.kind)),
  );

/** Files that the server was told of and that do not come from this page: which, and how they go on. */
function NotArrived({ works, production }: { works: Work[]; production: string }) {
  const queries = useQueryClient();
  const away = async () => {
    await forgetAwaited(works.map((w) => w.id)).catch(() => undefined);
    await queries.invalidateQueries({ queryKey: keysOf.work(production) });
  };
  return (
    <div className="py-1.5">
      <b>{many(works.length, "file has", "files have")} not arrived</b>
      <p className="text-muted">
        {works
          .slice(0, 4)
          .map((w) => `${w.title} (${megabytes(w.size)})`)
          .join(", ")}
        {works.length > 4 && ` and ${works.length - 4} more`}. They are on their way from another page, or broke off. Choose them, or their
        folder, again: what came before is kept.
      </p>
      <div className="mt-1 flex gap-2">
        <label className="pill h-6 cursor-pointer px-2.5 focus-within:outline-2 focus-within:outline-zest">
          Choose them again…
          <input
            type="file"
            multiple
            className="sr-only"
            onChange={(e) => {
              const names = new Set(works.map((w) => w.title));
              uploads.add(
                production,
                [...(e.target.files ?? [])].filter((f) => names.has(f.name)),
                works,
              );
              e.target.value = "";
            }}
          />
        </label>
        <button className="pill h-6 px-2.5" onClick={() => void away()}>
          Put them away
        </button>
      </div>
    </div>
  );
}

const megabytes = (bytes: number) => (bytes < 1e5 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`);

/**
 * Uploads, and long work on takes: imports, batches of files, each with its progress, what it made, and what went wrong with the reason;
 * the whole of it has the prints as well.
 */
export function WorkPanel({ production, whole }: { production: string; whole?: boolean }) {
  const work = useWork(production);
  const items = useUploads(production);
  const [hidden, setHidden] = useState<Set<string>>(new Set());
  const cancel = useDo((id: string) => ok(api.POST("/work/{work}/cancel", { params: { path: { work: id } } })), [keysOf.work(production)]);
  const retry = useDo((id: string) => ok(api.POST("/work/{work}/retry", { params: { path: { work: id } } })), [keysOf.work(production)]);
  const again = useDo(
    (id: string) => ok(api.POST("/work/{work}/retry", { params: { path: { work: id } }, body: { again: true } })),
    [keysOf.work(production)],
  );
  const remove = useDo((id: string) => ok(api.DELETE("/work/{work}", { params: { path: { work: id } } })), [keysOf.work(production)]);
  const imports = work.data?.filter((w) => (whole || w.kind !== "print") && w.state !== "arriving") ?? [];
  const twins = imports.filter((w) => w.offer === "again");
  const written = imports.filter((w) => w.state === "done" && wrote.has(w.kind) && !hidden.has(w.id));
  const open = imports.filter(isOpen).reverse();
  const failed = imports.filter((w) => w.state === "failed");
  const lost = unsent(work.data?.filter((w) => w.state === "arriving") ?? [], items);
  const problems = items.filter((u) => u.state === "failed" || u.state === "interrupted");
  const sending = items.filter((u) => u.state === "sending" || u.state === "waiting");
  if (open.length + failed.length + written.length + twins.length + items.length + lost.length === 0) return null;
  return (
    <section
      className={`shrink-0 text-[13px] ${whole ? "mt-4" : "max-h-[45%] overflow-auto border-t border-line bg-paper px-4 py-2.5"}`}
      aria-label={whole ? "Under way" : "Work on takes"}
    >
      {lost.length > 0 && <NotArrived works={lost} production={production} />}
      {problems.map((u) => (
        <div key={u.id} className="flex items-start gap-1 py-1.5">
          <div className="min-w-0 grow">
            <b className="break-all">{u.name}</b>
            <p className="text-wrong">{u.message}</p>
          </div>
          {u.state === "interrupted" && (
            <Small label={`Try ${u.name} again`} onClick={() => uploads.again(u.id)}>
              <RotateCw size={15} />
            </Small>
          )}
          <Small label={`Put ${u.name} away`} onClick={() => uploads.cancel(u.id)}>
            <X size={15} />
          </Small>
        </div>
      ))}
      {failed.map((w) => (
        <div key={w.id} className="flex items-start gap-1 py-1.5">
          <div className="min-w-0 grow">
            <b className="break-all">{w.title}</b>
            <p className="text-wrong">{w.message}</p>
          </div>
          <Small label={`Try ${w.title} again`} onClick={() => retry.mutate(w.id)}>
            <RotateCw size={15} />
          </Small>
          <Small label={`Put ${w.title} away for good`} onClick={() => remove.mutate(w.id)}>
            <X size={15} />
          </Small>
        </div>
      ))}
      {twins.map((w) => (
        <div key={w.id} className="py-1.5">
          <b className="break-all">{w.title}</b>
          <p className="text-muted">{w.message}.</p>
          <div className="mt-1 flex gap-2">
            <button className="pill h-6 px-2.5" onClick={() => remove.mutate(w.id)}>
              Leave it
            </button>
            <button className="pill h-6 px-2.5" onClick={() => again.mutate(w.id)}>
              Take it in once more
            </button>
          </div>
        </div>
      ))}
      {written.map((w) => (
        <Written key={w.id} work={w} onAway={() => setHidden(new Set([...hidden, w.id]))} onRemove={() => remove.mutate(w.id)} />
      ))}
      {sending.map((u) => (
        <div key={u.id} className="flex items-center gap-2 py-1">
          <div className="min-w-0 grow">
            <div className="flex justify-between gap-2">
              <span className="truncate">{u.name}</span>
              <span className="tc text-muted">{u.state === "waiting" ? "waits" : `sending ${Math.round(u.progress * 100)} %`}</span>
            </div>
            <Bar share={u.progress} />
          </div>
          <Small label={`Stop sending ${u.name}`} onClick={() => uploads.cancel(u.id)}>
            <X size={15} />
          </Small>
        </div>
      ))}
      {open.map((w) => (
        <div key={w.id} className="flex items-center gap-2 py-1">
          <div className="min-w-0 grow">
            <div className="flex justify-between gap-2">
              <span className="truncate">{w.title}</span>
              <span className="tc text-muted">{w.state === "queued" ? "waits" : `${doing[w.kind]} ${Math.round(w.progress * 100)} %`}</span>
            </div>
            <Bar share={w.progress} />
          </div>
          <Small label={`Stop ${w.title}`} onClick={() => cancel.mutate(w.id)}>
            <X size={15} />
          </Small>
        </div>
      ))}
    </section>
  );
}

/** A batch that is done: its files, what is to be said of them, and the takes that could not be done with the reason. */
export function Written({ work, onAway, onRemove }: { work: Work; onAway: () => void; onRemove: () => void }) {
  const [open, setOpen] = useState(false);
  const whole = useQuery({
    queryKey: ["work report", work.id],
    staleTime: Infinity,
    queryFn: () => ok(api.GET("/work/{work}", { params: { path: { work: work.id } } })),
  });
  const report = whole.data?.report ?? [];
  const files = report.flatMap((o) => o.files);
  const undone = report.filter((o) => !o.ok);
  return (
    <div className="py-1.5">
      <div className="flex items-start gap-1">
        <div className="min-w-0 grow">
          <b>{work.title}</b>
          {whole.error && <p className="text-wrong">{whole.error.message}</p>}
          <p className="text-muted">
            {files.length === 1 ? "1 file" : `${files.length} files`} written.{" "}
            {files.length > 0 && (
              <a className="underline hover:text-ink" href={`${base}/work/${work.id}/archive`} download>
                Save them as a ZIP
              </a>
            )}{" "}
            <button className="cursor-pointer underline hover:text-ink" aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? "Less" : "Show them"}
            </button>
          </p>
        </div>
        <Small label={`Remove ${work.title} with its files from the server`} onClick={onRemove}>
          <Trash2 size={15} />
        </Small>
        <Small label={`Put ${work.title} away`} onClick={onAway}>
          <X size={15} />
        </Small>
      </div>
      {undone.map((o) => (
        <p key={o.take} className="text-wrong">
          {o.title} could not be done: {o.message}
        </p>
      ))}
      {report
        .filter((o) => o.ok && o.message)
        .map((o) => (
          <p key={o.take}>
            {report.length > 1 && <b className="font-semibold">{o.title}: </b>}
            {o.message}
          </p>
        ))}
      {open && (
        <ul className="tc mt-1 text-[12px]">
          {files.map((f) => (
            <li key={f.name} className="truncate" title={f.tracks.join(", ")}>
              <a className="hover:underline" href={`${base}/work/${work.id}/files/${encodeURIComponent(f.name)}`} download>
                {f.name}
              </a>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
