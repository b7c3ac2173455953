import { AlertTriangle, ArrowLeftRight, Check as Tick, ChevronDown, Play, Repeat, Square, X } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, useState, type ReactNode } from "react";

import type { Command, ReelView, Spec } from "../../../api/client";
import { usePlayer, type Check, type Tap } from "../../../listen/player";
import type { ActionID } from "../../../ui/actions";
import { keyOf, keySign, useActions } from "../../../ui/keys";
import { quiet } from "../../../ui/quiet";
import { tell } from "../../../ui/notices";
import { duration, labelAt, parse, parseNear } from "../../../ui/timecode";
import { Compared, CompareWith } from "./compared";
import type { ListName } from "../ground/state";
import { pairsIn, tapName } from "../ground/lookup";
import { usePosition } from "../ground/shuttleline";
import { back } from "../../../ui/focus";

/** Ways of listening that tell what a pair hides. */
const checks: [Check, string, string][] = [
  ["", "As it is", "wide sets folded down as usual"],
  ["mono", "Mono check", "both sides added up"],
  ["difference", "The difference of the sides", "what mono loses"],
  ["front", "Fold-down check", "the front pair alone, unfolded"],
  ["swap", "Sides changed over", "left is heard on the right"],
  ["head", "For headphones", "speakers stand around a simple head"],
];

