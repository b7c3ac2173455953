import { useQueryClient } from "@tanstack/react-query";
import { ChevronDown, ChevronRight, Link2, MoreHorizontal, Pencil } from "lucide-react";
import { DropdownMenu, Switch } from "radix-ui";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { api, ok, type Channel, type Take, type TakeKind } from "../../api/client";
import { keysOf, useDo, useProduction, useReels } from "../../api/hooks";
import { colour, dye, fit, threadStep, threadWidth } from "../../draw/canvas";
import { extent, levelFor, onOverview } from "../../draw/overview";
import { player, usePlayer } from "../../listen/player";
import { keyOf, useActions } from "../../ui/keys";
import { useLight } from "../../ui/light";
import { tell } from "../../ui/notices";
import { StemTag } from "../../ui/stem";
import { duration, labelAt } from "../../ui/timecode";
import { takeTitle } from "./list";

const kindNames: Record<TakeKind, string> = { recording: "Recording", music: "Music", effect: "Effect" };
const encodings: Record<string, string> = { pcm: "", float: " float" };

/** A channel that carries nothing that another does not: it is folded away. */
export const spare = (c: Channel) => c.empty || !!c.findings?.some((f) => ["empty", "copy", "polarity"].includes(f.kind));

/** What unravel leaves out unless it is asked for. */
const leftOut = (c: Channel) => c.use === "mix" || spare(c);

/** Findings that mean damage, not only something to know. */
const harmed = ["clipped", "dropout", "hum", "dc"];

/** Why a channel is folded away, in a few words. */
export function whySpare(c: Channel): string {
  const copy = c.findings?.find((f) => f.kind === "copy" || f.kind === "polarity");
  return `${c.index}, ${c.name || "unnamed"}: ${copy ? `${copy.message.charAt(0).toLowerCase()}${copy.message.slice(1)}` : `empty (${level(c.rmsDBFS)})`}`;
}

function level(dB: number | null) {
  return dB === null ? "silent" : `${dB.toFixed(0).replace("-", "−")} dBFS`;
}

