import { useQuery } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";

import { api, ok, type Command, type ReelView } from "../../api/client";
import { isOpen, useDo, useWork } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Bar } from "../../ui/bar";
import { decimal, signed } from "../../ui/figures";
import { labelAt } from "../../ui/timecode";
import { verdictOf, type GaugeRow } from "./judge";
import { ActButton } from "../../ui/actbutton";

const minus = (x: number | undefined) => `${x}`.replace("-", "−");

function Line({ what, children }: { what: string; children: ReactNode }) {
  return (
    <div className="flex justify-between gap-3 border-t border-line py-1">
      <dt>{what}</dt>
      <dd className="tc shrink-0 text-right">{children}</dd>
    </div>
  );
}

type Figure = number | null | undefined;

/** What would bring something to what is asked. */
export function WouldDo({ row, figure }: { row: Pick<GaugeRow, "limit">; figure: Figure }) {
  const l = row.limit ?? {};
  const rides = [
    l.shortTermMax !== undefined && `short-term ${minus(l.shortTermMax)}`,
    l.momentaryMax !== undefined && `momentary ${minus(l.momentaryMax)}`,
    l.ppmMax !== undefined && `PPM ${l.ppmMax}`,
  ].filter(Boolean);
  const where = l.measured === "dialogue" ? ", where dialogue is heard" : "";
  return (
    <dl>
      {l.integrated !== undefined && (
        <Line what={`One gain to ${minus(l.integrated)} LUFS${where}`}>
          {figure === null || figure === undefined ? "–" : `about ${signed(l.integrated - figure)} dB`}
        </Line>
      )}
      {l.truePeak !== undefined && <Line what="Limiter, all channels together">to {minus(l.truePeak)} dBTP</Line>}
      {rides.length > 0 && <Line what="Slow ride, where it is still too loud">{rides.join(", ")}</Line>}
    </dl>
  );
}

/** What the correction of the group does. */
function Does({ view, row, figure }: { view: ReelView; row: GaugeRow; figure: Figure }) {
  const c = row.correction!;
  const w = c.works;
  const { sampleRate, frameRate, start } = view.head;
  const loudness = () => {
    if (figure === null || figure === undefined) return "–";
    return c.off
      ? `${decimal(figure)}, and ${decimal(figure + c.matchDB)} with it`
      : `${decimal(figure - c.matchDB)} → ${decimal(figure)} LUFS`;
  };
  const places = `${w.places} ${w.places === 1 ? "place" : "places"}`;
  return (
    <dl>
      <Line what={`Gain, by ${c.title || "what was asked"}`}>{signed(c.gainDB, 2)} dB</Line>
      <Line what="Loudness before and now">{loudness()}</Line>
      <Line what="Limiter">
        {w.places === 0 ? "has nothing to do" : `${decimal(-w.mostDB)} dB at most, ${decimal(w.limitedSeconds)} s in ${places}`}
      </Line>
      {w.places > 0 && <Line what="Most of it at">{labelAt(w.mostAt + start, sampleRate, frameRate)}</Line>}
      <Line what="Ride">
        {w.rideSeconds === 0 && c.ride.length === 0 ? "at rest" : `down to ${decimal(w.rideMostDB)} dB, over ${decimal(w.rideSeconds)} s`}
      </Line>
    </dl>
  );
}

