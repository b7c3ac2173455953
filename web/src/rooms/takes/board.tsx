import { ChevronDown, ChevronRight, Headphones, Layers, Maximize2, MoreHorizontal, Unlink, X, ZoomIn, ZoomOut } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link } from "react-router";

import { api, base, ok, type ChainStep, type Take, type TakeKind } from "../../api/client";
import { useDo, useProduction, useStems, useTakeEdit, useTakes } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { player, usePlayer } from "../../listen/player";
import { useActions } from "../../ui/keys";
import { duration, labelAt } from "../../ui/timecode";
import { Small } from "../../ui/small";
import { whole, zoom } from "../loom/ground/geometry";
import { Ruler } from "../loom/time/ruler";
import { Scroll } from "../loom/ground/scroll";
import { BoardTimeProvider, columns, timedOf, useBoardTime, type Range } from "./boardtime";
import { ChannelRow, namesList } from "./channel";
import { Edited } from "./edited";
import { saidBy, takeTitle } from "./list";
import { level, setOf, spare, together, waysOf, whySpare, without } from "./reading";
import { TreatmentPanel } from "./treatment";
import { UnravelBar } from "./unravelbar";
import { many } from "../../ui/words";
import { Explained } from "../../ui/explained";
import { back } from "../../ui/focus";

export const kindNames: Record<TakeKind, string> = {
  recording: "Recording",
  music: "Music",
  effect: "Effect",
  camera: "Camera movie",
  picture: "Picture cut",
};
const encodings: Record<string, string> = { pcm: "", float: " float" };

/** The time above the waveforms: an axis in timecode, the marks of the file, and what can be done with the range. */
function Axis({ take, at }: { take: Take; at: number }) {
  const { view, scroll, range, onRange } = useBoardTime();
  const playing = usePlayer((s) => s.playing?.what === "take" && s.playing.id === take.id);
  const { start, sampleRate } = view.head;
  const channels = take.channels.filter((c) => c.unravelled).map((c) => c.index - 1);
  const zoomed = (by: number) => scroll.change((v) => zoom(v, by, 160));
  const hear = () => {
    if (playing) player.stop();
    else if (range) void player.playTake(take.id, channels, range.from - start, range.to - start);
  };
  return (
    <div className={`sticky top-0 z-10 grid shrink-0 items-end bg-ground ${columns}`}>
      <span className="col-span-3 flex flex-wrap items-center justify-end gap-1.5 pb-1 text-[12px] text-muted">
        {range && (
          <>
            <span className="tc">{duration(range.to - range.from, sampleRate)}</span>
            <button className="pill h-6 px-2" onClick={hear} disabled={channels.length === 0}>
              {playing ? "Stop" : "Hear it"}
            </button>
            <Small label="Clear the range" onClick={() => onRange(null)}>
              <X size={13} />
            </Small>
          </>
        )}
      </span>
      <div className="min-w-0">
        <Ruler
          view={view}
          scroll={scroll}
          at={at}
          range={range}
          loop={false}
          onGo={(sample) => void player.playTake(take.id, channels, Math.max(0, sample - start))}
          onScrub={() => undefined}
          onRange={(from, to) => onRange({ from, to })}
          onMark={() => undefined}
        />
      </div>
      <span className="col-span-2 flex items-center gap-0.5 pb-1">
        <Small label="Zoom out" onClick={() => zoomed(2)}>
          <ZoomOut size={15} />
        </Small>
        <Small label="Zoom in" onClick={() => zoomed(0.5)}>
          <ZoomIn size={15} />
        </Small>
        <Small label="See the whole take" onClick={scroll.showAll}>
          <Maximize2 size={14} />
        </Small>
      </span>
    </div>
  );
}

