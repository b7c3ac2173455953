import { useState } from "react";

import type { Command, Plan, ReelView } from "../../api/client";
import { useDraft } from "../../ui/draft";
import { StemTag } from "../../ui/stem";
import { labelAt } from "../../ui/timecode";
import { Severity } from "./findings";
import { aboutTime, languageName, plannedWords, size, sumsInWords } from "./specwords";
import { ActButton } from "../../ui/actbutton";

/** What is asked of a print beside its spec. */
export type Wish = { restamp?: boolean; range?: string[] };

/** Which part of the reel is printed: what the spec says, or something else this time. */
export function RangeChoice({ view, wish, onWish }: { view: ReelView; wish: Wish; onWish: (w: Wish) => void }) {
  const marks = view.marks.filter((m) => (m.length ?? 0) > 0);
  const now = wish.range?.length === 1 ? wish.range[0]! : "";
  const known = ["", "reel", "marks", ...marks.map((m) => `mark ${m.name}`)];
  const [typing, setTyping] = useState(now !== "" && !known.includes(now));
  const { field } = useDraft(
    known.includes(now) ? "" : now,
    (text) => void onWish({ ...wish, range: text.trim() ? [text.trim()] : undefined }),
  );
  const at = (n: number) => labelAt(n, view.head.sampleRate, view.head.frameRate);
  return (
    <div className="mt-3 flex flex-col gap-1 text-[13px] text-muted">
      <label className="flex flex-col gap-1">
        Range
        <select
          className="field"
          aria-label="Which part of the reel is printed"
          value={typing ? "typed" : now || (view.head.spec ? "" : "reel")}
          onChange={(e) => {
            const text = e.target.value;
            setTyping(text === "typed");
            if (text !== "typed") onWish({ ...wish, range: text ? [text] : undefined });
          }}
        >
          {view.head.spec && <option value="">as the spec says</option>}
          <option value="reel">the whole reel</option>
          {marks.length > 0 && <option value="marks">each of its {marks.length} marked ranges</option>}
          {marks.map((m) => (
            <option key={m.id} value={`mark ${m.name}`}>
              {m.name}
            </option>
          ))}
          <option value="typed">from one timecode to another…</option>
        </select>
      </label>
      {typing && (
        <input className="field tc" aria-label="Range as two timecodes" placeholder={`${at(view.head.start)}–${at(view.end)}`} {...field} />
      )}
    </div>
  );
}

type Props = { plan: Plan; busy: boolean; onPrint: () => void; onWish: (w: Wish) => void; onDo: (c: Command) => void };

/** The list of what will be written, before anything is. */
export function PlanPage({ plan, busy, onPrint, onWish, onDo }: Props) {
  const stops = plan.findings.filter((f) => f.severity === "error").length;
  const total = plan.files.reduce((n, f) => n + f.bytes, 0);
  return (
    <div className="px-7 py-5">
      <div className="flex items-start gap-6">
        <div className="grow">
          <h1 className="text-[22px] font-bold">What will be written</h1>
          <p className="text-muted">
            {plan.spec.title}
            {plan.spec.id !== "as-it-is" && ` for ${plan.spec.receiver || "its receiver"}`}: from{" "}
            <span className="tc text-ink">{plan.startTimecode}</span>, lasting{" "}
            <span className="tc text-ink">{plan.duration || "nothing"}</span>
            {plan.files.length > 1 && `, ${plan.files.length} files`}, about {size(total)}
            {(plan.seconds ?? 0) > 0 && `; printing takes about ${aboutTime(plan.seconds!)}, less where nothing has changed`}.
            {plan.asked.restamp && (
              <button className="ml-2 cursor-pointer underline" onClick={() => onWish({ restamp: false })}>
                stamp them as the reel counts
              </button>
            )}
          </p>
        </div>
        <ActButton
          act="print"
          className="pill-act h-10 shrink-0 px-6 text-[15px]"
          disabled={busy || stops > 0 || plan.files.length === 0}
          onClick={onPrint}
        >
          {plan.files.length <= 1 ? "Print the file" : `Print ${plan.files.length} files`}
        </ActButton>
      </div>
      <Findings plan={plan} stops={stops} onWish={onWish} onDo={onDo} />
      {plan.files.map((f) => (
        <File key={f.name} file={f} />
      ))}
      <Sums plan={plan} />
    </div>
  );
}

