import { useQuery } from "@tanstack/react-query";
import { Ear, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";

import { api, ok, type Clip, type Command, type Lender, type ReelView, type Take } from "../../../api/client";
import { colour, dye, fit } from "../../../draw/canvas";
import { useCanvas } from "../../../draw/usecanvas";
import { loudest, paintWave, type Channel } from "../../../draw/wave";
import { duration, labelAt } from "../../../ui/timecode";
import { clipOf, trackOf } from "../ground/lookup";
import { usePress, type At } from "../../../ui/press";
import type { Loan } from "../ground/state";

/** How much before and after the range is heard and seen when a loan is tried, in seconds. */
const around = 1.5;
const fadeSeconds = 0.04;

/** What is seen: the range, and what is around it, in samples of the reel. */
type Seen = { from: number; to: number; range: { from: number; to: number } };

/** A channel of a take that lies somewhere: at is the frame of the take where what is seen begins. */
type Lying = Channel & { at: number; frames: number };

/** A waveform as it lies under the range. */
function Strip(p: { label: string; lying: Lying; stem: string; seen: Seen; onMove?: (samples: number) => void }) {
  const { lying, seen } = p;
  const canvas = useCanvas(
    (el) => {
      const surface = fit(el);
      if (!surface) return;
      const { g, width, height } = surface;
      const perPixel = (seen.to - seen.from) / width;
      const x = (sample: number) => (sample - seen.from) / perPixel;
      g.fillStyle = colour("--zest");
      g.globalAlpha = 0.16;
      g.fillRect(x(seen.range.from), 0, x(seen.range.to) - x(seen.range.from), height);
      g.globalAlpha = 1;
      g.fillStyle = dye(p.stem);
      const place = {
        first: Math.max(0, Math.ceil(-lying.at / perPixel)),
        last: Math.min(width, Math.floor((lying.frames - lying.at) / perPixel)),
        middle: height / 2,
        half: height / 2,
        from: lying.at,
        perPixel,
      };
      // Each as large as it can be drawn: it is the shape that is compared.
      paintWave(g, lying, place, 0.95 / Math.max(0.01, loudest(lying, place)), false);
    },
    [lying.take, lying.channel, lying.at, p.stem, seen],
  );
  const { onMove } = p;
  const hands = usePress((from, e) => {
    const width = e.currentTarget.clientWidth;
    let x = from.clientX;
    const to = (at: At) => {
      onMove?.(Math.round((at.clientX - x) * ((seen.to - seen.from) / width)));
      x = at.clientX;
    };
    return { slack: 1, drag: to, drop: to };
  });
  if (!onMove) return <canvas ref={canvas} className="h-12 w-full rounded bg-ground" role="img" aria-label={p.label} />;
  return (
    <canvas
      ref={canvas}
      className="h-12 w-full cursor-ew-resize touch-none rounded bg-ground"
      role="img"
      aria-label={p.label}
      title="Drag to move what is borrowed under the range"
      {...hands}
    />
  );
}

const sureness = (l: Lender) =>
  !l.aligned
    ? "Not found by its waveform: as far into the take as here; move it until it fits"
    : l.confidence < 0.3
      ? "Perhaps here, by its waveform: listen, and move it"
      : `Found by its waveform, ${Math.round(l.confidence * 100)}% sure`;

type Props = {
  view: ReelView;
  /** All takes that may lend, by ID. */
  takes: Map<string, Take>;
  loan: Loan;
  onClose: () => void;
  onHear: (trial: Command | null, from: number, until: number) => void;
  onDo: (c: Command) => void;
};

/** Lists the takes that a range of one channel can be borrowed from beside the reel, each as it lies under the range; lets each be moved
 * and heard in place, and lays one over. */
export function Borrow(p: Props) {
  const { view, loan } = p;
  const { sampleRate, frameRate } = view.head;
  const lenders = useQuery({
    queryKey: ["lenders", view.id, loan],
    queryFn: () => ok(api.POST("/reels/{reel}/lenders", { params: { path: { reel: view.id } }, body: loan })),
  });
  const [heard, setHeard] = useState("");
  const clip = clipOf(view, loan.clip);
  const own = clip && p.takes.get(clip.take);
  const channel = clip?.channels[loan.channel] ?? 0;
  const name = own?.channels[channel]?.name || `channel ${loan.channel + 1}`;
  const stem = (clip && trackOf(view, clip.track)?.stem) ?? "";
  const margin = Math.round(around * sampleRate);
  const seen: Seen = { from: loan.from - margin, to: loan.to + margin, range: loan };
  const { onClose } = p;
  const gone = !clip;
  useEffect(() => {
    if (gone) onClose(); // somebody removed it
  }, [gone, onClose]);
  const panel = useRef<HTMLElement>(null);
  useEffect(() => {
    const before = document.activeElement as HTMLElement | null;
    panel.current?.focus({ preventScroll: true });
    return () => before?.focus({ preventScroll: true });
  }, []);
  const hear = (key: string, trial: Command | null) => {
    setHeard(key);
    p.onHear(trial, Math.max(0, seen.from), seen.to);
  };
  return (
    <aside
      ref={panel}
      tabIndex={-1}
      className="flex h-full flex-col bg-paper outline-none"
      aria-label={`Borrow for ${name}`}
      onKeyDown={(e) => {
        if (e.key !== "Escape") return;
        e.stopPropagation();
        onClose();
      }}
    >
      <div className="flex h-10 shrink-0 items-center border-b border-line px-3">
        <h2 className="truncate font-semibold">Borrow for {name}</h2>
        <button
          className="ml-auto shrink-0 cursor-pointer rounded p-1 text-muted hover:text-ink"
          aria-label="Borrow nothing"
          title="Borrow nothing (Esc)"
          onClick={onClose}
        >
          <X size={15} />
        </button>
      </div>
      <div className="flex min-h-0 grow flex-col gap-2 overflow-y-auto px-3 py-2 text-[13px]">
        <p className="text-muted">
          <span className="tc">{duration(loan.to - loan.from, sampleRate)}</span> from{" "}
          <span className="tc">{labelAt(loan.from, sampleRate, frameRate)}</span>, on this channel only. Move each under the range and hear
          it in its place, then lay one over; the original stays underneath.
        </p>
        {clip && own && (
          <Own clip={clip} take={own} channel={channel} stem={stem} seen={seen} heard={heard === "own"} onHear={() => hear("own", null)} />
        )}
        {lenders.isPending && <p className="py-2 text-muted">Listening to the other takes…</p>}
        {lenders.error && <p className="py-2 text-wrong">{lenders.error.message}</p>}
        {lenders.data?.length === 0 && (
          <p className="py-2 text-muted">
            No other take has a channel called {name}. Name the channels under Takes, and they will be found.
          </p>
        )}
        {lenders.data?.map((l) => {
          const key = `${l.take} ${l.channel}`;
          return (
            <From
              key={key}
              lender={l}
              take={p.takes.get(l.take)}
              loan={loan}
              view={view}
              stem={stem}
              seen={seen}
              heard={heard === key}
              onHear={(trial) => hear(key, trial)}
              onLay={(c) => {
                p.onDo(c);
                onClose();
              }}
            />
          );
        })}
      </div>
    </aside>
  );
}

/** The range with the sound that it has. */
function Own(p: { clip: Clip; take: Take; channel: number; stem: string; seen: Seen; heard: boolean; onHear: () => void }) {
  const { clip, take, channel } = p;
  const at = clip.offset + p.seen.from - clip.start;
  return (
    <div className="flex flex-col gap-1 border-b border-line pb-2" role="group" aria-label="As it is">
      <div className="flex items-center gap-2">
        <HearButton on={p.heard} label="Hear it as it is" onHear={p.onHear} />
        <b className="truncate font-semibold">{clip.name}</b> <span className="text-muted">as it is</span>
      </div>
      <Strip
        label={`Waveform of ${clip.name} around the range`}
        stem={p.stem}
        seen={p.seen}
        lying={{ take: take.id, channels: take.channels.length, channel, at, frames: take.description.frames }}
      />
    </div>
  );
}

function HearButton(p: { on: boolean; label: string; onHear: () => void }) {
  return (
    <button
      className={`pill h-6 px-2 ${p.on ? "border-ink font-semibold" : ""}`}
      aria-label={p.label}
      aria-pressed={p.on}
      title={p.label}
      onClick={p.onHear}
    >
      <Ear size={13} /> Hear
    </button>
  );
}

/** One channel of another take, which is moved under the range until it fits. */
function From(p: {
  lender: Lender;
  take: Take | undefined;
  loan: Loan;
  view: ReelView;
  stem: string;
  seen: Seen;
  heard: boolean;
  onHear: (trial: Command) => void;
  onLay: (c: Command) => void;
}) {
  const { lender: l, loan } = p;
  const { sampleRate, frameRate } = p.view.head;
  const frame = (sampleRate * frameRate.den) / frameRate.num;
  const [moved, setMoved] = useState(0); // in samples, later
  const offset = Math.max(0, l.offset - moved);
  const command: Command = {
    kind: "borrow",
    command: {
      ...loan,
      take: l.take,
      takeChannel: l.channel,
      offset,
      fade: { length: Math.round(fadeSeconds * sampleRate), curve: "power" },
    },
  };
  const move = (samples: number) => setMoved((m) => Math.min(l.offset, m + samples));
  return (
    <div className="flex flex-col gap-1 border-b border-line pb-2" role="group" aria-label={`From ${l.title}`}>
      <div className="flex items-center gap-2">
        <HearButton on={p.heard} label={`Hear ${l.title} in its place`} onHear={() => p.onHear(command)} />
        <span className="min-w-0 truncate">
          <b className="font-semibold">{l.title}</b> {l.circled && <span title="Circled take">◯</span>}{" "}
          <span className="text-muted">{l.name}</span>
        </span>
        <button className="pill-act ml-auto h-7 px-3" aria-label={`Lay it over: ${l.title}`} onClick={() => p.onLay(command)}>
          Lay it over
        </button>
      </div>
      {p.take && (
        <Strip
          label={`Waveform of ${l.title} under the range`}
          stem={p.stem}
          seen={p.seen}
          lying={{
            take: l.take,
            channels: p.take.channels.length,
            channel: l.channel,
            at: offset + p.seen.from - loan.from,
            frames: p.take.description.frames,
          }}
          onMove={move}
        />
      )}
      <div className="flex items-center gap-1 text-[12px]">
        {[-5, -1, 1, 5].map((n) => (
          <button
            key={n}
            className="pill h-6 px-2"
            aria-label={`Move ${l.title} ${Math.abs(n)} ${Math.abs(n) === 1 ? "frame" : "frames"} ${n < 0 ? "earlier" : "later"}`}
            onClick={() => move(Math.round(n * frame))}
          >
            {n > 0 ? `+${n}` : `−${-n}`}
          </button>
        ))}
        <output className="tc ml-1" aria-label={`${l.title} is moved by`}>
          {`${moved < 0 ? "−" : moved > 0 ? "+" : ""}${Math.abs(moved / frame).toFixed(1)} fr`}
        </output>
      </div>
      <span className="truncate text-[12px] text-muted" title={sureness(l)}>
        {sureness(l)}
        {l.note && ` · ${l.note}`}
      </span>
    </div>
  );
}