/** One take: what it is, and a row for each channel to be named, read, heard and unravelled. */
export function TakeBoard({ take }: { take: Take }) {
  const [marked, setMarked] = useState<number[]>([]);
  const [last, setLast] = useState(0);
  const [unfolded, setUnfolded] = useState(false);
  const [range, onRange] = useState<Range | null>(null);
  const production = useProduction(take.production);
  const rate = production.data?.frameRate;
  const view = useMemo(() => timedOf(take, rate ?? { num: 25, den: 1, drop: false }), [take, rate]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: one for as long as the take is open
  const scroll = useMemo(() => new Scroll(whole(view, 320, 1)), [take.id]);
  const time = useMemo(() => ({ view, scroll, range, onRange }), [view, scroll, range]);
  const ruler = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const el = ruler.current?.querySelector("[role=slider]");
    if (!el) return;
    const observer = new ResizeObserver(() => scroll.fit(whole(view, el.clientWidth, 1), el.clientWidth));
    observer.observe(el);
    return () => observer.disconnect();
  }, [view, scroll]);
  const [treating, setTreating] = useState<Treating | null>(null);
  const stems = useStems(take.production);
  const takes = useTakes(take.production);
  const inSet = (index: number) => !!setOf(take.sets, index);
  const away = (c: Take["channels"][number]) => spare(c) && !inSet(c.index); // a set is shown whole
  const folded = take.channels.filter(away);
  const rows = take.channels.filter((c) => unfolded || !away(c));
  const names = useMemo(
    () => [...new Set(takes.data?.takes.flatMap((t) => t.channels.map((c) => c.name)).filter(Boolean))].sort(),
    [takes.data],
  );
  const mark = (index: number, on: boolean, range: boolean) => {
    const span = range && last ? rows.map((r) => r.index).filter((i) => i >= Math.min(last, index) && i <= Math.max(last, index)) : [index];
    setMarked((m) => (on ? [...m, ...span.filter((i) => !m.includes(i))] : m.filter((i) => !span.includes(i))).sort((a, b) => a - b));
    setLast(index);
  };
  return (
    <div className="flex h-full flex-col max-[900px]:h-auto">
      <BoardHead take={take} />
      <datalist id={namesList}>
        {names.map((n) => (
          <option key={n} value={n} />
        ))}
      </datalist>
      <BoardTimeProvider value={time}>
        <div ref={ruler} className="flex min-h-0 grow flex-col overflow-auto px-6 max-[900px]:overflow-visible max-[900px]:px-3">
          {take.channels.length > 0 && <Axis take={take} at={view.head.start} />}
          {rows.map((c) => (
            <ChannelRow
              key={c.index}
              take={take}
              channel={c}
              stems={stems.data?.stems ?? []}
              marked={marked.includes(c.index)}
              onMark={(on, range) => mark(c.index, on, range)}
              onTreat={(suggested, at) => setTreating({ channel: c.index - 1, suggested, at, turn: (treating?.turn ?? 0) + 1 })}
            />
          ))}
          {folded.length > 0 && (
            <button
              className="flex w-full shrink-0 cursor-pointer items-center gap-2 border-t border-line py-2.5 text-left text-[13px] text-muted hover:text-ink"
              aria-expanded={unfolded}
              onClick={() => setUnfolded(!unfolded)}
            >
              {unfolded ? <ChevronDown size={15} /> : <ChevronRight size={15} />}
              {unfolded
                ? "Fold away what is empty or a copy"
                : `${folded.length === 1 ? "1 channel" : `${folded.length} channels`} folded away: ${folded.map(whySpare).join("; ")}`}
            </button>
          )}
          {take.channels.length > 0 ? (
            <p className="shrink-0 border-t border-line py-2.5 text-[13px] text-muted">
              <Explained word="touch-listen">Press and hold</Explained> on a waveform to hear that channel alone from there. Mark channels
              to hear them together or to read them as a set. Ctrl and the wheel zooms, Shift and the wheel scrolls; Shift and dragging
              chooses a range.
            </p>
          ) : (
            <p className="border-t border-line py-2.5 text-muted">This movie has no sound, only a picture.</p>
          )}
        </div>
      </BoardTimeProvider>
      {treating && <TreatingFoot key={treating.turn} take={take} of={treating} range={range} onClose={() => setTreating(null)} />}
      {marked.length > 0 && <MarkedBar take={take} marked={marked} onDone={() => setMarked([])} />}
      {take.channels.length > 0 && <UnravelBar take={take} />}
    </div>
  );
}

