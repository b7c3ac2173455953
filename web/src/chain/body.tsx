// A chain opened, wherever it stands: its processors in their order, what its filters do, and the figures of the chosen one.
import { ArrowDown, ArrowUp, Download, Plus, Trash2, Upload, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, useState, type DragEvent, type KeyboardEvent, type ReactNode } from "react";

import { api, ok, type ChainStep, type ProcessorKind, type ProcessorParameter } from "../api/client";
import { Kept } from "../ui/kept";
import { tellError } from "../ui/notices";
import { Small } from "../ui/small";
import { didWords, held, movedStep, settingOf, shown, slideOf, slidTo, stepWords, withValues } from "./chains";
import { ChainCurve } from "./curve";
import type { Heard } from "./heard";
import { KeptChains } from "./kept";
import { figure } from "../rooms/loom/ground/numbers";
import { back } from "../ui/focus";

export type Range = { from: number; to: number };

/** What a chain is shown by. */
export type Body = {
  /** What it is called, and what it is of. */
  title: string;
  about: string;
  /** Whose chains are kept under names. */
  production: string;
  /** The name of what it is of, for its file. */
  name: string;
  rate: number;
  dye: string; // as a colour
  kinds: ProcessorKind[];
  steps: ChainStep[];
  off: boolean;
  heard: Heard | undefined;
  /** Rows that may drive a processor; nothing where none can. */
  keys?: (NonNullable<ChainStep["key"]> & { name: string })[];
  /** What is chosen in time, and what a step learns of it. */
  range: Range | null;
  onLearn?: (step: ChainStep, span: Range, like?: Range) => Promise<number[]>;
  /** While something is dragged, and when it is let go. */
  onDraft: (steps: ChainStep[] | null) => void;
  onKeep: (steps: ChainStep[]) => void;
  onClose: () => void;
  /** What there is to say where nothing is in it yet. */
  empty: string;
  /** What is done to the chain as a whole. */
  foot: (add: (kind: ProcessorKind) => void) => ReactNode;
  /** What is heard of it, above the curve. */
  hear?: ReactNode;
};

/** A chain, opened. */
export function ChainBody(p: Body & { fresh: (steps: ChainStep[], kind: ProcessorKind) => ChainStep }) {
  const { steps, kinds } = p;
  const [wanted, setChosen] = useState("");
  const chosen = steps.find((s) => s.id === wanted) ?? steps[0];
  const kindOf = (s: ChainStep) => kinds.find((k) => k.kind === s.kind);
  return (
    <section aria-label={p.title} className="flex h-full min-w-0 overflow-x-auto bg-paper text-[13px]">
      <div className="flex w-[232px] shrink-0 flex-col border-r border-line">
        <header className="flex items-center gap-1 px-3 pb-1 pt-2">
          <h2 className="min-w-0 grow truncate font-semibold" title={p.about}>
            {p.title}
          </h2>
          <KeptChains production={p.production} steps={steps} onKeep={p.onKeep} />
          <Files name={p.name} steps={steps} onKeep={p.onKeep} />
          <Small label="Put the chain away" onClick={p.onClose}>
            <X size={14} />
          </Small>
        </header>
        <Steps {...p} chosen={chosen?.id ?? ""} kindOf={kindOf} onChoose={setChosen} />
        <footer className="flex flex-wrap items-center gap-1 border-t border-line px-2 py-1.5">
          {p.foot((kind) => {
            const s = p.fresh(steps, kind);
            setChosen(s.id);
            p.onKeep([...steps, s]);
          })}
        </footer>
      </div>
      {steps.length === 0 ? (
        <p className="m-auto max-w-md px-6 text-muted">{p.empty}</p>
      ) : (
        <div className="flex min-w-[240px] grow flex-col overflow-y-auto">
          {p.hear}
          <ChainCurve {...p} chosen={chosen?.id ?? ""} onChoose={setChosen} />
        </div>
      )}
      {chosen && kindOf(chosen) && <Figures key={chosen.id} {...p} step={chosen} kind={kindOf(chosen)!} />}
    </section>
  );
}

type StepsProps = Body & { chosen: string; kindOf: (s: ChainStep) => ProcessorKind | undefined; onChoose: (id: string) => void };