/** The bar with play, timecode, what is listened to, what is wrong, and the spec. */
export const Shuttle = quiet(function Shuttle(p: {
  view: ReelView;
  spec: Spec | undefined;
  at: number;
  playing: boolean;
  tap: Tap;
  soloed: number;
  editing: boolean;
  onEditing: (on: boolean) => void;
  onPlay: () => void;
  onGo: (sample: number) => void;
  onTap: (t: Tap) => void;
  onClearSolo: () => void;
  onFix: (c: Command) => void;
  onFinding: (track: string | undefined) => void;
  onSpec: () => void;
  range: { from: number; to: number } | null;
  loop: boolean;
  half: boolean;
  board: boolean;
  onBoard: (on: boolean) => void;
  heardAlone: string; // what is heard alone that is no tap: a channel of a clip
  before: Tap | null;
  check: Check;
  sending: boolean; // a signal goes to outputs in place of the reel
  onCheck: (c: Check) => void;
  onSignal: (outputs: string[], names: boolean) => void;
  onDeck: () => void;
  folded: boolean; // the weave is looked at by groups, some of them at least
  onLook: () => void;
  onCompare: () => void;
  onLoop: () => void;
  onHalf: () => void;
  onClearRange: () => void;
  onLists: (l: ListName) => void;
}) {
  const { view } = p;
  const lost = usePlayer((s) => s.lost);
  const findings = useRef<HTMLButtonElement>(null);
  useActions({ findings: () => (findings.current ? findings.current.focus() : tell("No route is to be looked at.")) });
  const out = view.adrift.length;
  return (
    <div className="flex h-[46px] shrink-0 items-center gap-3 border-b border-line px-4 max-[900px]:gap-1.5 max-[900px]:overflow-x-auto max-[900px]:px-2">
      <button
        className="flex h-[34px] w-[34px] shrink-0 cursor-pointer items-center justify-center rounded-full bg-zest text-[#fffdf8] hover:brightness-110"
        aria-label={p.playing || p.sending ? "Stop" : "Play"}
        title={`${p.playing || p.sending ? "Stop" : "Play"} (${keySign(keyOf("play"))})`}
        onClick={p.onPlay}
      >
        {p.playing || p.sending ? <Square size={14} fill="currentColor" /> : <Play size={16} fill="currentColor" className="ml-0.5" />}
      </button>
      <Position {...p} />
      <Turn on={p.loop} label="Loop: play the range again and again" action="loop" onClick={p.onLoop}>
        <Repeat size={14} />
      </Turn>
      <Turn on={p.half} label="Half speed" action="half" onClick={p.onHalf}>
        <span className="tc text-[12px] font-bold">½</span>
      </Turn>
      <span className="flex shrink-0 rounded-full border border-line bg-paper p-[2px]" role="group" aria-label="Time or board">
        {([false, true] as const).map((on) => (
          <button
            key={String(on)}
            className={`h-[22px] cursor-pointer rounded-full px-2.5 text-[13px] ${p.board === on ? "bg-ink text-ground" : "text-muted hover:text-ink"}`}
            aria-pressed={p.board === on}
            title={`${on ? "The board: level, place, chain and what arrives, row by row" : "Time: clips and waveforms"} (${keySign(keyOf("board"))})`}
            onClick={() => p.onBoard(on)}
          >
            {on ? "board" : "time"}
          </button>
        ))}
      </span>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          className="inline-flex h-7 min-w-[72px] cursor-pointer items-center gap-1.5 rounded-full bg-ink px-3.5 text-[13px] text-ground"
          aria-label={`Listening to ${p.heardAlone || tapName(view, p.tap)}`}
        >
          <span className="truncate">
            <span className="max-[900px]:sr-only">Listening to </span>
            <b>{p.heardAlone || tapName(view, p.tap)}</b>
          </span>
          <ChevronDown size={14} className="shrink-0" />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4}>
            {view.groups.map((g) => (
              <DropdownMenu.Item key={g.id} className="menu-item" onSelect={() => p.onTap({ kind: "group", id: g.id })}>
                {g.name} <span className="text-muted">output</span>
              </DropdownMenu.Item>
            ))}
            {view.groups
              .filter((g) => g.labels.length > 2)
              .flatMap((g) => pairsIn(view, g.id))
              .map(([left, right]) => (
                <DropdownMenu.Item key={left.id} className="menu-item" onSelect={() => p.onTap({ kind: "pair", id: left.id })}>
                  {view.groups.find((g) => g.id === left.group)?.name} {left.label} {right.label} <span className="text-muted">pair</span>
                </DropdownMenu.Item>
              ))}
            {view.groups.length > 0 && <DropdownMenu.Separator className="my-1 h-px bg-line" />}
            {view.mixes.map((m) => (
              <DropdownMenu.Item key={m.id} className="menu-item" onSelect={() => p.onTap({ kind: "mix", id: m.id })}>
                {m.name} <span className="text-muted">mix</span>
              </DropdownMenu.Item>
            ))}
            {view.stems.map((s) => (
              <DropdownMenu.Item key={s.id} className="menu-item" onSelect={() => p.onTap({ kind: "stem", id: s.id })}>
                {s.name} <span className="text-muted">stem</span>
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Item className="menu-item" onSelect={() => p.onTap({ kind: "stems", id: "" })}>
              All stems together
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.RadioGroup value={p.check} onValueChange={(c) => p.onCheck(c as Check)}>
              {checks.map(([id, name, about]) => (
                <DropdownMenu.RadioItem key={id} value={id} className="menu-item">
                  <span className="w-3">{p.check === id && <Tick size={13} />}</span> {name} <span className="text-muted">{about}</span>
                </DropdownMenu.RadioItem>
              ))}
            </DropdownMenu.RadioGroup>
            <CompareWith view={view} />
            {view.outputs.length > 0 && (
              <>
                <DropdownMenu.Separator className="my-1 h-px bg-line" />
                <DropdownMenu.Item className="menu-item" onSelect={() => p.onSignal([], true)}>
                  Say the name of each output in turn <span className="text-muted">to check the wiring</span>
                </DropdownMenu.Item>
                <DropdownMenu.Item className="menu-item" onSelect={() => p.onSignal([], false)}>
                  Send a tone to each output in turn
                </DropdownMenu.Item>
                <DropdownMenu.Item className="menu-item" onSelect={p.onDeck}>
                  The receiving deck <span className="text-muted">what arrives on each output, label by label</span>
                </DropdownMenu.Item>
              </>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Compared view={view} />
      {p.check !== "" && (
        <button className="pill shrink-0 border-ink font-semibold" onClick={() => p.onCheck("")} title="Listen as it is again">
          {checks.find(([id]) => id === p.check)![1]} <X size={13} />
        </button>
      )}
      {p.sending && <span className="shrink-0 text-[13px] font-semibold text-act">A signal is sent to outputs</span>}
      {p.before && (
        <button
          className="pill min-w-0 shrink"
          onClick={p.onCompare}
          title={`Listen to ${tapName(view, p.before)} again, and back (${keySign(keyOf("compare"))})`}
        >
          <ArrowLeftRight size={13} className="shrink-0" /> <span className="truncate">{tapName(view, p.before)}</span>
        </button>
      )}
      {p.soloed > 0 && (
        <button
          className="pill border-ink font-semibold"
          onClick={p.onClearSolo}
          title="Solo is for listening only; prints are not changed"
        >
          {p.soloed === 1 ? "1 track soloed" : `${p.soloed} tracks soloed`}: hear all
        </button>
      )}
      {p.range && (
        <span className="pill tc gap-1 pr-1" role="group" aria-label="Range">
          {duration(p.range.to - p.range.from, view.head.sampleRate)}
          <button
            className="cursor-pointer rounded-full p-0.5 text-muted hover:text-ink"
            aria-label="Clear the range"
            onClick={p.onClearRange}
          >
            <X size={13} />
          </button>
        </span>
      )}
      {lost && <span className="text-[13px] font-semibold text-wrong">The connection was lost; picking up…</span>}
      <div className="ml-auto flex min-w-0 items-center gap-2.5 max-[900px]:shrink-0 max-[900px]:gap-1">
        {out > 0 && (
          <button className="pill border-wrong text-wrong" onClick={() => p.onLists("sync")}>
            {out === 1 ? "1 clip" : `${out} clips`} out of sync
          </button>
        )}
        {view.strays.length > 0 && (
          <button className="pill" onClick={() => p.onLists("strays")} title="Clips on tracks of another stem than they were made for">
            {view.strays.length === 1 ? "1 stray" : `${view.strays.length} strays`}
          </button>
        )}
        {view.findings.length > 0 && (
          <DropdownMenu.Root>
            <DropdownMenu.Trigger ref={findings} className="pill">
              <AlertTriangle size={14} className="text-wrong" />
              {view.findings.length}
              <span className="max-[900px]:sr-only">{view.findings.length === 1 ? "route to look at" : "routes to look at"}</span>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content onCloseAutoFocus={back} className="menu max-h-96 max-w-md overflow-auto" sideOffset={4} align="end">
                {view.findings.map((f, i) => (
                  <DropdownMenu.Group key={i} className="border-b border-line last:border-0">
                    <DropdownMenu.Item className="menu-item" onSelect={() => p.onFinding(f.track)}>
                      {f.message}
                    </DropdownMenu.Item>
                    {f.fix && (
                      <DropdownMenu.Item className="menu-item pl-6 font-semibold text-act" onSelect={() => p.onFix(f.fix!.command)}>
                        <Tick size={13} /> {f.fix.name}
                      </DropdownMenu.Item>
                    )}
                  </DropdownMenu.Group>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        )}
        {view.groups.length > 0 && (
          <button
            className="pill shrink-0"
            onClick={p.onLook}
            aria-label={p.folded ? "The weave by groups; press for channel by channel" : "The weave channel by channel; press for groups"}
            title={`The weave by groups, or channel by channel (${keySign(keyOf("look"))})`}
          >
            {p.folded ? "by group" : "by channel"}
          </button>
        )}
        <button
          className={`min-w-0 max-w-64 max-[900px]:max-w-24 ${p.spec || view.groups.length ? "pill" : "pill-act"}`}
          onClick={p.onSpec}
          title="The delivery spec that the outputs come from"
        >
          <span className="truncate">{p.spec?.title ?? (view.head.spec || "Choose a delivery spec")}</span>
        </button>
      </div>
    </div>
  );
});

function Turn(p: { on: boolean; label: string; action: ActionID; onClick: () => void; children: ReactNode }) {
  return (
    <button
      className={`flex h-7 w-7 shrink-0 cursor-pointer items-center justify-center rounded-full border
        ${p.on ? "border-ink bg-ink text-ground" : "border-line bg-paper text-muted hover:text-ink"}`}
      aria-pressed={p.on}
      aria-label={p.label}
      title={`${p.label} (${keySign(keyOf(p.action))})`}
      onClick={p.onClick}
    >
      {p.children}
    </button>
  );
}

type Position = { view: ReelView; at: number; editing: boolean; onEditing: (on: boolean) => void; onGo: (sample: number) => void };

function Position(p: Position) {
  const { sampleRate, frameRate } = p.view.head;
  const now = labelAt(usePosition(p.view.id, p.at), sampleRate, frameRate);
  if (p.editing) return <GoTo {...p} from={now} />;
  return (
    <button
      className="tc w-[158px] shrink-0 cursor-text text-left text-[24px] font-bold leading-none max-[900px]:w-[108px] max-[900px]:text-[16px] tracking-tight"
      onClick={() => p.onEditing(true)}
      aria-label={`Position ${now}; press to go elsewhere`}
      title={`Go to a timecode (${keySign(keyOf("goto"))})`}
    >
      {now}
    </button>
  );
}

/** A timecode that is typed, over the one where typing began; what plays runs on underneath. It has the next key, however soon that comes. */
function GoTo(p: Position & { from: string }) {
  const { sampleRate, frameRate } = p.view.head;
  const [draft, setDraft] = useState(p.from);
  const go = () => {
    const to = parseNear(draft, p.at, sampleRate, frameRate);
    if (to !== null) p.onGo(to);
    p.onEditing(false);
  };
  return (
    <input
      autoFocus
      onFocus={(e) => e.target.select()}
      className={`tc field w-[158px] shrink-0 text-[20px] font-bold ${parse(draft, sampleRate, frameRate) === null ? "text-wrong" : ""}`}
      aria-label="Go to timecode"
      value={draft}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={() => p.onEditing(false)}
      onKeyDown={(e) => {
        if (e.key === "Enter") go();
        if (e.key === "Escape") p.onEditing(false);
      }}
    />
  );
}
