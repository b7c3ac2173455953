import { Check, Headphones, Unlink, X } from "lucide-react";
import { useRef, useState } from "react";

import { api, base, ok, type FrameRate, type Take } from "../../api/client";
import { useDo } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { player, usePlayer } from "../../listen/player";
import { useFollowing } from "../../ui/following";
import { keyOf, keySign, useActions } from "../../ui/keys";
import { takeTitle } from "../takes/list";
import { confidenceWords, driftFrames, driftLimit, driftWords, offsetWords, tieOf, type Row } from "./figures";
import { Waves } from "./waves";
import { useLookedAt } from "../../ui/remembered";

const spans = [
  { name: "10 ms", seconds: 0.01 },
  { name: "100 ms", seconds: 0.1 },
  { name: "1 s", seconds: 1 },
  { name: "10 s", seconds: 10 },
] as const;

/** One match: its figures, the two waveforms around the best spot, both to be heard, and the decision. */
export function MatchBoard({ row, reference, rate, production }: { row: Row; reference: Take; rate: FrameRate; production: string }) {
  const { take } = row;
  const sampleRate = take.description.sampleRate;
  const [nudge, setNudge] = useLookedAt(`nudge of ${row.take.id} ${row.reference} ${row.state}`, 0);
  const [span, setSpan] = useState<number>(1);
  const [channel, setChannel] = useState(row.match?.result.channel ?? 0);
  const [sides, setSides] = useState(false);
  const offset = row.offset + nudge;
  const [spot, setSpot] = useState(() => row.match?.result.spot ?? Math.min(take.description.frames, sampleRate * 4) / 2);
  const playing = usePlayer((s) => (s.playing?.what === "match" && s.playing.id === take.id ? s.position : null));
  const again = [keysOf.takes(production), keysOf.matches(production)];
  const accept = useDo(
    () => ok(api.PUT("/takes/{take}/tie", { params: { path: { take: take.id } }, body: tieOf(row, offset) })),
    again,
    () => setNudge(0),
  );
  const untie = useDo(() => ok(api.DELETE("/takes/{take}/tie", { params: { path: { take: take.id } } })), again);
  const refuse = useDo(
    (refused: boolean) => ok(api.POST("/takes/{take}/refuse", { params: { path: { take: take.id } }, body: { refused } })),
    again,
  );
  const convert = useDo(
    () => ok(api.POST("/takes/{take}/convert", { params: { path: { take: take.id } }, body: { driftPPM: row.drift } })),
    [keysOf.work(production)],
  );
  const perFrame = (sampleRate * rate.den) / rate.num;
  const by = (samples: number) => setNudge((n) => Math.round(n + samples));
  const hear = (left: boolean) => {
    setSides(left);
    if (playing !== null && left === sides) return player.stop();
    void player.playMatch(take.id, reference.id, offset, left, Math.max(0, Math.max(0, offset), spot + offset - sampleRate));
  };
  useActions({
    "hear-match": () => hear(sides),
    accept: () => accept.mutate(undefined),
    refuse: () => row.state === "found" && refuse.mutate(true),
    "nudge-earlier": () => by(-1),
    "nudge-later": () => by(1),
  });
  const words = offsetWords(offset, sampleRate, rate);
  const off = driftFrames(row.drift, take.description.frames, sampleRate, rate);
  const r = row.match?.result;
  return (
    <div className="flex h-full min-h-0 flex-col max-[900px]:h-auto">
      <div className="flex shrink-0 gap-4 px-5 pb-2 pt-3">
        <div className="min-w-0 grow">
          <h2 className="truncate text-[17px] font-bold">
            {takeTitle(take)} in {takeTitle(reference)}
          </h2>
          <dl className="mt-2 grid grid-cols-[auto_auto_auto_1fr] gap-x-3 gap-y-1 whitespace-nowrap text-[13px]">
            <dt className="text-muted">Starts</dt>
            <dd className="tc">
              {words.seconds} <span className="text-muted">{words.frames}</span>
              {nudge !== 0 && <span className="text-act"> nudged {nudge > 0 ? `+${nudge}` : `−${-nudge}`} smp</span>}
            </dd>
            <dt className="text-muted">Confidence</dt>
            <dd>
              <Confidence value={row.confidence} /> <span className="text-muted">{confidenceWords(row.confidence)}</span>
            </dd>
            <dt className="text-muted">Drift</dt>
            <dd className="tc">
              {driftWords(row.drift)} {row.drift !== 0 && <span className="text-muted">{Math.abs(off).toFixed(3)} fr over the take</span>}
            </dd>
            <dt className="text-muted">Runner-up</dt>
            <dd className="tc">
              {r ? `${Math.round(r.runnerUp * 100)} %` : "none"}{" "}
              <span className="font-sans text-muted">
                {r && (r.runnerUp > 0.8 ? "almost as good: it may belong there instead" : "of the best place")}
              </span>
            </dd>
          </dl>
        </div>
        {reference.picture && <PictureAt take={reference} at={(playing ?? spot + offset) / sampleRate} playing={playing !== null} />}
      </div>
      <div className="flex shrink-0 items-center gap-2 px-5 pb-1.5 text-[13px]">
        <span className="min-w-0 truncate">
          <b>{takeTitle(reference)}</b> <span className="text-muted">above,</span> <b>{takeTitle(take)}</b>{" "}
          <span className="text-muted">below</span>
        </span>
        <select className="field h-7" aria-label="Channel of the take" value={channel} onChange={(e) => setChannel(Number(e.target.value))}>
          <option value={0}>all channels</option>
          {take.channels.map((c) => (
            <option key={c.index} value={c.index}>
              {c.index}, {c.name || "unnamed"}
            </option>
          ))}
        </select>
        <span className="ml-auto flex items-center gap-1" role="group" aria-label="How much is seen">
          {spans.map((s) => (
            <button
              key={s.name}
              className={`pill h-6 px-2 text-[12px] ${span === s.seconds ? "border-ink font-semibold" : ""}`}
              aria-pressed={span === s.seconds}
              onClick={() => setSpan(s.seconds)}
            >
              {s.name}
            </button>
          ))}
          <button
            className="pill h-6 px-2 text-[12px]"
            onClick={() => setSpot((s) => Math.max(0, s - (span * sampleRate) / 2))}
            aria-label="Look earlier"
          >
            ‹
          </button>
          <button
            className="pill h-6 px-2 text-[12px]"
            onClick={() => setSpot((s) => Math.min(take.description.frames, s + (span * sampleRate) / 2))}
            aria-label="Look later"
          >
            ›
          </button>
        </span>
      </div>
      <div className="min-h-[120px] grow px-5">
        <Waves
          reference={reference}
          take={take}
          channel={channel}
          offset={offset}
          view={{ centre: spot + row.offset, span: span * sampleRate }}
          playhead={playing}
          onDrag={(o) => setNudge(o - row.offset)}
        />
      </div>
      <div className="flex shrink-0 flex-wrap items-center gap-1.5 px-5 py-2 text-[13px]" role="group" aria-label="Nudge the take">
        <span className="text-muted">Nudge</span>
        {[
          { name: "−1 frame", by: -perFrame },
          { name: "−1 ms", by: -sampleRate / 1000 },
          { name: "−1 sample", by: -1 },
          { name: "+1 sample", by: 1 },
          { name: "+1 ms", by: sampleRate / 1000 },
          { name: "+1 frame", by: perFrame },
        ].map((n) => (
          <button key={n.name} className="pill h-6 px-2 text-[12px]" onClick={() => by(n.by)}>
            {n.name}
          </button>
        ))}
        {nudge !== 0 && (
          <button className="cursor-pointer text-muted underline hover:text-ink" onClick={() => setNudge(0)}>
            back to {row.state === "tied" ? "the tie" : "what was found"}
          </button>
        )}
        <span className="ml-auto flex gap-1.5">
          <button className="pill" aria-pressed={playing !== null && !sides} onClick={() => hear(false)}>
            <Headphones size={14} /> Together
          </button>
          <button
            className="pill"
            aria-pressed={playing !== null && sides}
            onClick={() => hear(true)}
            title="The reference left, the take right"
          >
            <Headphones size={14} /> Left and right
          </button>
        </span>
      </div>
      <div className="flex shrink-0 flex-wrap items-center gap-2.5 border-t border-line px-5 py-2.5">
        <button
          className="pill-act"
          disabled={accept.isPending || (row.state === "tied" && nudge === 0)}
          onClick={() => accept.mutate(undefined)}
          title={`Key: ${keySign(keyOf("accept"))}`}
        >
          <Check size={15} /> {row.state === "tied" ? (nudge === 0 ? "Tied" : "Tie it here") : "Accept and tie"}
        </button>
        {row.state === "found" && (
          <button
            className="pill"
            disabled={refuse.isPending}
            onClick={() => refuse.mutate(true)}
            title={`Key: ${keySign(keyOf("refuse"))}`}
          >
            <X size={14} /> Refuse
          </button>
        )}
        {row.state === "refused" && (
          <button className="pill" disabled={refuse.isPending} onClick={() => refuse.mutate(false)}>
            Not refused after all
          </button>
        )}
        {row.state === "tied" && (
          <button className="pill" disabled={untie.isPending} onClick={() => untie.mutate(undefined)}>
            <Unlink size={14} /> Untie
          </button>
        )}
        {row.state === "tied" && row.drift !== 0 && (
          <button
            className="pill"
            disabled={convert.isPending}
            onClick={() => convert.mutate(undefined)}
            title="Makes a resampled take that stands in for this one; the original stays, and there is a way back"
          >
            Resample to undo the drift
          </button>
        )}
        <span className="text-[13px] text-muted">
          {row.drift === 0
            ? "The two clocks agree."
            : Math.abs(off) > driftLimit
              ? [
                  `By its end the take is ${Math.abs(off).toFixed(2)} frames (${Math.abs(((off * perFrame) / sampleRate) * 1000).toFixed(1)} ms) off`,
                  row.state === "tied" ? "." : "; once tied it can be resampled.",
                ].join("")
              : "Too little drift to be seen or heard over this take."}
        </span>
      </div>
    </div>
  );
}