/** The processors as stitches on the row's thread, in the order in which sound goes through them: dragged, or moved by Alt with the arrows. */
function Steps(p: StepsProps) {
  const { steps } = p;
  const dragged = useRef<number | null>(null);
  const list = useRef<HTMLOListElement>(null);
  const go = (at: number) => setTimeout(() => list.current?.querySelectorAll<HTMLButtonElement>("button[data-step]")[at]?.focus()); // once it is drawn there
  const key = (e: KeyboardEvent, at: number) => {
    const by = e.key === "ArrowUp" ? -1 : e.key === "ArrowDown" ? 1 : 0;
    const to = at + by;
    if (by !== 0 && to >= 0 && to < steps.length) {
      e.preventDefault();
      e.stopPropagation();
      if (e.altKey) p.onKeep(movedStep(steps, at, to));
      else p.onChoose(steps[to]!.id);
      go(to);
    }
    if (e.key === "Delete" || e.key === "Backspace") {
      e.preventDefault();
      e.stopPropagation();
      p.onKeep(steps.filter((_, i) => i !== at));
    }
  };
  const drop = (e: DragEvent, at: number) => {
    e.preventDefault();
    if (dragged.current !== null && dragged.current !== at) p.onKeep(movedStep(steps, dragged.current, at));
    dragged.current = null;
  };
  return (
    <ol ref={list} className="min-h-0 grow overflow-y-auto" aria-label="Processors, in order">
      {steps.map((s, at) => {
        const kind = p.kindOf(s);
        const on = s.id === p.chosen;
        const title = kind?.title ?? s.kind;
        return (
          <li
            key={s.id}
            draggable
            onDragStart={() => (dragged.current = at)}
            onDragOver={(e) => e.preventDefault()}
            onDrop={(e) => drop(e, at)}
            className={`group/step relative flex items-center gap-2 border-l-4 py-1 pl-2 pr-1 ${on ? "border-l-zest bg-ground" : "border-l-transparent"}`}
          >
            <span
              aria-hidden="true"
              className="absolute bottom-0 left-[17px] top-0 w-[2px]"
              style={{ background: p.dye, opacity: 0.5, top: at === 0 ? "50%" : 0, bottom: at === steps.length - 1 ? "50%" : 0 }}
            />
            <button
              className="relative z-10 h-4 w-4 shrink-0 cursor-pointer rounded-full border-[2.5px] bg-paper"
              style={{ borderColor: p.dye, borderStyle: s.off || p.off ? "dotted" : "solid" }}
              aria-label={`${title}: ${s.off ? "off" : "on"}`}
              aria-pressed={!s.off}
              title={s.off ? "It does nothing; press to have it work" : "It works; press to leave it out"}
              onClick={() => p.onKeep(steps.map((x) => (x.id === s.id ? { ...x, off: !x.off } : x)))}
            />
            <button
              data-step
              className={`min-w-0 grow cursor-pointer text-left ${s.off ? "text-muted" : ""}`}
              aria-current={on}
              title="Alt with the arrows moves it, Delete takes it away"
              onClick={() => p.onChoose(s.id)}
              onKeyDown={(e) => key(e, at)}
            >
              <span className="block truncate font-semibold">{title}</span>
              <span className="tc block truncate text-[11px] text-muted">{stepWords(s, kind) || "–"}</span>
            </button>
            <span
              className="tc shrink-0 text-[11px] text-muted group-focus-within/step:hidden group-hover/step:hidden"
              title="What it does at the playhead, at the most"
            >
              {s.off || p.off ? "" : didWords(p.heard?.did.find((d) => d.step === s.id))}
            </span>
            <span className="hidden shrink-0 group-focus-within/step:flex group-hover/step:flex">
              <Small label={`${title} earlier`} disabled={at === 0} onClick={() => p.onKeep(movedStep(steps, at, at - 1))}>
                <ArrowUp size={12} />
              </Small>
              <Small label={`${title} later`} disabled={at === steps.length - 1} onClick={() => p.onKeep(movedStep(steps, at, at + 1))}>
                <ArrowDown size={12} />
              </Small>
              <Small label={`Take ${title} away`} onClick={() => p.onKeep(steps.filter((x) => x.id !== s.id))}>
                <Trash2 size={12} />
              </Small>
            </span>
          </li>
        );
      })}
    </ol>
  );
}

