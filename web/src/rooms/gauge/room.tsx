import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router";

import { api, ok, type ReelView } from "../../api/client";
import { useProduction, useReel, useReelEdits, useReels, useTakes } from "../../api/hooks";
import { player, usePlayer, type Manner, type Tap } from "../../listen/player";
import { Bar } from "../../ui/bar";
import { Measuring } from "../../ui/measuring";
import { decimal } from "../../ui/figures";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { useConsent } from "../loom/weave/consent";
import { whole } from "../loom/ground/geometry";
import { PicturePane } from "../loom/transport/picture";
import { Scroll } from "../loom/ground/scroll";
import { usePosition } from "../loom/ground/shuttleline";
import { Correct } from "./correct";
import { Figures } from "./figures";
import { rowKey, type GaugeRow, type GaugeView } from "./judge";
import { Of, Oversample, type Asked, type Factor } from "./of";
import { Places } from "./places";
import { Plot, useLines } from "./plot";
import { Rows } from "./rows";
import { Transport } from "./transport";

/** Gauge: is it right, where is it not, and make it right. */
export function GaugeRoom() {
  const { production: id = "", reel: reelID = "" } = useParams();
  const production = useProduction(id);
  const known = useReel(reelID);
  const view = known.data;
  const edits = useReelEdits(reelID);
  return (
    <div className="flex h-full flex-col">
      <Header
        production={production.data}
        reel={view && { id: view.id, name: view.name }}
        history={view && { undo: view.undo, redo: view.redo, onUndo: () => void edits.undo(), onRedo: () => void edits.redo() }}
      />
      {view ? <Open key={view.id} view={view} edits={edits} /> : <Missing of={[known]} />}
    </div>
  );
}

function measuredWords(g: GaugeView): string {
  const again = g.measured > 0 && g.measured < g.seconds ? `; ${decimal(g.measured, 0)} s of it again after the last edit` : "";
  return `Measured as it is now, in ${decimal(g.took, g.took < 1 ? 2 : 1)} s${again}.`;
}

type Range = { from: number; to: number };

/** What was measured of a reel; asked for again until it is that of the reel as it is. */
function useGauge(view: ReelView, row: { row: GaugeRow["row"]; id: string } | null, asked: Asked, range: Range | null) {
  return useQuery({
    queryKey: ["gauge", view.id, view.revision, asked, row?.row, row?.id, range?.from, range?.to],
    placeholderData: keepPreviousData,
    refetchInterval: (q) => (q.state.status === "error" ? 5000 : q.state.data && q.state.data.share < 1 ? 400 : false),
    queryFn: () =>
      ok(
        api.GET("/reels/{reel}/gauge", {
          params: {
            path: { reel: view.id },
            query: { ...asked, row: row?.row, id: row?.id, from: range?.from, to: range?.to },
          },
        }),
      ),
  });
}

/** The row that is looked at first: the full mix, else the first group. */
function usual(view: ReelView): { row: GaugeRow["row"]; id: string } | null {
  const g = view.groups.find((x) => /^mix$/i.test(x.tag) || /full mix/i.test(x.name)) ?? view.groups[0];
  if (g) return { row: "group", id: g.id };
  return view.stems[0] ? { row: "stem", id: view.stems[0].id } : null;
}

