import { useQuery } from "@tanstack/react-query";
import { CheckCircle2, Circle, Search, Upload, Volume2, XCircle } from "lucide-react";
import { useRef, useState } from "react";
import { Link, useNavigate } from "react-router";

import { api, base, ok, Problem, type Finding, type ListedReceipt, type Receipt } from "../../api/client";
import { useDo, useSpecs } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { tellError } from "../../ui/notices";
import { timeOrDay } from "../../ui/when";
import { Measured, Severity } from "./findings";
import { LoadAgain, Revise } from "./reload";
import { containerName, languageName, packingWords, size } from "./specwords";

const useReceipts = (production: string) =>
  useQuery({
    queryKey: keysOf.receipts(production),
    queryFn: () => ok(api.GET("/productions/{production}/receipts", { params: { path: { production } } })),
  });

/** What the desk has looked at, newest first, and the way to bring it something. */
export function DeskList({ production, reel, shown }: { production: string; reel: string; shown: string | undefined }) {
  const receipts = useReceipts(production);
  const [bringing, setBringing] = useState(false);
  return (
    <section aria-label="Desk" className="mt-6">
      <div className="flex items-baseline">
        <h2
          className="grow font-bold"
          title="A stand-in for the receiver: it takes a delivery, ours or anybody's, and holds it against a spec on its own"
        >
          Desk
        </h2>
        <button className="cursor-pointer text-[13px] text-muted underline hover:text-ink" onClick={() => setBringing(true)}>
          check files…
        </button>
      </div>
      {receipts.data?.length === 0 && (
        <p className="text-[13px] text-muted">Stands in for the receiver: it holds any delivery against a spec, on its own.</p>
      )}
      {receipts.data?.map((r) => (
        <Link
          key={r.id}
          to={`/p/${production}/print/${reel}/desk/${r.id}`}
          className={`flex items-center gap-2 border-t border-line px-1 py-2 text-[13px] ${r.id === shown ? "font-semibold" : "hover:text-ink"}`}
        >
          <Verdict receipt={r} />
          <span className="min-w-0 grow truncate" title={r.name}>
            {r.name}
          </span>
          <span className="tc shrink-0 text-[12px] text-muted">{timeOrDay(r.createdAt)}</span>
        </Link>
      ))}
      <Bring production={production} reel={reel} open={bringing} onOpenChange={setBringing} />
    </section>
  );
}

function Verdict({ receipt: r }: { receipt: ListedReceipt }) {
  if (r.passed !== null && !r.asked) return <Search size={15} className="shrink-0 text-muted" aria-label="looked at" />;
  if (r.passed) return <CheckCircle2 size={15} className="shrink-0" aria-label="accepted" style={{ color: "var(--dye-FX)" }} />;
  if (r.passed !== null || r.state === "failed")
    return <XCircle size={15} className="shrink-0 text-wrong" aria-label={r.passed !== null ? "refused" : "failed"} />;
  return <Circle size={15} className="shrink-0 text-muted" aria-label={r.state} />;
}