/** The menu of what can be added. */
export function Add({ kinds, onAdd }: { kinds: ProcessorKind[]; onAdd: (k: ProcessorKind) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="pill h-6 gap-1 px-2 text-[12px]">
        <Plus size={12} /> Add
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          onCloseAutoFocus={back}
          className="menu max-h-[70vh] overflow-y-auto"
          sideOffset={4}
          side="top"
          aria-label="Processors that can be added"
        >
          {kinds.map((k) => (
            <DropdownMenu.Item key={k.kind} className="menu-item flex-col !items-start !gap-0" onSelect={() => onAdd(k)}>
              <span className="font-semibold">{k.title}</span>
              <span className="text-[11.5px] text-muted">{k.about}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Keeps a chain as a file, and takes one from a file. */
function Files({ name, steps, onKeep }: { name: string; steps: ChainStep[]; onKeep: (s: ChainStep[]) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const save = async () => {
    const text = await ok(api.POST("/processors/text", { body: steps, parseAs: "text" }));
    const a = document.createElement("a");
    a.href = URL.createObjectURL(new Blob([text as string], { type: "application/yaml" }));
    a.download = `${name.replace(/[^\p{L}\p{N}]+/gu, "-")}.chain.yaml`;
    a.click();
    URL.revokeObjectURL(a.href);
  };
  const read = async (f: File | undefined) => {
    if (!f) return;
    try {
      onKeep(
        await ok(
          api.POST("/processors/steps", {
            body: await f.text(),
            bodySerializer: (b: string) => b,
            headers: { "Content-Type": "application/yaml" },
          }),
        ),
      );
    } catch (e) {
      tellError(e);
    }
  };
  return (
    <span className="flex">
      <Small label="Keep the chain as a file" disabled={steps.length === 0} onClick={() => void save()}>
        <Download size={13} />
      </Small>
      <Small label="Take a chain from a file, in place of this one" onClick={() => input.current?.click()}>
        <Upload size={13} />
      </Small>
      <input
        ref={input}
        type="file"
        hidden
        accept=".yaml,.yml"
        aria-label="File of a chain"
        onChange={(e) => void read(e.target.files?.[0])}
      />
    </span>
  );
}

type FiguresProps = Body & { step: ChainStep; kind: ProcessorKind };

/** The figures of one processor, typed or slid. */
function Figures(p: FiguresProps) {
  const { steps, step, kind, keys, onKeep } = p;
  const put = (more: Partial<ChainStep>) => onKeep(steps.map((s) => (s.id === step.id ? { ...s, ...more } : s)));
  return (
    <div className="flex w-[280px] shrink-0 flex-col gap-1 overflow-y-auto border-l border-line px-3 py-2">
      <h3 className="font-semibold" title={kind.source}>
        {kind.title}
      </h3>
      <p className="mb-1 text-[11.5px] leading-snug text-muted">{kind.about}.</p>
      {kind.parameters.map((q) => (
        <Figure key={q.name} {...p} q={q} />
      ))}
      {kind.detector && (
        <label className="flex items-center justify-between gap-2">
          goes by
          <select
            className="field h-7 px-1"
            aria-label="What is its level"
            value={step.detector ?? "peak"}
            onChange={(e) => put({ detector: e.target.value as "peak" | "rms" })}
          >
            <option value="peak">peaks of 5 ms</option>
            <option value="rms">mean square</option>
          </select>
        </label>
      )}
      {kind.keyed && keys && (
        <label className="flex items-center justify-between gap-2">
          driven by
          <select
            className="field h-7 w-40 px-1"
            aria-label="What drives it"
            value={step.key ? `${step.key.row} ${step.key.from}` : ""}
            onChange={(e) => {
              const k = keys.find((x) => `${x.row} ${x.from}` === e.target.value);
              put({ key: k && { row: k.row, from: k.from } });
            }}
          >
            <option value="">itself</option>
            {keys.map((k) => (
              <option key={`${k.row} ${k.from}`} value={`${k.row} ${k.from}`}>
                {k.name}
              </option>
            ))}
          </select>
        </label>
      )}
      {kind.profile && p.onLearn && <Learn {...p} onLearn={p.onLearn} />}
    </div>
  );
}

function Figure({ q, steps, step, onDraft, onKeep }: FiguresProps & { q: ProcessorParameter }) {
  const value = settingOf(step, q);
  const [slid, setSlid] = useState<number | null>(null);
  const label = q.name === "keyHighPass" ? "driven above" : q.name === "keyLowPass" ? "driven below" : q.name;
  const keep = () => {
    if (slid === null) return;
    onKeep(withValues(steps, step.id, { [q.name]: slidTo(q, slid) }));
    setSlid(null);
  };
  return (
    <div
      className="grid grid-cols-[72px_1fr_auto] items-center gap-x-2"
      title={`${q.about}. ${shown(q.low, q.unit)} to ${shown(q.high, q.unit)}`}
    >
      <span className="truncate">{label}</span>
      <input
        type="range"
        min={0}
        max={1000}
        step={1}
        className="h-5 min-w-0 accent-[var(--ink)]"
        aria-label={`${q.name}, sliding`}
        aria-valuetext={shown(value, q.unit)}
        value={slid ?? slideOf(q, value)}
        onChange={(e) => {
          setSlid(Number(e.target.value));
          onDraft(withValues(steps, step.id, { [q.name]: slidTo(q, Number(e.target.value)) }));
        }}
        onPointerUp={keep}
        onKeyUp={keep}
        onBlur={keep}
      />
      <span className="flex items-center gap-1">
        <Kept
          label={`${q.name} of the ${step.kind}`}
          value={String(Number(value.toPrecision(5)))}
          onKeep={figure((v) => onKeep(withValues(steps, step.id, { [q.name]: held(q, v) })), q.low, q.high)}
          className="tc w-[56px] px-1 text-right"
        />
        <span className="w-9 truncate text-[11px] text-muted">{q.unit === "dB an octave" ? "dB/oct" : q.unit}</span>
      </span>
    </div>
  );
}

/** Has a step learn from ranges that are chosen in time: a noise from one; a match from what is to become so, and what it is to be like. */
function Learn({ range, steps, step, onKeep, onLearn }: FiguresProps & { onLearn: NonNullable<Body["onLearn"]> }) {
  const [going, setGoing] = useState(false);
  const [like, setLike] = useState<Range | null>(null);
  const matches = step.kind === "match";
  const put = (profile: number[] | undefined) => onKeep(steps.map((s) => (s.id === step.id ? { ...s, profile } : s)));
  const learn = async (span: Range) => {
    setGoing(true);
    try {
      put(await onLearn(step, span, matches && like ? like : undefined));
      setLike(null);
    } catch (e) {
      tellError(e);
    } finally {
      setGoing(false);
    }
  };
  const known = (step.profile?.length ?? 0) > 0;
  const waits = going
    ? "Listening…"
    : range
      ? ""
      : matches
        ? "Choose a range that sounds as it should"
        : "Choose a range without speech to learn from";
  return (
    <div className="mt-1 border-t border-line pt-1.5 text-[12px]">
      <p className={known ? "" : "text-muted"}>
        {matches
          ? known
            ? "It has the spectrum of the stretch that was chosen. "
            : "It does nothing until it knows what is to sound like what. "
          : known
            ? "It knows the noise. "
            : "It takes the least that there was in a second and a half for the noise. "}
        {known && (
          <button className="cursor-pointer underline" onClick={() => put(undefined)}>
            Forget it
          </button>
        )}
      </p>
      {matches && !like ? (
        <button className="pill mt-1 h-6 px-2" disabled={!range || going} onClick={() => range && setLike(range)}>
          {waits || "The range sounds as it should"}
        </button>
      ) : (
        <button className="pill mt-1 h-6 px-2" disabled={!range || going || range === like} onClick={() => range && void learn(range)}>
          {waits || (!matches ? "Learn it from the range" : range === like ? "Now choose what is to become so" : "Make the range sound so")}
        </button>
      )}
    </div>
  );
}
