import { useQuery } from "@tanstack/react-query";
import { Check, Download, Trash2 } from "lucide-react";

import { useNavigate } from "react-router";

import { api, base, ok, type Print } from "../../api/client";
import { useDo, useWork } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { dayAndTime } from "../../ui/when";
import { many } from "../../ui/words";
import { Measured, Severity } from "./findings";
import { Explained } from "../../ui/explained";

const words: Record<string, string> = {
  queued: "waits for its turn",
  running: "is being printed",
  done: "",
  failed: "failed",
  cancelled: "was stopped",
};

/** Writes the delivery into one of the server's folders that receivers collect from; nothing where there is none. */
function HandOver({ print: p, production }: { print: Print; production: string }) {
  const folders = useQuery({ queryKey: ["receivers"], queryFn: () => ok(api.GET("/receivers")), staleTime: Infinity });
  const write = useDo(
    (folder: string) => ok(api.POST("/prints/{print}/handover", { params: { path: { print: p.id } }, body: { folder } })),
    [keysOf.work(production)],
  );
  if (!folders.data?.length) return null;
  return (
    <select
      className="field"
      aria-label="Write it to a folder of the server"
      value=""
      disabled={write.isPending}
      onChange={(e) => e.target.value && write.mutate(e.target.value)}
    >
      <option value="">Write it to…</option>
      {folders.data.map((f) => (
        <option key={f}>{f}</option>
      ))}
    </select>
  );
}

/** What the desk says, and the papers that lie beside the files. */
function Proof({ print: p }: { print: Print }) {
  const faults = p.receipt?.findings.filter((f) => f.severity === "error") ?? [];
  const papers = [
    ["report.html", "report as a page"],
    ["report.pdf", "report as PDF"],
    ["cue-sheet.pdf", "cue sheet"],
    ["cue-sheet.csv", "cue sheet as CSV"],
    ["routing.csv", "routing"],
    ["spec.yaml", "spec as used"],
  ] as const;
  return (
    <section className="mt-4" aria-label="Proof">
      {p.receipt && (
        <p className="flex items-start gap-2">
          <Severity of={p.receipt.pass ? "ok" : "error"} />
          <span>
            <b className="font-semibold">
              The <Explained word="desk">desk</Explained>{" "}
              {p.receipt.pass ? "accepts it." : faults.length === 1 ? "refuses it: 1 fault." : `refuses it: ${faults.length} faults.`}
            </b>{" "}
            <span className="text-muted">It has opened the files on its own and held them against the spec.</span>
          </span>
        </p>
      )}
      {faults.map((f, i) => (
        <p key={i} className="ml-6 text-[13px]">
          {f.message}
          <span className="text-muted">
            {[f.file, f.channel && `channel ${f.channel}`, f.timecode && `at ${f.timecode}`, f.measured]
              .filter(Boolean)
              .map((x) => `, ${x}`)}
          </span>
        </p>
      ))}
      <p className="mt-1 flex flex-wrap gap-x-3 text-[13px] text-muted">
        {papers.map(([name, words]) => (
          <a
            key={name}
            className="underline hover:text-ink"
            href={`${base}/prints/${p.id}/papers/${name}`}
            target="_blank"
            rel="noreferrer"
          >
            {words}
          </a>
        ))}
      </p>
    </section>
  );
}

/** Where the delivery is being written to, has been written, or could not. */
function HandedOver({ print: p, production }: { print: Print; production: string }) {
  const work = useWork(production);
  const again = [keysOf.work(production)];
  const retry = useDo((id: string) => ok(api.POST("/work/{work}/retry", { params: { path: { work: id } } })), again);
  const mine = (work.data ?? []).filter((w) => w.kind === "deliver" && w.result === p.id);
  return (
    <>
      {mine.map((w) => (
        <p key={w.id} className="mt-2 flex items-baseline gap-2 text-[13px]" role="status">
          {w.state === "done" ? (
            <>
              <Check size={14} strokeWidth={3} className="shrink-0 self-center" style={{ color: "var(--dye-FX)" }} aria-hidden />{" "}
              {w.message}.
            </>
          ) : w.state === "failed" || w.state === "cancelled" ? (
            <>
              <span className="text-wrong">{w.message || "Writing it was stopped."}</span>
              <button className="pill h-6 px-2.5" onClick={() => retry.mutate(w.id)}>
                Try again
              </button>
            </>
          ) : (
            <span className="text-muted">
              {w.title}: {w.state === "queued" ? "waits" : `writing ${Math.round(w.progress * 100)} %`}
            </span>
          )}
        </p>
      ))}
    </>
  );
}

