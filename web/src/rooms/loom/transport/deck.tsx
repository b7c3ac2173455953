// The receiving deck: a stand-in for whoever receives, that hears the outputs as they run and says what arrives on each.
import { AlertTriangle, Check, Circle, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";

import type { ReelView, Spec } from "../../../api/client";
import { player, usePlayer, type PlayerState } from "../../../listen/player";
import { Small } from "../../../ui/small";
import { duration, labelAt } from "../../../ui/timecode";
import { band as specBand } from "./meters";
import { useLoom, useLoomStore } from "../ground/state";
import { faulty, noWires, taken, wireName, wireWords, type Wire } from "./wires";

const floor = -60;

/** Listens along: what each output carries, from when the deck is opened or what was noted is put away. */
function useWires(view: ReelView): { wires: Wire[]; forget: () => void } {
  const [wires, setWires] = useState(() => noWires(view.outputs.length));
  useEffect(() => {
    let last: unknown = null;
    return player.subscribe(() => {
      const s = player.snapshot();
      if (s.wires === last || s.playing?.what !== "reel" || s.playing.id !== view.id) return;
      last = s.wires;
      if (s.wires.length > 0) setWires((w) => taken(w, s.wires, s.position));
    });
  }, [view.id]);
  return { wires, forget: () => setWires(noWires(view.outputs.length)) };
}

/** Whether it records, and what the last recording came to. */
function Recording({ view }: { view: ReelView }) {
  const store = useLoomStore();
  const { record, half, loop } = { record: useLoom((s) => s.record), half: useLoom((s) => s.half), loop: useLoom((s) => s.loop) };
  const runs = (s: PlayerState) => (s.playing?.what === "reel" || s.playing?.what === "signal") && s.playing.id === view.id;
  const frames = usePlayer((s) => (runs(s) ? s.recorded : 0));
  const tape = usePlayer((s) => (s.tape?.reel === view.id ? s.tape : null));
  const { sampleRate, frameRate } = view.head;
  const lasts = (n: number) => duration(n, sampleRate);
  return (
    <>
      <button
        className={`pill flex h-6 items-center gap-1.5 px-2 text-[12px] ${record ? "border-wrong text-ink" : ""}`}
        aria-pressed={record}
        title="Records what leaves on every output while the reel plays, a file for each group with its labels and timecode, and takes it to the desk"
        onClick={() => store.setState({ record: !record })}
      >
        <Circle size={10} className={record ? "fill-wrong text-wrong" : ""} aria-hidden />
        {frames > 0 ? `Recording ${lasts(frames)}` : record ? (half ? "Not at half the pace" : "Records as you play") : "Record"}
      </button>
      {record && loop && !frames && <span className="text-[12px] text-muted">a loop is recorded once</span>}
      {tape?.receipt && frames === 0 && (
        <span className="min-w-0 truncate text-[12px]">
          <Link className="underline" to={`/p/${view.production}/print/${view.id}/desk/${tape.receipt}`}>
            {lasts(tape.frames)} from {labelAt(tape.from, sampleRate, frameRate)}
          </Link>{" "}
          <span className={tape.over?.length ? "text-wrong" : "text-muted"}>
            {tape.over?.length ? `over full scale on ${tape.over.map((o) => wireName(view, o)).join(", ")}` : "at the desk"}
          </span>
        </span>
      )}
    </>
  );
}

export function Deck({ view, spec, onClose }: { view: ReelView; spec: Spec | undefined; onClose: () => void }) {
  const { wires, forget } = useWires(view);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  const noted = wires.filter((w) => w.noted).length;
  return (
    <section className="flex h-full min-w-0 flex-col" aria-label="The receiving deck">
      <div className="flex items-center gap-3 border-b border-line px-3 py-1.5">
        <h2 className="shrink-0 whitespace-nowrap font-semibold">The receiving deck</h2>
        <span className="min-w-0 truncate text-[12px] text-muted">
          {playing
            ? "hears the outputs as they run: what arrives on each is held against the stems that belong there"
            : "Play the reel: what arrives on each output is held against the stems that belong there"}
        </span>
        <span className="ml-auto flex shrink-0 items-center gap-2">
          <Recording view={view} />
          {noted > 0 && (
            <>
              <span className="text-[13px] font-semibold text-wrong" role="status">
                {noted === 1 ? "1 output was wrong" : `${noted} outputs were wrong`}
              </span>
              <button className="pill h-6 px-2 text-[12px]" onClick={forget}>
                Listen anew
              </button>
            </>
          )}
          <Small label="Put the deck away" onClick={onClose}>
            <X size={14} />
          </Small>
        </span>
      </div>
      {view.outputs.length === 0 ? (
        <p className="p-4 text-muted">There are no outputs yet: choose a delivery spec first.</p>
      ) : (
        <ul className="grid min-h-0 grow auto-rows-min grid-cols-[repeat(auto-fill,minmax(300px,1fr))] gap-x-6 overflow-y-auto px-3 py-1">
          {view.outputs.map((o, i) => (
            <Channel key={o.id} view={view} spec={spec} index={i} wire={wires[i] ?? noWires(1)[0]!} playing={playing} />
          ))}
        </ul>
      )}
    </section>
  );
}

function Channel({
  view,
  spec,
  index,
  wire,
  playing,
}: {
  view: ReelView;
  spec: Spec | undefined;
  index: number;
  wire: Wire;
  playing: boolean;
}) {
  const name = wireName(view, index);
  const bad = playing && faulty(wire.says);
  const { sampleRate, frameRate } = view.head;
  return (
    <li className="flex items-center gap-2 border-b border-line py-1 text-[13px]" aria-label={`Output ${index + 1}, ${name}`}>
      <span className="tc w-5 shrink-0 text-right text-muted">{index + 1}</span>
      <b className="w-16 shrink-0 truncate" title={name}>
        {name}
      </b>
      <Level index={index} spec={spec} />
      <span className={`flex min-w-0 grow items-center gap-1.5 ${bad ? "font-semibold text-wrong" : "text-muted"}`}>
        {bad ? (
          <AlertTriangle size={13} className="shrink-0" />
        ) : (
          playing && wire.says.says === "right" && <Check size={13} className="shrink-0 text-ink" />
        )}
        <span className="truncate" title={playing ? wireWords(view, index, wire.says) : undefined}>
          {playing ? wireWords(view, index, wire.says) : "not running"}
        </span>
      </span>
      {wire.noted && (
        <span className="tc shrink-0 text-[11px] text-wrong" title={`First wrong here: ${wireWords(view, index, wire.noted.what)}`}>
          {labelAt(wire.noted.at, sampleRate, frameRate)}
        </span>
      )}
    </li>
  );
}

/** The level of an output, lying: below it pale, in the spec's band and over it as its meter below shows it. */
function Level({ index, spec }: { index: number; spec: Spec | undefined }) {
  const [, high] = specBand(spec);
  const bar = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const paint = () => {
      const dB = player.snapshot().meters[index] ?? -200;
      if (!bar.current) return;
      bar.current.style.width = `${Math.max(0, Math.min(100, ((dB - floor) / -floor) * 100))}%`;
      bar.current.className = `block h-full ${dB > high ? "bg-wrong" : "bg-ink"}`;
    };
    paint();
    return player.subscribe(paint);
  }, [index, high]);
  return (
    <span className="block h-[7px] w-14 shrink-0 bg-band" aria-hidden>
      <span ref={bar} className="block h-full bg-ink" style={{ width: 0 }} />
    </span>
  );
}