/** Files of a delivery, from this computer, with the spec that they are held against. */
function Bring({
  production,
  reel,
  open,
  onOpenChange,
}: {
  production: string;
  reel: string;
  open: boolean;
  onOpenChange: (on: boolean) => void;
}) {
  const specs = useSpecs(production).data ?? [];
  const go = useNavigate();
  const [files, setFiles] = useState<File[]>([]);
  const [spec, setSpec] = useState("");
  const [packaging, setPackaging] = useState("");
  const [sent, setSent] = useState<number | null>(null);
  const request = useRef<XMLHttpRequest | null>(null);
  const ways = specs.find((s) => s.id === spec)?.packaging ?? [];
  const send = () => {
    const form = new FormData();
    for (const f of files) form.append("file", f, f.name);
    const query = new URLSearchParams({ ...(spec && { spec }), ...(packaging && { packaging }) });
    const r = new XMLHttpRequest(); // which, unlike fetch, says how much has been sent
    request.current = r;
    r.upload.onprogress = (e) => setSent(e.loaded / Math.max(1, e.total));
    r.onloadend = () => {
      setSent(null);
      const answer = parsed(r.responseText);
      if (r.status === 202) {
        setFiles([]);
        onOpenChange(false);
        void go(`/p/${production}/print/${reel}/desk/${(answer as Receipt).id}`);
      } else if (r.status !== 0) tellError(new Problem((answer as { title?: string }).title ?? "The server did not take the files", ""));
    };
    r.onerror = () => tellError(new Problem("The connection to the server was lost; the files were not sent", ""));
    setSent(0);
    r.open("POST", `${base}/productions/${production}/receipts?${query}`);
    r.send(form);
  };
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title="Check files at the desk"
      about="Ours or anybody's: the files of a delivery, with its list of checksums if there is one, or one ZIP of them. Nothing is changed in them."
    >
      <label
        className="flex cursor-pointer flex-col items-center gap-2 rounded-lg border border-dashed border-muted px-4 py-6 text-center
          focus-within:outline-2 focus-within:outline-zest"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => (e.preventDefault(), setFiles([...e.dataTransfer.files]))}
      >
        <Upload size={20} aria-hidden />
        {files.length === 0
          ? "Drop the files here, or choose them"
          : `${files.length === 1 ? files[0]!.name : `${files.length} files`}, ${size(files.reduce((n, f) => n + f.size, 0))}`}
        <input
          type="file"
          multiple
          className="sr-only"
          aria-label="Files of the delivery"
          onChange={(e) => setFiles([...(e.target.files ?? [])])}
        />
      </label>
      <label className="mt-4 flex flex-col gap-1 text-[13px] text-muted">
        Held against
        <select className="field" value={spec} onChange={(e) => (setSpec(e.target.value), setPackaging(""))}>
          <option value="">no spec: say what they are</option>
          {specs.map((s) => (
            <option key={s.id} value={s.id}>
              {s.title}
            </option>
          ))}
        </select>
      </label>
      {ways.length > 1 && (
        <label className="mt-3 flex flex-col gap-1 text-[13px] text-muted">
          Packed as
          <select className="field" value={packaging} onChange={(e) => setPackaging(e.target.value)}>
            <option value="">whichever they are nearest to</option>
            {ways.map((w) => (
              <option key={w} value={w}>
                {packingWords(w)}
              </option>
            ))}
          </select>
        </label>
      )}
      {sent !== null && (
        <div
          className="mt-4 h-2 overflow-hidden rounded-full bg-band"
          role="progressbar"
          aria-label="Sending the files"
          aria-valuenow={Math.round(sent * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
        >
          <div className="h-full rounded-full bg-ink" style={{ width: `${sent * 100}%` }} />
        </div>
      )}
      <div className="mt-4 flex gap-3">
        <button className="pill-act" disabled={files.length === 0 || sent !== null} onClick={send}>
          {spec ? "Check them" : "Look at them"}
        </button>
        {sent !== null && (
          <button className="pill" onClick={() => request.current?.abort()}>
            Stop sending
          </button>
        )}
      </div>
    </Dialog>
  );
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return {};
  }
}