/** One print: its progress, then what the files turned out to be, line by line. */
export function PrintReport({
  print: p,
  production,
  current,
  onRemove,
}: {
  print: Print;
  production: string;
  current: number | undefined;
  onRemove: () => void;
}) {
  const cancel = useDo(() => ok(api.POST("/work/{work}/cancel", { params: { path: { work: p.id } } })), [keysOf.prints(p.reel)]);
  const retry = useDo(() => ok(api.POST("/work/{work}/retry", { params: { path: { work: p.id } } })), [keysOf.prints(p.reel)]);
  const go = useNavigate();
  const desk = useDo(
    () => ok(api.POST("/prints/{print}/receipts", { params: { path: { print: p.id } } })),
    [keysOf.receipts(production)],
    (made) => void go(`/p/${production}/print/${p.reel}/desk/${made.id}`),
  );
  const open = p.state === "queued" || p.state === "running";
  const r = p.report;
  return (
    <div className="px-7 py-5">
      <div className="flex flex-wrap items-start gap-x-4 gap-y-2">
        <div className="min-w-60 flex-1">
          <h1 className="text-[22px] font-bold">
            {r
              ? !r.pass
                ? "Printed, but found wanting"
                : p.receipt && !p.receipt.pass
                  ? "Printed, but the desk refuses it"
                  : "Delivered and proven"
              : `${p.plan.spec.title} ${words[p.state]}`}
          </h1>
          <p className="text-muted">
            {p.plan.spec.title}, {p.plan.reel}, {dayAndTime(p.createdAt)}.{" "}
            {current !== undefined && current > p.revision && "The reel has been changed since."}
          </p>
        </div>
        {r && (
          <a className="pill-act" href={`${base}/prints/${p.id}/archive`} download>
            <Download size={15} /> All files, report and checksums
          </a>
        )}
        {r && (
          <button
            className="pill"
            title="The receiver's stand-in opens the files and holds them against the spec on its own"
            disabled={desk.isPending}
            onClick={() => desk.mutate(undefined)}
          >
            Take it to the desk
          </button>
        )}
        {r && <HandOver print={p} production={production} />}
        {open && (
          <button className="pill" onClick={() => cancel.mutate(undefined)}>
            Stop the print
          </button>
        )}
        <button
          className="pill h-8 px-2"
          aria-label="Remove this print with its files"
          title="Remove this print with its files"
          onClick={onRemove}
        >
          <Trash2 size={15} />
        </button>
        {(p.state === "failed" || p.state === "cancelled") && (
          <button className="pill-act" onClick={() => retry.mutate(undefined)}>
            Print it again
          </button>
        )}
      </div>
      {r && <HandedOver print={p} production={production} />}
      {open && (
        <div className="mt-6" role="progressbar" aria-valuenow={Math.round(p.progress * 100)} aria-valuemin={0} aria-valuemax={100}>
          <div className="h-2 overflow-hidden rounded-full bg-band">
            <div className="h-full rounded-full bg-ink" style={{ width: `${p.progress * 100}%` }} />
          </div>
          <p className="mt-1.5 text-[13px] text-muted">
            {p.progress < 0.6 ? "Writing the files" : "Opening them again and measuring"}. Editing can go on: what is printed is the reel as
            it was when you pressed Print.
          </p>
        </div>
      )}
      {!open && !r && p.message && <p className="mt-4 text-wrong">{p.message}</p>}
      {r && (
        <>
          <Proof print={p} />
          {r.treated && r.treated.length > 0 && (
            <p className="mt-3 text-[13px]" title="What microphones went through in it, and at which edit of the takes that was set last">
              <b className="font-semibold">Treated:</b>{" "}
              {r.treated
                .map(
                  (t) =>
                    `${t.name}, ${t.channels.length === 1 ? "channel" : "channels"} ${t.channels.join(", ")} ` +
                    `by ${many(t.steps, "processor")} (revision ${t.revision})`,
                )
                .join("; ")}
            </p>
          )}
          <section className="mt-5">
            <h2 className="mb-1.5 font-bold">Files</h2>
            <table className="w-full text-left">
              <tbody>
                {r.files.map((f) => (
                  <tr key={f.name} className="border-t border-line align-baseline">
                    <td className="py-2 pr-4">
                      <a
                        className="tc break-all font-semibold underline decoration-line underline-offset-4 hover:decoration-ink"
                        href={`${base}/prints/${p.id}/files/${encodeURIComponent(f.name)}`}
                        download
                      >
                        {f.name}
                      </a>
                      {f.linked && (
                        <div className="text-[12px] text-muted">
                          unchanged since it was made {f.linked}, so linked and not printed again
                        </div>
                      )}
                      <div className="tc break-all text-[11px] text-muted">SHA-256 {f.sha256}</div>
                    </td>
                    <td className="tc whitespace-nowrap py-2 text-right text-[13px] text-muted">{(f.size / 1e6).toFixed(1)} MB</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
          <Measured groups={r.groups} />
          <section className="mt-5">
            <h2 className="mb-1.5 font-bold">Checked</h2>
            <table className="w-full text-left">
              <tbody>
                {[...r.findings]
                  .sort((a, b) => Number(a.severity === "ok") - Number(b.severity === "ok"))
                  .map((f, i) => (
                    <tr key={i} className={`border-t border-line align-top ${f.severity === "error" ? "font-semibold" : ""}`}>
                      <td className="w-7 py-1.5 pt-[5px]">
                        <Severity of={f.severity} />
                      </td>
                      <td className="py-1.5 pr-4">
                        {f.message}
                        {f.file && r.files.length > 1 && <div className="tc break-all text-[11px] font-normal text-muted">{f.file}</div>}
                      </td>
                      <td className="tc max-w-80 py-1.5 pr-4 text-right text-[13px]">{f.measured}</td>
                      <td className="tc max-w-80 py-1.5 text-right text-[13px] text-muted">
                        {f.limit && f.limit !== f.measured ? f.limit : f.limit ? "as planned" : ""}
                      </td>
                    </tr>
                  ))}
              </tbody>
            </table>
          </section>
        </>
      )}
    </div>
  );
}