/** A confidence from 0 to 1 as a bar and a figure. */
export function Confidence({ value }: { value: number }) {
  return (
    <span className="inline-flex items-center gap-1.5 align-middle">
      <span className="inline-block h-2 w-14 overflow-hidden rounded-full bg-[var(--warp)]">
        <span
          className={`block h-full ${value >= 0.7 ? "bg-lime" : "bg-[var(--muted)]"}`}
          style={{ width: `${Math.round(value * 100)}%` }}
        />
      </span>
      <span className="tc">{value.toFixed(2)}</span>
    </span>
  );
}

/** The reference's picture at a moment of it, in step with what sounds. */
function PictureAt({ take, at, playing }: { take: Take; at: number; playing: boolean }) {
  const video = useRef<HTMLVideoElement>(null);
  const now = useRef(at);
  now.current = at;
  useFollowing(video, {
    movie: take.id,
    playing,
    pace: 1,
    rest: playing ? 0 : at,
    now: () => now.current,
    subscribe: player.subscribe,
  });
  return (
    <video
      ref={video}
      className="h-[90px] w-[160px] shrink-0 rounded-md bg-[#22263a]"
      src={`${base}/takes/${take.id}/picture`}
      muted
      preload="auto"
      aria-label={`Picture of ${takeTitle(take)}`}
    />
  );
}