/** One take: a row for each channel, to be named, heard and unravelled. */
export function TakeBoard({ take }: { take: Take }) {
  const d = take.description;
  const [on, setOn] = useState(() => new Set(take.channels.filter((c) => !leftOut(c)).map((c) => c.index)));
  const [pairs, setPairs] = useState<number[]>(() => (take.channels.length === 2 && take.kind !== "recording" ? [1] : [])); // first channel of each
  const [unfolded, setUnfolded] = useState(false);
  const folded = take.channels.filter(spare);
  const rows = take.channels.filter((c) => unfolded || !spare(c));
  const production = useProduction(take.production);
  const kind = useDo((k: TakeKind) => ok(api.PATCH("/takes/{take}", { params: { path: { take: take.id } }, body: { kind: k } })), [keysOf.takes(take.production)]);
  const remove = useDo(() => ok(api.DELETE("/takes/{take}", { params: { path: { take: take.id } } })), [keysOf.takes(take.production)]);
  const end = production.data && d.startSamples !== null ? labelAt(d.startSamples + d.frames, d.sampleRate, production.data.frameRate) : null;
  const named = d.tracks.some((t) => t.name !== "");
  return (
    <div className="flex h-full flex-col">
      <div className="shrink-0 px-6 pb-3 pt-4">
        <div className="flex flex-wrap items-center gap-2.5">
          <h1 className="text-[22px] font-bold">{takeTitle(take)}</h1>
          {d.circled && <span className="pill">Circled</span>}
          {d.note && <span className="pill max-w-[420px]"><span className="truncate" title={d.note}>Note: {d.note}</span></span>}
          <DropdownMenu.Root>
            <DropdownMenu.Trigger className="pill" title="What sort of recording it is decides which stem is suggested">
              {kindNames[take.kind]} <ChevronDown size={14} />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content className="menu" sideOffset={4}>
                {(Object.keys(kindNames) as TakeKind[]).map((k) => (
                  <DropdownMenu.Item key={k} className="menu-item" onSelect={() => kind.mutate(k)}>
                    {kindNames[k]}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger className="pill ml-auto px-2" aria-label="More for this take">
              <MoreHorizontal size={15} />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content className="menu" sideOffset={4} align="end">
                <DropdownMenu.Item className="menu-item" onSelect={() => remove.mutate(undefined)}>
                  Remove this take and the server's copy
                </DropdownMenu.Item>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </div>
        <p className="mt-1 text-[13px] text-muted">
          {d.roll && `Roll ${d.roll}, `}
          {d.startTimecode ? (
            <>
              recorded <span className="tc text-ink">{d.startTimecode}{end && ` – ${end}`}</span>
            </>
          ) : (
            "no timecode"
          )}
          , {duration(d.frames, d.sampleRate)}, {d.channels === 1 ? "1 channel" : `${d.channels} channels`}, {d.bitDepth} bit{encodings[d.encoding]}, {d.sampleRate / 1000} kHz.{" "}
          <b className="font-semibold text-ink">{named ? "Names come from the file." : "The file names no channels."}</b>
        </p>
        {d.warnings.map((w, i) => (
          <p key={i} className="mt-1 text-[13px] text-wrong">
            {w.message} {w.offset >= 0 && `(byte ${w.offset})`}
          </p>
        ))}
      </div>
      <div className="min-h-0 grow overflow-auto px-6">
        {rows.map((c) => (
          <ChannelRow
            key={c.index}
            take={take}
            channel={c}
            on={on.has(c.index)}
            side={sideOf(pairs, c.index)}
            canPair={c.index < take.channels.length && !sideOf(pairs, c.index) && !sideOf(pairs, c.index + 1)}
            onToggle={(v) => setOn((s) => switched(s, pairs, c.index, v))}
            onPair={(v) => {
              setPairs((list) => (v ? [...list, c.index] : list.filter((x) => x !== c.index && x !== c.index - 1)));
              if (v) setOn((s) => new Set([...s, c.index, c.index + 1]));
            }}
          />
        ))}
        {folded.length > 0 && (
          <button className="flex w-full cursor-pointer items-center gap-2 border-t border-line py-2.5 text-left text-[13px] text-muted hover:text-ink" aria-expanded={unfolded} onClick={() => setUnfolded(!unfolded)}>
            {unfolded ? <ChevronDown size={15} /> : <ChevronRight size={15} />}
            {unfolded ? "Fold away what is empty or a copy" : `${folded.length === 1 ? "1 channel" : `${folded.length} channels`} folded away: ${folded.map(whySpare).join("; ")}`}
          </button>
        )}
        <p className="border-t border-line py-2.5 text-[13px] text-muted">Press and hold on a waveform to hear that channel alone from there.</p>
      </div>
      <UnravelBar take={take} on={on} pairs={pairs} />
    </div>
  );
}

/** Which side of a pair a channel is, if it is in one. Pairs are named by their first channel. */
export function sideOf(pairs: number[], index: number): "L" | "R" | null {
  if (pairs.includes(index)) return "L";
  return pairs.includes(index - 1) ? "R" : null;
}

/** Switches a channel on or off, and the other side of its pair with it: a bonded pair is never split. */
export function switched(on: Set<number>, pairs: number[], index: number, to: boolean): Set<number> {
  const side = sideOf(pairs, index);
  const both = side === "L" ? [index, index + 1] : side === "R" ? [index - 1, index] : [index];
  const rest = [...on].filter((x) => !both.includes(x));
  return new Set(to ? [...rest, ...both] : rest);
}

function ChannelRow(p: { take: Take; channel: Channel; on: boolean; side: "L" | "R" | null; canPair: boolean; onToggle: (on: boolean) => void; onPair: (on: boolean) => void }) {
  const { take, channel: c, on, onToggle } = p;
  const muted = leftOut(c);
  return (
    <div className="grid min-h-[58px] grid-cols-[28px_210px_minmax(120px,1fr)_160px_44px] items-center gap-3 border-t border-line py-1.5" data-channel={c.index}>
      <span className="tc text-right text-muted">{c.index}</span>
      <div className="min-w-0">
        <ChannelName take={take} channel={c} />
        <p className="truncate text-[12px] text-muted">
          {c.empty ? "empty" : c.use === "unknown" ? "not told" : c.use}, {level(c.rmsDBFS)}
          {c.fileName !== c.name && c.fileName && ` · in the file: ${c.fileName}`}
        </p>
        {c.findings
          ?.filter((f) => f.kind !== "empty")
          .map((f) => (
            <p key={f.kind} className={`truncate text-[12px] ${harmed.includes(f.kind) ? "font-semibold text-wrong" : "text-muted"}`} title={f.message}>
              {f.message}
            </p>
          ))}
      </div>
      <Waveform take={take} channel={c} muted={muted} />
      <span className="flex items-center justify-between gap-1 text-[13px] text-muted">
        {muted && !on ? (
          "left out of unravel"
        ) : (
          <span className="flex items-center gap-1.5">
            <StemTag stem={c.suggested} suggested /> suggested
          </span>
        )}
        {p.side ? (
          <button className="pill h-6 border-ink px-2 text-[12px] font-semibold" aria-pressed onClick={() => p.onPair(false)} title="One bonded stereo track; press to take the pair apart">
            <Link2 size={13} /> {p.side}
          </button>
        ) : (
          p.canPair && (
            <button className="cursor-pointer rounded p-1 text-muted hover:text-ink" aria-label={`Pair channel ${c.index} with ${c.index + 1}`} title={`Read ${c.index} and ${c.index + 1} as one bonded stereo pair`} onClick={() => p.onPair(true)}>
              <Link2 size={15} />
            </button>
          )
        )}
      </span>
      <Switch.Root
        checked={on}
        onCheckedChange={onToggle}
        aria-label={`Unravel channel ${c.index}, ${c.name || "unnamed"}`}
        className="h-[18px] w-8 cursor-pointer rounded-full bg-[var(--warp)] data-[state=checked]:bg-lime"
      >
        <Switch.Thumb className="block h-3.5 w-3.5 translate-x-0.5 rounded-full bg-[#fffdf8] transition-transform data-[state=checked]:translate-x-4" />
      </Switch.Root>
    </div>
  );
}

function ChannelName({ take, channel: c }: { take: Take; channel: Channel }) {
  const [draft, setDraft] = useState<string | null>(null);
  const name = useDo((text: string) => ok(api.PATCH("/takes/{take}", { params: { path: { take: take.id } }, body: { channel: c.index, name: text } })), [keysOf.takes(take.production)]);
  const keep = () => {
    if (draft !== null && draft.trim() !== c.name) name.mutate(draft.trim());
    setDraft(null);
  };
  if (draft === null) {
    return (
      <button className="group flex max-w-full cursor-text items-center gap-1.5 font-semibold" onClick={() => setDraft(c.name)} aria-label={`Name of channel ${c.index}: ${c.name || "unnamed"}`}>
        <span className="truncate">{c.name || <span className="font-normal italic text-muted">Channel {c.index}</span>}</span>
        <Pencil size={12} className="shrink-0 text-muted opacity-0 group-hover:opacity-100 group-focus-visible:opacity-100" />
      </button>
    );
  }
  return (
    <input
      className="field h-6 w-full px-1.5 font-semibold"
      autoFocus
      value={draft}
      maxLength={100}
      aria-label={`Name of channel ${c.index}`}
      onFocus={(e) => e.target.select()}
      onChange={(e) => setDraft(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur(); // which keeps it, once
        if (e.key === "Escape") setDraft(null);
      }}
    />
  );
}

/** The whole take of one channel. Pressing plays it alone from there for as long as it is held. */
function Waveform({ take, channel: c, muted }: { take: Take; channel: Channel; muted: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const light = useLight();
  const frames = take.description.frames;
  const heard = usePlayer((s) => (s.playing?.what === "take" && s.playing.id === take.id && s.playing.channels.includes(c.index - 1) ? s.position : -1));
  const place = heard >= 0 ? heard / frames : null;
  // As tall as the loudest channel of the take allows, the same for all, so that they can be compared.
  const loudest = Math.max(-40, ...take.channels.map((ch) => ch.peakDBFS ?? -40));
  const scale = 0.95 / 10 ** (loudest / 20);
  const paint = useMemo(
    () => () => {
      const surface = canvas.current && fit(canvas.current);
      if (!surface) return;
      const { g, width, height } = surface;
      g.fillStyle = muted ? colour("--muted") : dye(c.suggested);
      g.globalAlpha = muted ? 0.55 : 1;
      const perPixel = frames / width;
      const detail = levelFor(perPixel * threadStep);
      for (let x = 0; x < width; x += threadStep) {
        const e = extent(take.id, take.channels.length, c.index - 1, detail, x * perPixel, (x + threadStep) * perPixel);
        const size = e ? Math.max(1, Math.min(1, Math.max(-e.low, e.high) * scale) * height) : 1;
        g.fillRect(x, (height - size) / 2, threadWidth, size);
      }
    },
    [take.id, take.channels.length, c.index, c.suggested, muted, frames, scale],
  );
  useEffect(() => {
    paint();
    const observer = new ResizeObserver(paint);
    observer.observe(canvas.current!);
    const stop = onOverview(paint);
    return () => {
      observer.disconnect();
      stop();
    };
  }, [paint, light]);
  const press = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = e.currentTarget.getBoundingClientRect();
    void player.playTake(take.id, [c.index - 1], ((e.clientX - box.left) / box.width) * frames);
  };
  return (
    <div
      className="relative h-11 cursor-pointer touch-none"
      role="button"
      tabIndex={0}
      aria-label={`Listen to channel ${c.index}, ${c.name || "unnamed"}`}
      onPointerDown={press}
      onPointerUp={() => player.stop()}
      onPointerCancel={() => player.stop()}
      onKeyDown={(e) => {
        if (e.key !== "Enter" && e.key !== " ") return;
        e.preventDefault();
        e.stopPropagation();
        if (heard >= 0) player.stop();
        else void player.playTake(take.id, [c.index - 1], 0);
      }}
    >
      <canvas ref={canvas} className="h-full w-full" />
      {place !== null && <span className="pointer-events-none absolute inset-y-0 w-0.5 bg-zest" style={{ left: `${place * 100}%` }} />}
    </div>
  );
}

/** Stands for a reel that is yet to be made. */
const fresh = "new";

/** The first of Reel 1, Reel 2 … that no reel is called. */
export function newReelName(taken: string[]): string {
  for (let n = 1; ; n++) if (!taken.some((t) => t === `Reel ${n}` || t.startsWith(`Reel ${n},`))) return `Reel ${n}`;
}

/** The one command that breaks the chosen channels into tracks on a reel. */
function UnravelBar({ take, on, pairs }: { take: Take; on: Set<number>; pairs: number[] }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const reels = useReels(take.production);
  const production = useProduction(take.production);
  const [chosen, setChosen] = useState("");
  const reel = chosen === fresh ? undefined : (reels.data?.find((r) => r.id === chosen) ?? reels.data?.[0]);
  const chosenPairs = pairs.filter((first) => on.has(first));
  const tracks = on.size - chosenPairs.length;
  const carry = useDo(
    () => ok(api.POST("/takes/{take}/carry", { params: { path: { take: take.id } } })),
    [keysOf.takes(take.production)],
    ({ changed }) => tell(changed === 0 ? "The other takes have these names already, or other channels." : changed === 1 ? "1 other take has these names now." : `${changed} other takes have these names now.`),
  );
  const path = (id: string) => ({ params: { path: { reel: id } } });
  const unravel = useDo(
    async () => {
      let target = reel?.id;
      if (!target) {
        const p = production.data!;
        const start = take.description.startTimecode ? `${take.description.startTimecode.slice(0, 2)}:00:00:00` : "10:00:00:00";
        target = (await ok(api.POST("/productions/{production}/reels", { params: { path: { production: p.id } }, body: { name: newReelName(reels.data?.map((r) => r.name) ?? []), start } }))).id;
      }
      const now = await ok(api.GET("/reels/{reel}", path(target)));
      return ok(api.POST("/reels/{reel}/unravel", { ...path(target), body: { revision: now.revision, take: take.id, channels: [...on].sort((a, b) => a - b), pairs: chosenPairs.map((first) => [first, first + 1]) } }));
    },
    [keysOf.reels(take.production)],
    (view) => {
      queries.setQueryData(keysOf.reel(view.id), view);
      void go(`/p/${take.production}/loom/${view.id}`);
    },
  );
  const run = () => {
    if (on.size > 0 && !unravel.isPending && reels.data) unravel.mutate(undefined);
  };
  useActions({ unravel: run });
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-2.5 border-t border-line px-6 py-3">
      <button className="pill-act" disabled={on.size === 0 || unravel.isPending || !reels.data || !production.data} onClick={run} title={`Key: ${keyOf("unravel")}`}>
        {on.size === 0 ? "Switch on a channel to unravel" : tracks === 1 ? "Unravel 1 track" : `Unravel ${tracks} tracks`} onto {reel?.name ?? "a new reel"}
      </button>
      {reels.data && reels.data.length > 0 && (
        <select className="field rounded-full" aria-label="Reel to unravel onto" value={reel?.id ?? fresh} onChange={(e) => setChosen(e.target.value)}>
          {reels.data.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
          <option value={fresh}>a new reel</option>
        </select>
      )}
      {take.description.roll && take.channels.some((c) => c.name) && (
        <button className="pill" disabled={carry.isPending} onClick={() => carry.mutate(undefined)} title={`Names the channels of every take of roll ${take.description.roll} that has ${take.channels.length} channels; one undo takes it back`}>
          Use these names for all of {take.description.roll}
        </button>
      )}
      <span className="text-[13px] text-muted">
        {take.kind === "recording" && take.description.startTimecode ? "At its own timecode, tied together." : "At the start of the reel; move it there."} The take itself is not changed.
      </span>
    </div>
  );
}
