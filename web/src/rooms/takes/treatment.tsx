import { Play, Square, Undo2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ok, type ChainStep, type Take } from "../../api/client";
import { useTakeHistory } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Add, ChainBody, type Range } from "../../chain/body";
import { freshStep, kindsFor } from "../../chain/chains";
import { asLoud, HearWays, type Way } from "../../chain/hear";
import { useProcessors, type Heard } from "../../chain/heard";
import { dyeName } from "../../draw/canvas";
import { player, usePlayer, type Tried } from "../../listen/player";
import { tellError } from "../../ui/notices";
import { many } from "../../ui/words";
import { micNames, together, treatedTogether, treatmentOf } from "./treatments";
import { stemOf } from "./reading";

type Props = {
  take: Take;
  /** One of the channels that it is of, from 0. */
  channel: number;
  /** The frame of the take that is looked at, and played from. */
  at: number;
  /** What is chosen, in frames of the take. */
  range: Range | null;
  /** What is suggested against something that was found, to be heard first. */
  suggested?: ChainStep[];
  /** Whether the takes' own undo stands beside it, as it does where the room's is of something else. */
  undo?: boolean;
  onClose: () => void;
};

/** Keeps a treatment, of one take or of all of its roll. */
function useTreat(take: Take) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { channels: number[]; steps: ChainStep[]; off: boolean; roll: boolean }) =>
      ok(api.POST("/takes/{take}/treat", { params: { path: { take: take.id } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: keysOf.takes(take.production) }),
    onError: tellError,
  });
}

/** What channels are around a frame, and what steps make of them. */
function useSpectrum(take: Take, channels: number[], steps: ChainStep[], at: number): Heard | undefined {
  const near = Math.round((at / take.description.sampleRate) * 5); // fifths of a second
  return useQuery({
    queryKey: ["treatment spectrum", take.id, channels, steps, near],
    queryFn: () =>
      ok(api.POST("/takes/{take}/treat/spectrum", { params: { path: { take: take.id } }, body: { channels, steps, at: Math.round(at) } })),
    placeholderData: (before) => before,
    enabled: steps.length > 0,
    gcTime: 10_000,
    retry: false,
  }).data;
}

/** A treatment as it is shown and heard: what the server has, what is tried, and what is on its way to the server. */
function useTreatment(p: Props) {
  const { take } = p;
  const treat = useTreat(take);
  const treatment = treatmentOf(take, p.channel);
  const channels = treatment?.channels ?? together(take, p.channel);
  const kept = treatment?.steps ?? [];
  const off = treatment?.off ?? false;
  const [tried, setTried] = useState<ChainStep[] | null>(p.suggested ? treatedTogether(kept, p.suggested) : null);
  const [sent, setSent] = useState<ChainStep[] | null>(null);
  const [drag, setDrag] = useState<ChainStep[] | null>(null);
  const [all, setAll] = useState(false);
  const [hear, setHear] = useState<Tried["hear"]>();
  const steps = drag ?? tried ?? sent ?? kept;
  const heard = useSpectrum(take, channels, tried ?? sent ?? kept, p.at);
  const keep = (next: ChainStep[], how = { off, roll: all && take.description.roll !== "" }) => {
    setDrag(null);
    setTried(null);
    setSent(next);
    treat.mutate({ channels, steps: next, ...how }, { onSettled: () => setSent(null) });
  };
  // What is heard follows what is seen.
  const gainDB = hear === "plain" ? asLoud(heard?.loudness) : 0;
  const now: Tried = { channels, steps: off && !tried ? [] : steps, hear, gainDB };
  const said = JSON.stringify(now);
  // biome-ignore lint/correctness/useExhaustiveDependencies: said is all of now
  useEffect(() => player.changeTake(take.id, now), [take.id, said]);
  return { channels, kept, off, tried, setTried, setDrag, all, setAll, hear, setHear, steps, heard, keep, now };
}

type Treating = ReturnType<typeof useTreatment>;