/** What must add up among the files; it is proven on their samples after they are printed, and again at the desk. */
export function Sums({ plan }: { plan: Plan }) {
  if (!plan.sums?.length) return null;
  return (
    <section className="mt-6" aria-label="What must add up">
      <h2 className="mb-1 font-bold">What must add up</h2>
      <p className="mb-1 text-[13px] text-muted">
        It follows from the weave. The print is held to it sample by sample, and so is the delivery at the desk.
      </p>
      <ul>
        {sumsInWords(plan).map((s) => (
          <li key={s} className="border-t border-line py-1.5">
            {s}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What is wrong, with what sets it right. */
export function Findings({
  plan,
  stops,
  onWish,
  onDo,
}: {
  plan: Plan;
  stops: number;
  onWish?: (w: Wish) => void;
  onDo?: (c: Command) => void;
}) {
  if (plan.findings.length === 0)
    return (
      <p className="mt-4 flex items-center gap-2">
        <Severity of="ok" /> Every track reaches an output, and something feeds every output.
      </p>
    );
  return (
    <section className="mt-4">
      <h2 className="mb-1 font-bold">{stops > 0 ? "This stops the print" : "Worth a look before you print"}</h2>
      {[...plan.findings]
        .sort((a, b) => Number(b.severity === "error") - Number(a.severity === "error"))
        .map((f, i) => (
          <div key={i} className="flex items-start gap-2 border-t border-line py-1.5">
            <Severity of={f.severity} />
            <span className="grow">{f.message}</span>
            {onDo &&
              f.offers?.map((o) => (
                <button
                  key={o.name}
                  className="pill h-7 shrink-0 px-3"
                  onClick={() =>
                    o.command
                      ? onDo(o.command)
                      : onWish?.({ ...(o.restamp ? { restamp: true } : {}), ...(o.range ? { range: o.range } : {}) })
                  }
                >
                  {o.name}
                </button>
              ))}
          </div>
        ))}
    </section>
  );
}

/** A file that will be written: its streams, their channels, and what each contains. */
export function File({ file: f }: { file: Plan["files"][number] }) {
  return (
    <section className="mt-5" aria-label={f.name}>
      <h2 className="tc text-[14px] font-bold break-all">{f.name}</h2>
      <p className="mb-1.5 text-[13px] text-muted">{plannedWords(f)}</p>
      {f.says?.map((s) => (
        <p key={s} className="text-[13px] text-muted">
          <span aria-hidden>·</span> {s}
        </p>
      ))}
      {f.streams.map((s, i) => (
        <div key={i}>
          {f.streams.length > 1 && (
            <p className="mt-2 text-[13px]">
              <span className="tc text-muted">stream {i + 1}</span> <b className="font-semibold">{s.title}</b>
              <span className="text-muted">
                {[s.language && languageName(s.language), s.layout, s.default && "chosen by players"].filter(Boolean).map((x) => ` · ${x}`)}
              </span>
            </p>
          )}
          <table className="w-full text-left">
            <tbody>
              {s.channels.map((c) => (
                <Channel key={c.index} channel={c} />
              ))}
            </tbody>
          </table>
        </div>
      ))}
    </section>
  );
}

function Channel({ channel: c }: { channel: Plan["files"][number]["channels"][number] }) {
  const tracks = c.tracks ?? [];
  return (
    <tr className="border-t border-line align-baseline">
      <td className="tc w-9 py-1.5 text-muted">{c.index}</td>
      <td className="w-44 py-1.5 font-semibold">{c.name}</td>
      <td className="w-32 py-1.5 pr-4 text-[13px]">
        <span className="flex flex-wrap gap-1">
          {c.stems?.map((s) => (
            <StemTag key={s} stem={s} />
          ))}
          {c.from}
        </span>
      </td>
      <td className="py-1.5 text-[13px] text-muted">
        {c.silent ? (
          "meant to be silent"
        ) : tracks.length === 0 ? (
          <span className="font-semibold text-wrong">nothing feeds it; it would be silent</span>
        ) : (
          `${tracks.length === 1 ? "1 track" : `${tracks.length} tracks`}: ${tracks.join(", ")}`
        )}
      </td>
    </tr>
  );
}