function Open({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  const { doIt, dialog } = useConsent(edits, view);
  const go = useNavigate();
  const reels = useReels(view.production);
  const [chosen, setChosen] = useState(() => usual(view));
  const [profile, setProfile] = useState("");
  const [oversample, setOversample] = useState<Factor>(4);
  const asked: Asked = { profile: profile || undefined, oversample };
  const [range, setRange] = useState<Range | null>(null);
  const [at, setAt] = useState(view.head.start);
  const [matched, setMatched] = useState(false);
  const [hearing, setHearing] = useState<number | null>(null);
  const [width, setWidth] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: one for as long as the reel is looked at; the plot fits it
  const scroll = useMemo(() => new Scroll(whole(view, 700)), []);
  const profiles = useQuery({ queryKey: ["profiles"], queryFn: () => ok(api.GET("/profiles")) });
  const gauge = useGauge(view, chosen, asked, range);
  const row = gauge.data?.rows.find((r) => chosen && rowKey(r) === rowKey(chosen));
  const lines = useLines(view, row, asked, gauge.data?.revision ?? 0, scroll, width);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  const position = usePosition(view.id, at);

  const tap: Tap = row ? { kind: row.row, id: row.id } : { kind: "stems", id: "" };
  const manner: Manner = { tap, solo: [], matched };
  const playFrom = (from: number, until?: number) => void player.playReel(view.id, from, { ...manner, until });
  // biome-ignore lint/correctness/useExhaustiveDependencies: what of the manner can change, and an edit has it sent anew
  useEffect(() => player.change(manner), [tap.kind, tap.id, matched, view.revision]);
  useEffect(() => {
    if (!playing) setHearing(null);
  }, [playing]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: with another row it is off again
  useEffect(() => setMatched(false), [chosen?.id]);
  const play = () => {
    if (playing) {
      setAt(position);
      player.stop();
      return;
    }
    const from = range && (at < range.from || at >= range.to) ? range.from : at >= view.end ? view.head.start : at;
    setAt(from);
    playFrom(from, range?.to);
  };
  const goTo = (sample: number) => {
    setAt(sample);
    if (playing) playFrom(sample);
  };
  const listed = useTakes(view.production).data?.takes;
  const movies = useMemo(() => listed?.filter((t) => t.picture) ?? [], [listed]);
  const [picture, setPicture] = useState(false);

  const g = gauge.data;
  const empty = view.end <= view.head.start || view.clips.length === 0;
  return (
    <div className="flex min-h-0 grow max-[900px]:flex-col max-[900px]:overflow-auto">
      {dialog}
      <aside className="flex w-[250px] shrink-0 flex-col overflow-auto border-r border-line py-3 max-[900px]:w-full max-[900px]:overflow-visible">
        <Of production={view.production} files={false} />
        <label className="mx-4 flex flex-col gap-1 text-[13px] text-muted">
          Reel
          <select className="field" value={view.id} onChange={(e) => void go(`/p/${view.production}/gauge/${e.target.value}`)}>
            {reels.data?.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
          </select>
        </label>
        <Rows view={view} gauge={g} chosen={chosen ? rowKey(chosen) : ""} onChoose={(kind, id) => setChosen({ row: kind, id })} />
        <div className="mx-4 mt-3">
          <Oversample value={oversample} onChange={setOversample} />
        </div>
        <p className="mt-auto px-4 pt-4 text-[12px] text-muted" role="status">
          {!g || g.share < 1 ? (
            <>
              {g?.rows.some((r) => r.whole) ? "Measuring what has changed" : "Measuring the reel"}
              <Bar share={g?.share ?? 0} name="Measured" />
            </>
          ) : (
            g.seconds > 0 && measuredWords(g)
          )}
        </p>
      </aside>
      <main className="flex min-w-0 grow flex-col">
        <h1 className="sr-only">Gauge: {view.name}</h1>
        <div className="flex shrink-0 flex-wrap items-center gap-2.5 border-b border-line px-4 py-2">
          <Transport view={view} scroll={scroll} width={width} playing={playing} position={position} onPlay={play} onGo={goTo} />
          {row?.correction && !row.correction.off && (
            <span className="flex overflow-hidden rounded-full border border-line text-[13px]" role="group" aria-label="Hear it">
              {[false, true].map((was) => (
                <button
                  key={`${was}`}
                  className={`h-7 cursor-pointer px-3 ${matched === was ? "bg-ink text-ground" : "bg-paper"}`}
                  aria-pressed={matched === was}
                  onClick={() => setMatched(was)}
                >
                  {was ? "as it was" : "corrected"}
                </button>
              ))}
            </span>
          )}
          <label className="flex items-center gap-1.5 text-[13px] text-muted">
            Judged by
            <select className="field max-w-48" value={profile} onChange={(e) => setProfile(e.target.value)}>
              <option value="">{profile === "" && g?.judgedBy ? g.judgedBy : "the reel's spec"}</option>
              {profiles.data?.map((x) => (
                <option key={x.id} value={x.id}>
                  {x.source.startsWith("no ") ? x.title : `${x.source}: ${x.title.toLowerCase()}`}
                </option>
              ))}
            </select>
          </label>
          <span className="grow" />
          {movies.length > 0 && (
            <button className={`pill ${picture ? "bg-ink text-ground" : ""}`} aria-pressed={picture} onClick={() => setPicture(!picture)}>
              Picture
            </button>
          )}
          {range && (
            <button className="pill" onClick={() => setRange(null)}>
              {decimal((range.to - range.from) / view.head.sampleRate)} s of it; measure all
            </button>
          )}
        </div>
        {gauge.error ? (
          <p className="m-6 text-wrong">{gauge.error.message}</p>
        ) : empty ? (
          <p className="m-6 text-muted">
            There is nothing on this reel yet. Unravel takes onto it under Takes, or lay a finished mix; then it is measured here.
          </p>
        ) : row ? (
          <>
            <div className="relative flex min-h-0 grow flex-col">
              <Plot
                view={view}
                row={row}
                lines={lines.data}
                scroll={scroll}
                at={at}
                range={range}
                onWidth={setWidth}
                onGo={goTo}
                onRange={setRange}
                onRide={(ride) => void doIt({ kind: "changeCorrection", command: { of: row.correction!.of, ride } })}
              />
              {picture && (
                <PicturePane
                  view={view}
                  at={at}
                  movies={movies}
                  half={false}
                  onChoose={(t) => void doIt({ kind: "setReel", command: { picture: { take: t.id } } })}
                  onClose={() => setPicture(false)}
                />
              )}
            </div>
            <div className="grid h-[248px] shrink-0 grid-cols-2 border-t border-line text-[13px] max-[900px]:h-auto max-[900px]:grid-cols-1">
              <section className="min-h-0 overflow-auto px-4 py-2.5" aria-label="Where it is not as asked">
                <h2 className="mb-1.5 font-bold">Where it is not as asked</h2>
                <Places
                  view={view}
                  places={lines.data && row.whole ? lines.data.places : null}
                  share={g?.share ?? 0}
                  playing={hearing}
                  onGo={goTo}
                  onHear={(which, from, until) => {
                    setHearing(which);
                    if (which === null) player.stop();
                    else {
                      setAt(from);
                      playFrom(from, until);
                    }
                  }}
                  onMark={(name, from, to) => void doIt({ kind: "setMark", command: { name, at: from, length: to - from } })}
                />
              </section>
              <section
                className="min-h-0 overflow-auto border-l border-line px-4 py-2.5 max-[900px]:border-l-0 max-[900px]:border-t"
                aria-label="Correct it"
              >
                <h2 className="mb-1.5 font-bold">Correct it</h2>
                <Correct view={view} row={row} profile={profile} judgedBy={g?.judgedBy ?? ""} onDo={doIt} />
              </section>
            </div>
          </>
        ) : (
          <div className="m-6 text-muted">
            {chosen ? <Measuring share={g?.share ?? 0} /> : "There is nothing to measure: the reel has no output groups and no stems."}
          </div>
        )}
      </main>
      <aside
        className="w-[268px] shrink-0 overflow-auto border-l border-line max-[900px]:w-full max-[900px]:border-l-0 max-[900px]:border-t"
        aria-label="Figures"
      >
        {row && <Figures row={row} share={g?.share ?? 0} />}
      </aside>
    </div>
  );
}