/** The treatment of a microphone, opened: it lives with the take, and every clip of it in every reel has it. */
export function TreatmentPanel(p: Props) {
  const { take } = p;
  const roll = take.description.roll;
  const kinds = useProcessors().data ?? [];
  const t = useTreatment(p);
  const { channels, kept, off, tried, setTried, setDrag, setAll, hear, setHear, steps, heard, keep, now } = t;
  const name = micNames(take, channels);
  const playing = usePlayer((s) => s.playing?.what === "take" && s.playing.id === take.id);
  const play = () =>
    playing ? player.stop() : void player.playTake(take.id, channels, Math.max(0, Math.round(p.range?.from ?? p.at)), p.range?.to, now);
  return (
    <ChainBody
      title={`Treatment of ${name}`}
      about={`What ${name} goes through wherever it sounds, in every reel. The recording itself stays as it is`}
      production={take.production}
      name={name}
      rate={take.description.sampleRate}
      dye={`var(${dyeName(stemOf(take.channels[channels[0]!]!))})`}
      kinds={kinds}
      steps={steps}
      off={off && !tried}
      heard={heard}
      range={p.range}
      onLearn={(step, span, like) =>
        ok(
          api.POST("/takes/{take}/treat/learn", {
            params: { path: { take: take.id } },
            body: {
              channels,
              steps: steps.slice(
                0,
                steps.findIndex((s) => s.id === step.id),
              ),
              span: { from: Math.round(span.from), to: Math.round(span.to) },
              ...(like ? { like: { from: Math.round(like.from), to: Math.round(like.to) } } : {}),
            },
          }),
        )
      }
      onDraft={setDrag}
      onKeep={(next) => (tried ? (setDrag(null), setTried(next)) : keep(next))}
      onClose={p.onClose}
      fresh={freshStep}
      empty={
        `Nothing is done to ${name} yet. Add a processor: every clip of this microphone, in every reel, ` +
        "goes through it, and the recording stays as it is."
      }
      hear={
        <HearRow
          playing={playing}
          hear={hear}
          onPlay={play}
          onHear={setHear}
          tried={
            tried && (
              <>
                <span className="min-w-0 truncate font-semibold" title="Nothing is done yet: hear it, and accept it or leave it">
                  Suggested, not kept yet
                </span>
                <button className="pill-act h-6 px-2 text-[12px]" onClick={() => keep(tried, { off: false, roll: false })}>
                  Accept for this take
                </button>
                {roll && (
                  <button className="pill h-6 px-2 text-[12px]" onClick={() => (setAll(true), keep(tried, { off: false, roll: true }))}>
                    Accept for roll {roll}
                  </button>
                )}
                <button className="pill h-6 px-2 text-[12px]" onClick={() => (kept.length > 0 ? setTried(null) : p.onClose())}>
                  Leave it
                </button>
              </>
            )
          }
        />
      }
      foot={(add) => (
        <>
          <Add kinds={kindsFor(kinds, channels.length)} onAdd={add} />
          <TreatmentFoot {...p} {...t} />
        </>
      )}
    />
  );
}

/** What is done to a treatment as a whole. */
function TreatmentFoot({ take, undo, kept, tried, off, all, setAll, keep }: Props & Treating) {
  const roll = take.description.roll;
  return (
    <>
      {kept.length > 0 && !tried && (
        <button
          className="pill h-6 px-2 text-[12px]"
          aria-pressed={off}
          title="To hear it without: everything stays, and does nothing, in prints too"
          onClick={() => keep(kept, { off: !off, roll: all && roll !== "" })}
        >
          {off ? "All left out" : "Leave all out"}
        </button>
      )}
      {roll && !tried && (
        <select
          className="field h-6 max-w-full px-1 text-[12px]"
          aria-label="Which takes are treated"
          title={`The same microphone of all takes of the roll, by its name`}
          value={all ? "roll" : "take"}
          onChange={(e) => {
            setAll(e.target.value === "roll");
            if (e.target.value === "roll" && kept.length > 0) keep(kept, { off, roll: true });
          }}
        >
          <option value="take">on this take</option>
          <option value="roll">on roll {roll}</option>
        </select>
      )}
      {undo && <TakesUndo production={take.production} />}
    </>
  );
}

const ways: [Way, string, string][] = [
  [undefined, "treated", "As every clip of it sounds"],
  ["plain", "as recorded", "The recording, as loud as what is made of it"],
  ["removed", "what goes", "What is taken away from the recording, alone"],
];

/** What of the treatment is heard. */
function HearRow(p: {
  playing: boolean;
  hear: Tried["hear"];
  onPlay: () => void;
  onHear: (h: Tried["hear"]) => void;
  tried: React.ReactNode;
}) {
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-1.5 border-b border-line px-3 py-1.5 text-[12px]">
      <button className="pill h-6 gap-1 px-2" onClick={p.onPlay}>
        {p.playing ? <Square size={11} /> : <Play size={11} />} {p.playing ? "Stop" : "Hear"}
      </button>
      <HearWays hear={p.hear} onHear={p.onHear} words={ways} />
      {p.tried}
    </div>
  );
}

/** The takes' own undo. */
function TakesUndo({ production }: { production: string }) {
  const history = useTakeHistory(production);
  if (!history?.undo) return null;
  return (
    <button className="pill h-6 max-w-full gap-1 px-2 text-[12px]" title={`Undo in the takes: ${history.undo}`} onClick={history.onUndo}>
      <Undo2 size={12} /> <span className="truncate">Undo {history.undo}</span>
    </button>
  );
}

/** The way to the treatment of a channel: how many processors it has, and that there are such things. */
export function TreatmentOpener(p: { take: Take; channel: number; onOpen: () => void }) {
  const t = treatmentOf(p.take, p.channel);
  const n = t?.steps.length ?? 0;
  return (
    <button
      className="inline-flex min-h-6 shrink-0 cursor-pointer items-center rounded px-1 text-[12px] text-muted underline decoration-dotted hover:text-ink"
      title={`What ${micNames(p.take, [p.channel])} goes through wherever it sounds: ${n > 0 ? many(n, "processor") : "filters, dynamics, repair"}`}
      onClick={p.onOpen}
    >
      {n === 0 ? "treat" : t!.off ? "treated, off" : "treated"}
    </button>
  );
}