/** What is treated: which channel, what is suggested, and where that is heard. */
type Treating = { channel: number; suggested?: ChainStep[]; at?: number; turn: number };

/** The treatment of a channel, opened at the foot of the board. */
function TreatingFoot(p: { take: Take; of: Treating; range: Range | null; onClose: () => void }) {
  const { take, of } = p;
  const start = take.description.startSamples ?? 0;
  const position = usePlayer((s) => (s.playing?.what === "take" && s.playing.id === take.id ? s.position : null));
  const range = p.range && { from: p.range.from - start, to: p.range.to - start };
  const foot = useRef<HTMLDivElement>(null);
  useEffect(() => {
    foot.current?.parentElement?.querySelector(`[data-channel="${of.channel + 1}"]`)?.scrollIntoView({ block: "nearest" });
  }, [of.channel]);
  const before = of.at === undefined ? take.description.frames / 3 : Math.max(0, of.at - take.description.sampleRate);
  return (
    <div ref={foot} className="h-[264px] shrink-0 border-t border-line">
      <TreatmentPanel
        take={take}
        channel={of.channel}
        at={position ?? range?.from ?? before}
        range={range}
        suggested={of.suggested}
        onClose={p.onClose}
      />
    </div>
  );
}

/** What the take is, and what the user may say of it. */
function BoardHead({ take }: { take: Take }) {
  const d = take.description;
  const production = useProduction(take.production);
  const edit = useTakeEdit(take);
  const again = [keysOf.takes(take.production)];
  const remove = useDo(() => ok(api.DELETE("/takes/{take}", { params: { path: { take: take.id } } })), again);
  const convert = useDo(
    (sampleRate: number) => ok(api.POST("/takes/{take}/convert", { params: { path: { take: take.id } }, body: { sampleRate } })),
    [keysOf.work(take.production)],
  );
  const end =
    production.data && d.startSamples !== null ? labelAt(d.startSamples + d.frames, d.sampleRate, production.data.frameRate) : null;
  const named = take.channels.some((c) => c.fileName !== "");
  const otherRate = production.data && d.sampleRate !== production.data.sampleRate;
  return (
    <div className="flex shrink-0 gap-4 px-6 pb-3 pt-4">
      <div className="min-w-0 grow">
        <div className="flex flex-wrap items-center gap-2.5">
          <h1 className="min-w-0 truncate text-[22px] font-bold">{takeTitle(take)}</h1>
          <button
            className={`pill ${d.circled ? "border-ink font-semibold" : "text-muted"}`}
            aria-pressed={d.circled}
            aria-label={d.circled ? "This take is circled" : "This take is not circled"}
            onClick={() => edit.mutate({ slate: { circled: !d.circled } })}
          >
            {d.circled ? "Circled" : "Not circled"}
          </button>
          {saidBy(d).map((said) => (
            <span key={said} className="text-[13px] font-semibold text-muted" title="As the recorder wrote it into the file">
              {said}
            </span>
          ))}
          <DropdownMenu.Root>
            <DropdownMenu.Trigger className="pill" title="What sort of recording it is decides which stem is suggested">
              {kindNames[take.kind]} <ChevronDown size={14} />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4}>
                {(Object.keys(kindNames) as TakeKind[]).map((k) => (
                  <DropdownMenu.Item key={k} className="menu-item" onSelect={() => edit.mutate({ kind: k })}>
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
              <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4} align="end">
                <DropdownMenu.Item className="menu-item" onSelect={() => remove.mutate(undefined)}>
                  Remove this take and the server's copy
                </DropdownMenu.Item>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </div>
        <div className="mt-1.5 flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]">
          {(["scene", "take", "roll"] as const).map((f) => (
            <span key={f} className="flex min-w-0 max-w-40 items-center gap-1.5">
              <span className="text-muted">{{ scene: "Scene", take: "Take", roll: "Roll" }[f]}</span>
              <Edited
                className="font-semibold"
                value={d[f]}
                label={{ scene: "Scene", take: "Take number", roll: "Roll" }[f]}
                empty="none"
                onKeep={(text) => edit.mutate({ slate: { [f]: text } })}
              />
            </span>
          ))}
          <span className="flex min-w-0 max-w-full grow items-center gap-1.5">
            <span className="text-muted">Note</span>
            <Edited value={d.note} label="Note" empty="none" maxLength={500} onKeep={(note) => edit.mutate({ slate: { note } })} />
          </span>
        </div>
        <p className="mt-1 text-[13px] text-muted">
          {d.startTimecode ? (
            <>
              Recorded{" "}
              <span className="tc text-ink">
                {d.startTimecode}
                {end && ` – ${end}`}
              </span>
              {d.date && ` on ${d.date}`}
            </>
          ) : (
            "No timecode"
          )}
          , {duration(d.frames, d.sampleRate)}
          {take.channels.length > 0 &&
            `, ${many(take.channels.length, "channel")}, ${d.bitDepth} bit${encodings[d.encoding]}, ${d.sampleRate / 1000} kHz`}
          , {d.container.toUpperCase()}.{" "}
          {take.channels.length > 0 && (
            <b className="font-semibold text-ink">{named ? "Names come from the file." : "The file names no channels."}</b>
          )}
        </p>
        {d.cues && d.cues.length > 0 && (
          <p className="mt-1 truncate text-[13px] text-muted">
            Marks in the file:{" "}
            {d.cues
              .slice(0, 8)
              .map((c) => `${duration(c.frame, d.sampleRate)}${c.label && ` ${c.label}`}`)
              .join("; ")}
            {d.cues.length > 8 && ` and ${d.cues.length - 8} more`}
          </p>
        )}
        {otherRate && (
          <p className="mt-1 flex items-center gap-2 text-[13px] text-wrong">
            It is at {d.sampleRate / 1000} kHz and the production at {production.data!.sampleRate / 1000} kHz.
            <button className="pill text-ink" disabled={convert.isPending} onClick={() => convert.mutate(production.data!.sampleRate)}>
              Resample it
            </button>
          </p>
        )}
        {take.tie && (
          <p className="mt-1 text-[13px] text-muted">
            Tied to <b className="font-semibold text-ink">{take.tie.title}</b>, {take.tie.offset >= 0 ? "starting" : "which starts"}{" "}
            {duration(Math.abs(take.tie.offset), d.sampleRate)} {take.tie.offset >= 0 ? "after it" : "later"}
            {take.tie.driftPPM !== 0 && `, drift ${take.tie.driftPPM.toFixed(1)} ppm`}.{" "}
            <Link className="underline" to={`/p/${take.production}/sync/${take.id}`}>
              Look at it in Sync
            </Link>
          </p>
        )}
        {take.assembly && <MadeOf take={take} />}
        {d.warnings.map((w, i) => (
          <p key={i} className="mt-1 text-[13px] text-wrong">
            {w.message} {w.offset >= 0 && `(byte ${w.offset})`}
          </p>
        ))}
      </div>
      {take.picture && (
        <video
          className="h-[108px] w-[192px] shrink-0 rounded-md bg-[#22263a]"
          src={`${base}/takes/${take.id}/picture`}
          muted
          controls
          preload="metadata"
          aria-label={`Picture of ${takeTitle(take)}`}
        />
      )}
    </div>
  );
}

/** Which files the take is made of, why, what speaks against it, and the way back. */
function MadeOf({ take }: { take: Take }) {
  const a = take.assembly!;
  const [open, setOpen] = useState(false);
  const apart = useDo(() => ok(api.POST("/takes/{take}/apart", { params: { path: { take: take.id } } })), [keysOf.takes(take.production)]);
  const kinds = { isos: "recorded together", bonded: "one bonded set", split: "one after another", converted: "resampled" };
  return (
    <div className="mt-1 text-[13px] text-muted">
      <div className="flex flex-wrap items-center gap-2">
        <Layers size={14} />
        <span>
          {a.kind === "converted" ? a.why[0] : `Made of ${a.files.length} files, ${kinds[a.kind]}`}
          {a.byHand && a.kind !== "converted" && ", by hand"}
          {a.against.length > 0 && <b className="font-semibold text-wrong">, although something speaks against it</b>}.
        </span>
        <button className="cursor-pointer underline hover:text-ink" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Less" : "Why, and which files"}
        </button>
        <button
          className="pill h-6 px-2 text-[12px]"
          disabled={apart.isPending}
          onClick={() => apart.mutate(undefined)}
          title="Its files become takes of their own again; undo puts them together"
        >
          <Unlink size={12} /> {a.kind === "converted" ? "Back to the original" : "Take apart"}
        </button>
      </div>
      {open && (
        <div className="mt-1 grid grid-cols-2 gap-x-6 gap-y-1 pl-5">
          <ul className="list-disc pl-4">
            {a.why.map((w) => (
              <li key={w}>{w}</li>
            ))}
            {a.against.map((w) => (
              <li key={w} className="text-wrong">
                {w}
              </li>
            ))}
          </ul>
          <ol className="tc text-[12px]">
            {a.files.map((f) => (
              <li key={f.take} className="truncate" title={f.cameFrom}>
                {f.fileName}
              </li>
            ))}
          </ol>
        </div>
      )}
    </div>
  );
}

/** What can be done with the channels that are marked. */
function MarkedBar({ take, marked, onDone }: { take: Take; marked: number[]; onDone: () => void }) {
  const edit = useTakeEdit(take);
  const playing = usePlayer((s) => s.playing?.what === "take" && s.playing.id === take.id && s.playing.channels.length === marked.length);
  const hear = () =>
    playing
      ? player.stop()
      : void player.playTake(
          take.id,
          marked.map((i) => i - 1),
          0,
        );
  useActions({ "hear-marked": hear });
  const ways = waysOf(marked);
  return (
    <div className="flex shrink-0 items-center gap-2.5 border-t border-line bg-band px-6 py-2 text-[13px]">
      <b>{marked.length === 1 ? `Channel ${marked[0]}` : `Channels ${marked.join(", ")}`}</b>
      <button className="pill" onClick={hear}>
        <Headphones size={14} /> {playing ? "Stop" : marked.length === 1 ? "Hear it" : "Hear together"}
      </button>
      {ways.length > 0 && (
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="pill">
            Read together as… <ChevronDown size={14} />
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4}>
              {ways.map((w) => (
                <DropdownMenu.Item
                  key={w.name}
                  className="menu-item"
                  onSelect={() => {
                    edit.mutate({ sets: together(take.sets, ...w.sets), channels: marked.map((index) => ({ index, on: true })) });
                    onDone();
                  }}
                >
                  {w.name}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
      {marked.some((i) => setOf(take.sets, i)) && (
        <button
          className="pill"
          onClick={() => {
            edit.mutate({ sets: without(take.sets, marked) });
            onDone();
          }}
        >
          Read singly
        </button>
      )}
      <span className="text-muted">
        {marked.length === 1 && level(take.channels[marked[0]! - 1]?.rmsDBFS ?? null)}
        {marked.length === 2 && "Two marked channels sound left and right."}
        {marked.length > 2 && "They sound as they are read, else added up."}
      </span>
      <button className="ml-auto cursor-pointer text-muted underline hover:text-ink" onClick={onDone}>
        Clear marks
      </button>
    </div>
  );
}
