import { Ear } from "lucide-react";
import { useEffect, useState } from "react";

import { api, ok, type Lender, type ReelView, type Take, type Command } from "../../api/client";
import { useQuery } from "@tanstack/react-query";
import { Dialog } from "../../ui/dialog";
import { duration, labelAt } from "../../ui/timecode";

export type Loan = { clip: string; channel: number; from: number; to: number };

/** How much before and after the range is heard when a loan is tried, in seconds. */
const around = 1.5;
const fadeSeconds = 0.04;

/** Lists the takes that a range of one channel can be borrowed from, lets each be heard in place, and lays one over. */
export function BorrowDialog(p: {
  view: ReelView;
  takes: Map<string, Take>;
  loan: Loan | null;
  onClose: () => void;
  onHear: (trial: Command | null, from: number, until: number) => void;
  onDo: (c: Command) => void;
}) {
  const { view, loan } = p;
  const { sampleRate, frameRate } = view.head;
  const lenders = useQuery({
    queryKey: ["lenders", view.id, loan],
    enabled: loan !== null,
    queryFn: () => ok(api.POST("/reels/{reel}/lenders", { params: { path: { reel: view.id } }, body: loan! })),
  });
  const [moved, setMoved] = useState<Record<string, number>>({});
  const [heard, setHeard] = useState("");
  // biome-ignore lint/correctness/useExhaustiveDependencies: runs for these alone
  useEffect(() => {
    setMoved({});
    setHeard("");
  }, [loan]);
  if (!loan) return null;
  const clip = view.clips.find((c) => c.id === loan.clip);
  const own = clip && p.takes.get(clip.take);
  const name = (clip && own?.channels[clip.channels[loan.channel] ?? 0]?.name) || `channel ${loan.channel + 1}`;
  const key = (l: Lender) => `${l.take} ${l.channel}`;
  const commandOf = (l: Lender): Command => ({
    kind: "borrow",
    command: {
      ...loan,
      take: l.take,
      takeChannel: l.channel,
      offset: Math.max(0, l.offset - (moved[key(l)] ?? 0)),
      fade: { length: Math.round(fadeSeconds * sampleRate), curve: "power" },
    },
  });
  const hear = (l: Lender | null) => {
    setHeard(l ? key(l) : "own");
    p.onHear(l && commandOf(l), Math.max(0, loan.from - around * sampleRate), loan.to + around * sampleRate);
  };
  const frame = (sampleRate * frameRate.den) / frameRate.num;
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && p.onClose()}
      title={`Borrow for ${name}`}
      about={
        `${duration(loan.to - loan.from, sampleRate)} s from ${labelAt(loan.from, sampleRate, frameRate)}, on this channel only. ` +
        "Hear each in its place, then lay one over; the original stays underneath."
      }
      wide
    >
      <div className="flex flex-col gap-2">
        <div className="flex items-center gap-3 border-b border-line pb-2">
          <button className={`pill ${heard === "own" ? "border-ink font-semibold" : ""}`} onClick={() => hear(null)}>
            <Ear size={14} /> Hear it as it is
          </button>
          <b className="font-semibold">{clip?.name}</b>
        </div>
        {lenders.isPending && <p className="py-4 text-muted">Listening to the other takes…</p>}
        {lenders.error && <p className="py-4 text-wrong">{lenders.error.message}</p>}
        {lenders.data?.length === 0 && (
          <p className="py-4 text-muted">
            No other take has a channel called {name}. Name the channels under Takes, and they will be found.
          </p>
        )}
        {lenders.data?.map((l) => (
          <div key={key(l)} className="flex items-center gap-3 border-b border-line py-1.5" role="group" aria-label={`From ${l.title}`}>
            <button
              className={`pill ${heard === key(l) ? "border-ink font-semibold" : ""}`}
              onClick={() => hear(l)}
              aria-label={`Hear ${l.title} in its place`}
            >
              <Ear size={14} /> Hear
            </button>
            <span className="min-w-0 grow">
              <b className="font-semibold">{l.title}</b> {l.circled && <span title="Circled take">◯</span>}{" "}
              <span className="text-muted">{l.name}</span>
              <span className="block truncate text-[12px] text-muted">
                {l.aligned
                  ? l.confidence < 0.3
                    ? "Perhaps here, by its waveform: listen, and move it"
                    : `Found by its waveform, ${Math.round(l.confidence * 100)}% sure`
                  : "Not found by its waveform: as far into the take as here; move it until it fits"}
                {l.note && ` · ${l.note}`}
              </span>
            </span>
            <span className="flex items-center gap-1 text-[12px]" title="Move the borrowed sound under the range">
              {[-5, -1, 1, 5].map((n) => (
                <button
                  key={n}
                  className="pill h-6 px-2"
                  aria-label={`Move ${l.title} ${Math.abs(n)} ${Math.abs(n) === 1 ? "frame" : "frames"} ${n < 0 ? "earlier" : "later"}`}
                  onClick={() => setMoved((m) => ({ ...m, [key(l)]: Math.round((m[key(l)] ?? 0) + n * frame) }))}
                >
                  {n > 0 ? `+${n}` : `−${-n}`}
                </button>
              ))}
              <span className="tc w-14 text-right">{((moved[key(l)] ?? 0) / frame).toFixed(0)} fr</span>
            </span>
            <button
              className="pill-act"
              onClick={() => {
                p.onDo(commandOf(l));
                p.onClose();
              }}
              aria-label={`Lay ${l.title} over`}
            >
              Lay it over
            </button>
          </div>
        ))}
      </div>
    </Dialog>
  );
}