/** What the desk says of one delivery. */
export function ReceiptPage({ id, production, reel }: { id: string; production: string; reel: string }) {
  const again = [keysOf.receipts(production), keysOf.receipt(id)];
  const go = useNavigate();
  const receipt = useQuery({
    queryKey: keysOf.receipt(id),
    queryFn: () => ok(api.GET("/receipts/{receipt}", { params: { path: { receipt: id } } })),
    refetchInterval: (q) =>
      q.state.data && !q.state.data.receipt && q.state.data.state !== "failed" && q.state.data.state !== "cancelled" ? 700 : false,
  });
  const remove = useDo(
    () => ok(api.DELETE("/receipts/{receipt}", { params: { path: { receipt: id } } })),
    [keysOf.receipts(production)],
    () => void go(`/p/${production}/print/${reel}`),
  );
  const retry = useDo(() => ok(api.POST("/work/{work}/retry", { params: { path: { work: id } } })), again);
  const [other, setOther] = useState("");
  const r = receipt.data;
  if (receipt.error) return <p className="p-8 text-wrong">{receipt.error.message}</p>;
  if (!r) return null;
  const found = r.receipt;
  const faults = found?.findings.filter((f) => f.severity === "error") ?? [];
  const warned = found?.findings.filter((f) => f.severity === "warning") ?? [];
  const good = found?.findings.filter((f) => f.severity === "ok") ?? [];
  return (
    <div className="px-7 py-5">
      <div className="flex flex-wrap items-start gap-x-4 gap-y-2">
        <div className="min-w-60 flex-1">
          <h1 className="text-[22px] font-bold">
            {!found
              ? `The desk ${r.state === "running" ? "looks at" : r.state === "queued" ? "will look at" : "could not look at"} ${r.name}`
              : !r.spec
                ? "What these files are"
                : found.pass
                  ? "Accepted"
                  : faults.length === 1
                    ? "Refused: 1 fault"
                    : `Refused: ${faults.length} faults`}
          </h1>
          <p className="text-muted">
            {r.name}
            {r.spec && `, held against ${r.spec.title}${r.spec.receiver ? ` for ${r.spec.receiver}` : ""}`}
            {found?.packaging && `, packed as ${packingWords(found.packaging)}`}.
          </p>
        </div>
        {(r.state === "failed" || r.state === "cancelled") && (
          <button className="pill-act" onClick={() => retry.mutate(undefined)}>
            Look again
          </button>
        )}
        {found && <Against receipt={r} production={production} other={other} onOther={setOther} />}
        {found && (found.places?.length ?? 0) > 0 && (
          <>
            <Revise receipt={r} production={production} />
            <LoadAgain receipt={r} production={production} />
          </>
        )}
        <button className="pill" onClick={() => remove.mutate(undefined)}>
          Remove
        </button>
      </div>
      {found && other && <Compared receipt={r} other={other} />}
      {!found && r.state !== "failed" && r.state !== "cancelled" && (
        <div
          className="mt-6 h-2 overflow-hidden rounded-full bg-band"
          role="progressbar"
          aria-label="Checking"
          aria-valuenow={Math.round(r.progress * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
        >
          <div className="h-full rounded-full bg-ink" style={{ width: `${r.progress * 100}%` }} />
        </div>
      )}
      {!found && r.message && <p className="mt-4 text-wrong">{r.message}</p>}
      {found?.seen && <SeenList seen={found.seen} />}
      {faults.length > 0 && <Faults title="What is wrong" list={faults} receipt={r} />}
      {warned.length > 0 && <Faults title="Worth a look" list={warned} receipt={r} />}
      {found && <Files files={found.files} />}
      {found && found.groups.length > 0 && <Measured groups={found.groups} />}
      {good.length > 0 && (
        <details className="mt-6">
          <summary className="cursor-pointer font-bold">
            {good.length} {good.length === 1 ? "thing is" : "things are"} as asked
          </summary>
          <FindingRows list={good} />
        </details>
      )}
    </div>
  );
}

/** Another delivery that this one is compared with. */
function Against({
  receipt,
  production,
  other,
  onOther,
}: {
  receipt: Receipt;
  production: string;
  other: string;
  onOther: (id: string) => void;
}) {
  const list = (useReceipts(production).data ?? []).filter((r) => r.id !== receipt.id && r.passed !== null);
  if (list.length === 0) return null;
  return (
    <select className="field max-w-44" aria-label="Compare with another delivery" value={other} onChange={(e) => onOther(e.target.value)}>
      <option value="">Compare with…</option>
      {list.map((r) => (
        <option key={r.id} value={r.id}>
          {r.name}, {timeOrDay(r.createdAt)}
        </option>
      ))}
    </select>
  );
}

/** What is left when the other delivery is taken from this one. */
function Compared({ receipt, other }: { receipt: Receipt; other: string }) {
  const compared = useQuery({
    queryKey: ["comparison", receipt.id, other],
    queryFn: () => ok(api.GET("/receipts/{receipt}/comparison", { params: { path: { receipt: receipt.id }, query: { with: other } } })),
    staleTime: Infinity,
  });
  const c = compared.data;
  return (
    <section className="mt-5 rounded-lg border border-line px-4 py-3" aria-label="Comparison">
      <h2 className="font-bold">
        {!c
          ? "Taking one from the other…"
          : c.equal
            ? "Both are the same, sample by sample"
            : c.differences.length === 1
              ? "They differ in one place"
              : `They differ in ${c.differences.length} places`}
      </h2>
      {compared.error && <p className="text-wrong">{compared.error.message}</p>}
      {c?.nulls?.map((n) => (
        <figure key={n.file} className="mt-2">
          <figcaption className="tc break-all text-[12px] text-muted">what is left of {n.file}, from −120 dBFS at the foot to 0</figcaption>
          <Left values={n.left.values} />
        </figure>
      ))}
      {c && !c.equal && (
        <table className="mt-2 w-full text-left">
          <tbody>
            {c.differences.map((d, i) => (
              <tr key={i} className="border-t border-line align-top">
                <td className="tc break-all py-1.5 pr-4 text-[12px]">
                  {d.file}
                  {d.stream && `, stream ${d.stream}`}
                  {d.channel && `, channel ${d.channel}`}
                </td>
                <td className="whitespace-nowrap py-1.5 pr-4">
                  {d.from && (
                    <Hear
                      receipt={receipt}
                      finding={{
                        rule: "",
                        severity: "error",
                        message: "",
                        file: d.file,
                        stream: d.stream,
                        channel: d.channel,
                        timecode: d.from,
                        seconds: d.fromSeconds,
                      }}
                    />
                  )}
                </td>
                <td className="py-1.5 text-[13px]">
                  {d.message}
                  {d.from && (
                    <span className="text-muted">
                      , to <span className="tc">{d.to}</span>
                    </span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** A level over time, as cloth. */
function Left({ values }: { values: (number | null)[] }) {
  const at = (v: number | null) => (v === null ? 40 : 40 * Math.min(1, Math.max(0, -v / 120)));
  const path = values.map((v, i) => `L${((1000 * i) / Math.max(1, values.length - 1)).toFixed(1)} ${at(v).toFixed(1)}`).join("");
  return (
    <svg
      viewBox="0 0 1000 40"
      preserveAspectRatio="none"
      className="mt-1 block h-10 w-full border-b border-line"
      role="img"
      aria-label="What is left, over time"
    >
      <path d={`M0 40${path}L1000 40Z`} fill="var(--wrong)" opacity="0.6" />
    </svg>
  );
}

function Faults({ title, list, receipt }: { title: string; list: Finding[]; receipt: Receipt }) {
  return (
    <section className="mt-5" aria-label={title}>
      <h2 className="mb-1.5 font-bold">{title}</h2>
      <FindingRows list={list} receipt={receipt} />
    </section>
  );
}

/** Findings as rows: what, in which file and channel, where, and the figure; what has a place can be heard there. */
function FindingRows({ list, receipt }: { list: Finding[]; receipt?: Receipt }) {
  return (
    <table className="w-full text-left">
      <tbody>
        {list.map((f, i) => (
          <tr key={i} className="border-t border-line align-top">
            <td className="w-7 py-1.5 pt-[5px]">
              <Severity of={f.severity} />
            </td>
            <td className="py-1.5 pr-4">
              {f.message}
              {f.file && (
                <div className="tc break-all text-[11px] text-muted">
                  {f.file}
                  {f.stream && `, stream ${f.stream}`}
                  {f.channel && `, channel ${f.channel}`}
                </div>
              )}
            </td>
            <td className="whitespace-nowrap py-1.5 pr-4">{receipt && f.timecode && <Hear finding={f} receipt={receipt} />}</td>
            <td className="tc max-w-64 py-1.5 pr-4 text-right text-[13px]">{f.measured}</td>
            <td className="tc max-w-64 py-1.5 text-right text-[13px] text-muted">
              {f.limit && f.limit !== f.measured ? f.limit : f.limit ? "as asked" : ""}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Plays the channel from a second before the fault. */
function Hear({ finding: f, receipt }: { finding: Finding; receipt: Receipt }) {
  const sound = useRef<HTMLAudioElement>(null);
  const [on, setOn] = useState(false);
  const from = Math.max(0, (f.seconds ?? 0) - 1);
  const query = new URLSearchParams({
    file: f.file ?? "",
    from: from.toFixed(3),
    seconds: "5",
    ...(f.stream && { stream: `${f.stream}` }),
    ...(f.channel && { channel: `${f.channel}` }),
  });
  const turn = () => {
    if (on) sound.current?.pause();
    else void sound.current?.play().catch(tellError);
  };
  return (
    <button
      className={`pill h-7 gap-1.5 px-2.5 ${on ? "bg-ink text-ground" : ""}`}
      aria-pressed={on}
      aria-label={`Hear it at ${f.timecode}`}
      title="Hear the channel from a second before"
      onClick={turn}
    >
      <Volume2 size={14} aria-hidden />
      <span className="tc">{f.timecode}</span>
      <audio
        ref={sound}
        preload="none"
        src={`${base}/receipts/${receipt.id}/sound?${query}`}
        onPlay={() => setOn(true)}
        onPause={() => setOn(false)}
        onEnded={() => setOn(false)}
      />
    </button>
  );
}

function SeenList({ seen }: { seen: NonNullable<NonNullable<Receipt["receipt"]>["seen"]> }) {
  return (
    <section className="mt-5" aria-label="What they are">
      <table className="w-full text-left">
        <tbody>
          {seen.map((s, i) => (
            <tr key={i} className="border-t border-line align-top">
              <td className="py-2 pr-4 font-semibold">
                {s.name}
                {s.stream && <span className="tc font-normal text-muted"> stream {s.stream}</span>}
              </td>
              <td className="py-2 pr-4">
                {[
                  s.layout || `${s.labels.length} channels`,
                  s.language && languageName(s.language),
                  s.files.length > 1 && `${s.files.length} files`,
                ]
                  .filter(Boolean)
                  .join(", ")}
              </td>
              <td className="tc py-2 pr-4 text-[13px]">{s.labels.join(" ")}</td>
              <td className="py-2 text-[13px] text-muted">{s.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Files({ files }: { files: NonNullable<Receipt["receipt"]>["files"] }) {
  return (
    <section className="mt-6" aria-label="Files">
      <h2 className="mb-1.5 font-bold">Files</h2>
      <table className="w-full text-left">
        <tbody>
          {files.map((f) => {
            const [s] = f.streams;
            return (
              <tr key={f.name} className="border-t border-line align-top">
                <td className="tc break-all py-1.5 pr-4 text-[13px] font-semibold">{f.name}</td>
                <td className="py-1.5 text-right text-[13px] text-muted">
                  {s
                    ? [
                        containerName(f.container),
                        f.pictures > 0 && "with a picture",
                        f.streams.length > 1
                          ? `${f.streams.length} streams (${f.streams.map((x) => x.channels).join(", ")})`
                          : s.channels === 1
                            ? "1 channel"
                            : `${s.channels} channels`,
                        `${s.rate / 1000} kHz`,
                        s.depth === 32 ? "32 bit float" : `${s.depth} bit`,
                        size(f.size),
                      ]
                        .filter(Boolean)
                        .join(", ")
                    : "can't be read"}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