/** Brings an output group to what is asked, and its parts with it; shows what that does, and takes it back. */
export function Correct(p: { view: ReelView; row: GaugeRow; profile: string; judgedBy: string; onDo: (c: Command) => Promise<unknown> }) {
  const { view, row } = p;
  const limit = row.limit ?? {};
  const now = row.correction;
  const own = now?.of === row.id;
  const reel = { params: { path: { reel: view.id } } };
  const parts = useQuery({
    queryKey: ["parts", view.id, view.revision, row.id],
    enabled: row.row === "group",
    queryFn: () => ok(api.GET("/reels/{reel}/gauge/parts", { params: { path: { reel: view.id }, query: { of: row.id } } })),
  });
  const [without, setWithout] = useState<string[]>([]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: with another row all are chosen again
  useEffect(() => setWithout([]), [row.id]);
  const start = useDo(
    (keepRide: boolean) => {
      const groups = [row.id, ...(parts.data ?? []).filter((g) => !without.includes(g))];
      return ok(
        api.POST("/reels/{reel}/gauge/correct", { ...reel, body: { of: row.id, groups, profile: p.profile || undefined, keepRide } }),
      );
    },
    [keysOf.work(view.production)],
  );
  const work = useWork(view.production);
  const cancel = useDo(
    (id: string) => ok(api.POST("/work/{work}/cancel", { params: { path: { work: id } } })),
    [keysOf.work(view.production)],
  );
  const mine = work.data?.filter((w) => w.kind === "correct" && w.title === `Correct ${row.name}`);
  const running = mine?.find(isOpen);
  const last = mine?.[0];
  const name = (id: string) => view.groups.find((g) => g.id === id)?.name ?? id;
  if (row.row !== "group")
    return <p className="text-muted">Output groups are corrected: choose one. What a stem or a track is too loud by is set in the Loom.</p>;
  const asks = [limit.integrated, limit.truePeak, limit.ppmMax, limit.shortTermMax, limit.momentaryMax].some((x) => x !== undefined);
  if (!asks)
    return (
      <p className="text-muted">
        {p.judgedBy ? `${p.judgedBy} asks nothing of ${row.name}.` : "Nothing is asked yet: choose a spec under Print, or a profile above."}
      </p>
    );
  if (now && !own)
    return (
      <p className="text-muted">
        It is corrected with {name(now.of)}, by the same gain at the same sample, so that it still adds up to it.
      </p>
    );
  const figure = limit.measured === "dialogue" ? row.whole?.dialogue?.lufs : row.whole?.integratedLUFS;
  return (
    <div>
      {own ? <Does view={view} row={row} figure={figure} /> : <WouldDo row={row} figure={figure} />}
      {(parts.data?.length ?? 0) > 0 && (
        <fieldset className="mt-1.5 text-[13px]">
          <legend className="text-muted">
            The same gain at the same sample also goes to these parts of it, so that they still add up:
          </legend>
          {parts.data!.map((id) => (
            <label key={id} className="mr-3 inline-flex items-center gap-1.5">
              <input
                type="checkbox"
                disabled={own || !!running}
                checked={own ? now.groups.includes(id) : !without.includes(id)}
                onChange={(e) => setWithout(e.target.checked ? without.filter((x) => x !== id) : [...without, id])}
              />
              {name(id)}
            </label>
          ))}
        </fieldset>
      )}
      {own && now.stale && !running && (
        <p className="mt-1.5 text-[13px] text-wrong">
          {now.groups.length > 1 ? "The mix or its ride" : "It or its ride"} has changed since this was worked out.
        </p>
      )}
      {last && !running && last.state === "failed" && <p className="mt-1.5 text-[13px] text-wrong">{last.message}</p>}
      {last && own && !now.stale && last.state === "done" && verdictOf(row) === "off" && (
        <p className="mt-1.5 text-[13px] text-wrong">{last.message}</p>
      )}
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {running ? (
          <>
            <span className="grow">
              <Bar share={running.progress} name="Working the correction out" />
            </span>
            <button className="pill" onClick={() => cancel.mutate(running.id)}>
              Stop
            </button>
          </>
        ) : own ? (
          <>
            {now.stale && (
              <button className="pill-act" onClick={() => start.mutate(true)} disabled={start.isPending}>
                Work it out anew
              </button>
            )}
            <button className="pill" onClick={() => void p.onDo({ kind: "changeCorrection", command: { of: row.id, off: !now.off } })}>
              {now.off ? "Switch it on" : "Switch it off"}
            </button>
            <button className="pill" onClick={() => void p.onDo({ kind: "removeCorrection", command: { of: row.id } })}>
              Take it back
            </button>
          </>
        ) : (
          <ActButton act="correct" disabled={!row.whole || start.isPending || !parts.data} onClick={() => start.mutate(false)}>
            {(parts.data?.length ?? 0) > without.length ? "Correct it and its parts" : "Correct it"}
          </ActButton>
        )}
      </div>
      {own && (
        <p className="mt-1.5 text-[12px] text-muted">
          The ride is the curve at the foot of the picture: drag its points, press twice to set one or take one away.
        </p>
      )}
    </div>
  );
}
