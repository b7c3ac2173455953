import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { api, ok, type Production, type Take } from "../../api/client";
import { isOpen, useDo, useProduction, useSpecs, useTakeEdit, useTakeHistory, useTakes, useWork } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { player, usePlayer } from "../../listen/player";
import { Bar } from "../../ui/bar";
import { Measuring } from "../../ui/measuring";
import { decimal } from "../../ui/figures";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { whole, type Timed } from "../loom/ground/geometry";
import { Scroll } from "../loom/ground/scroll";
import { usePosition } from "../loom/ground/shuttleline";
import { takeOf, takeTitle } from "../takes/list";
import { relabelled, together, waysOf } from "../takes/reading";
import { Written } from "../../shell/work";
import { WouldDo } from "./correct";
import { Figures } from "./figures";
import type { Measured } from "./judge";
import { Of, Oversample, type Factor } from "./of";
import { Places } from "./places";
import { Plot, useInView } from "./plot";
import { Transport } from "./transport";
import { chosenOf, Gone } from "../../ui/chosen";

/** Whose limits a file is held to: a profile's, or a spec's. */
type Judge = { profile?: string; spec?: string };

/** Gauge for files that came from elsewhere: measured, brought to what is asked, and written as they came. */
export function GaugeFiles() {
  const { production: id = "", take: takeID } = useParams();
  const go = useNavigate();
  const production = useProduction(id);
  const takes = useTakes(id);
  const history = useTakeHistory(id);
  const [many, setMany] = useState<string[]>([]);
  const [judge, setJudge] = useState<Judge>({ profile: "r128" });
  const listed = useMemo(() => takes.data?.takes.filter((t) => t.channels.length > 0 && t.partOf === null) ?? [], [takes.data]);
  const { it: take, gone } = chosenOf(takes.data && listed, takeID, (id, all) => takeOf(all, id));
  const chosen = many.filter((x) => listed.some((t) => t.id === x));
  if (!takes.data || !production.data) return <Missing of={[takes, production]} />;
  return (
    <div className="flex h-full flex-col">
      <Header production={production.data} history={history} />
      <div className="flex min-h-0 grow max-[900px]:flex-col max-[900px]:overflow-auto">
        <aside
          className="flex w-[250px] shrink-0 flex-col overflow-auto border-r border-line py-3 max-[900px]:max-h-72 max-[900px]:w-full"
          aria-label="Files"
        >
          <Of production={id} files />
          <p className="px-4 pb-2 text-[12px] text-muted">
            Everything under Takes: files, sets of monos, what was received. Tick several to level them together.
          </p>
          <ul>
            {listed.map((t) => (
              <li
                key={t.id}
                className={`flex items-center border-t border-line border-l-[3px] last:border-b
                  ${t.id === take?.id ? "border-l-zest bg-paper" : "border-l-transparent hover:bg-band"}`}
              >
                <label className="flex h-10 w-9 shrink-0 cursor-pointer items-center justify-center">
                  <input
                    type="checkbox"
                    className="accent-act"
                    aria-label={`Level ${takeTitle(t)} with others`}
                    checked={many.includes(t.id)}
                    onChange={(e) => setMany(e.target.checked ? [...many, t.id] : many.filter((x) => x !== t.id))}
                  />
                </label>
                <button
                  className="min-w-0 grow cursor-pointer py-1 pr-3 text-left"
                  aria-pressed={t.id === take?.id}
                  onClick={() => void go(`/p/${id}/gauge/files/${t.id}`)}
                >
                  <span className="block truncate font-semibold">{takeTitle(t)}</span>
                  <span className="block truncate text-[12px] text-muted">{about(t)}</span>
                </button>
              </li>
            ))}
          </ul>
        </aside>
        {gone && listed.length > 0 ? (
          <Gone what="This file" on="Show the first one" onOn={() => void go(`/p/${id}/gauge/files/${listed[0]!.id}`)} />
        ) : take ? (
          <Open key={take.id} take={take} rate={production.data.frameRate} judge={judge} onJudge={setJudge} many={chosen} />
        ) : (
          <main className="flex grow flex-col items-center justify-center gap-2 text-center">
            <h1 className="text-xl font-bold">There are no files yet</h1>
            <p className="max-w-md text-muted">
              Bring files in under{" "}
              <Link className="font-semibold text-ink underline" to={`/p/${id}/takes`}>
                Takes
              </Link>
              : a finished mix, six monos of one, or a delivery. Then they are measured here, and brought to what a receiver asks for.
            </p>
          </main>
        )}
      </div>
    </div>
  );
}

function about(t: Take): string {
  const n = t.assembly?.files.length ?? 1;
  const width = t.channels.length === 1 ? "mono" : `${t.channels.length} channels`;
  return [n > 1 ? `${n} files` : t.description.scene && t.fileName, width, `${t.description.sampleRate / 1000} kHz`]
    .filter(Boolean)
    .join(", ");
}

type Range = { from: number; to: number };

/** What is asked of the server about a programme of a take. Places are samples of the file. */
type Asked = Judge & { programme?: string; oversample: Factor };

function useMeasured(take: Take, asked: Asked, start: number, range: Range | null) {
  return useQuery({
    queryKey: ["gauge take", take.id, take.sets, asked, range],
    placeholderData: keepPreviousData,
    refetchInterval: (q) => (q.state.status === "error" ? 5000 : q.state.data && q.state.data.share < 1 ? 400 : false),
    queryFn: () =>
      ok(
        api.GET("/takes/{take}/gauge", {
          params: {
            path: { take: take.id },
            query: { ...asked, from: range ? range.from - start : undefined, to: range ? range.to - start : undefined },
          },
        }),
      ),
  });
}

function Open({
  take,
  rate,
  judge,
  onJudge,
  many,
}: {
  take: Take;
  rate: Production["frameRate"];
  judge: Judge;
  onJudge: (j: Judge) => void;
  many: string[];
}) {
  const d = take.description;
  const start = d.startSamples ?? 0;
  const view = useMemo<Timed>(
    () => ({ id: take.id, end: start + d.frames, marks: [], clips: [], head: { start, sampleRate: d.sampleRate, frameRate: rate } }),
    [take.id, start, d.frames, d.sampleRate, rate],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: one for as long as the file is looked at; the plot fits it
  const scroll = useMemo(() => new Scroll(whole(view, 700, 1)), []);
  const [programme, setProgramme] = useState<string>();
  const [oversample, setOversample] = useState<Factor>(4);
  const [range, setRange] = useState<Range | null>(null);
  const [at, setAt] = useState(start);
  const [hearing, setHearing] = useState<number | null>(null);
  const [width, setWidth] = useState(0);
  const asked: Asked = { ...judge, programme, oversample };
  const gauge = useMeasured(take, asked, start, range);
  const g = gauge.data;
  const one = g?.programmes.find((x) => x.id === programme) ?? g?.programmes[0];
  const row: Measured | undefined = g && one && { name: one.name, labels: one.labels, limit: g.limit, whole: g.whole };
  const { from, to, columns } = useInView(view, scroll, width);
  const lines = useQuery({
    queryKey: ["gauge take lines", take.id, take.sets, asked, g?.share === 1, from, to, columns],
    enabled: width > 0 && g?.share === 1,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ok(
        api.GET("/takes/{take}/gauge/lines", {
          params: { path: { take: take.id }, query: { ...asked, from: Math.max(0, from - start), to: Math.max(1, to - start), columns } },
        }),
      ),
  });
  const playing = usePlayer((s) => s.playing?.what === "take" && s.playing.id === take.id);
  const position = usePosition(take.id, at, start);
  useEffect(() => {
    if (!playing) setHearing(null);
  }, [playing]);
  const playFrom = (sample: number) => {
    setAt(sample);
    void player.playTake(take.id, one?.channels ?? take.channels.map((_, i) => i), sample - start);
  };
  const stop = () => {
    setAt(position);
    player.stop();
  };
  const play = () => (playing ? stop() : playFrom(at >= view.end ? start : at));
  const goTo = (sample: number) => (playing ? playFrom(sample) : setAt(sample));
  return (
    <>
      <main className="flex min-w-0 grow flex-col max-[900px]:min-h-[640px]">
        <h1 className="sr-only">Gauge: {takeTitle(take)}</h1>
        <div className="flex shrink-0 flex-wrap items-center gap-2.5 border-b border-line px-4 py-2">
          <Transport view={view} scroll={scroll} width={width} playing={playing} position={position} onPlay={play} onGo={goTo} />
          <JudgedBy production={take.production} judge={judge} onJudge={onJudge} />
          {(g?.programmes.length ?? 0) > 1 && (
            <label className="flex items-center gap-1.5 text-[13px] text-muted">
              Programme
              <select className="field max-w-40" value={one?.id} onChange={(e) => setProgramme(e.target.value)}>
                {g!.programmes.map((x) => (
                  <option key={x.id} value={x.id}>
                    {x.id}: {x.name}
                  </option>
                ))}
              </select>
            </label>
          )}
          <Oversample value={oversample} onChange={setOversample} />
          <span className="grow" />
          {range && (
            <button className="pill" onClick={() => setRange(null)}>
              {decimal((range.to - range.from) / d.sampleRate)} s of it; measure all
            </button>
          )}
        </div>
        {gauge.error ? (
          <p className="m-6 text-wrong">{gauge.error.message}</p>
        ) : row?.whole ? (
          <Plot
            file
            view={view}
            row={row}
            lines={lines.data}
            scroll={scroll}
            at={at}
            range={range}
            onWidth={setWidth}
            onGo={goTo}
            onRange={setRange}
          />
        ) : (
          <div className="grow p-6 text-muted" role="status">
            <Measuring share={g?.share ?? 0} what={takeTitle(take)} />
          </div>
        )}
        <div className="grid h-[248px] shrink-0 grid-cols-2 border-t border-line text-[13px] max-[900px]:h-auto max-[900px]:grid-cols-1">
          <section className="min-h-0 overflow-auto px-4 py-2.5" aria-label="Where it is not as asked">
            <h2 className="mb-1.5 font-bold">Where it is not as asked</h2>
            <Places
              view={view}
              places={lines.data && row?.whole ? lines.data.places : null}
              share={g?.share ?? 0}
              playing={hearing}
              onGo={goTo}
              onHear={(which, sample) => {
                setHearing(which);
                if (which === null) stop();
                else playFrom(sample);
              }}
            />
          </section>
          <section
            className="min-h-0 overflow-auto border-l border-line px-4 py-2.5 max-[900px]:border-l-0 max-[900px]:border-t"
            aria-label="Level"
          >
            <Level take={take} row={row} programmes={g?.programmes.length ?? 1} judge={judge} many={many} />
          </section>
        </div>
      </main>
      <aside
        className="w-[268px] shrink-0 overflow-auto border-l border-line max-[900px]:w-full max-[900px]:border-l-0 max-[900px]:border-t"
        aria-label="Figures"
      >
        {row && <Figures row={row} share={g?.share ?? 0} />}
        <Order take={take} />
      </aside>
    </>
  );
}

function JudgedBy({ production, judge, onJudge }: { production: string; judge: Judge; onJudge: (j: Judge) => void }) {
  const profiles = useQuery({ queryKey: ["profiles"], queryFn: () => ok(api.GET("/profiles")) });
  const specs = useSpecs(production);
  return (
    <label className="flex items-center gap-1.5 text-[13px] text-muted">
      Judged by
      <select
        className="field w-64"
        value={judge.spec ? `spec ${judge.spec}` : `profile ${judge.profile}`}
        onChange={(e) => {
          const [kind, ...id] = e.target.value.split(" ");
          onJudge({ [kind!]: id.join(" ") });
        }}
      >
        <optgroup label="Recommendations">
          {profiles.data?.map((x) => (
            <option key={x.id} value={`profile ${x.id}`}>
              {x.source.startsWith("no ") ? x.title : `${x.source}: ${x.title.toLowerCase()}`}
            </option>
          ))}
        </optgroup>
        <optgroup label="Delivery specs">
          {specs.data?.map((x) => (
            <option key={x.id} value={`spec ${x.id}`}>
              {x.title}
            </option>
          ))}
        </optgroup>
      </select>
    </label>
  );
}

/** Brings the take, or all that are ticked, to what is asked; what was written stands below with its figures. */
function Level({
  take,
  row,
  programmes,
  judge,
  many,
}: {
  take: Take;
  row: Measured | undefined;
  programmes: number;
  judge: Judge;
  many: string[];
}) {
  const production = take.production;
  const takes = many.length > 0 ? many : [take.id];
  const [away, setAway] = useState<string[]>([]);
  const again = [keysOf.work(production)];
  const start = useDo(
    () => ok(api.POST("/productions/{production}/level", { params: { path: { production } }, body: { takes, ...judge } })),
    again,
  );
  const cancel = useDo((id: string) => ok(api.POST("/work/{work}/cancel", { params: { path: { work: id } } })), again);
  const remove = useDo((id: string) => ok(api.DELETE("/work/{work}", { params: { path: { work: id } } })), again);
  const work = useWork(production).data?.filter((w) => w.kind === "level") ?? [];
  const limit = row?.limit ?? {};
  const asks = [limit.integrated, limit.truePeak, limit.ppmMax, limit.shortTermMax, limit.momentaryMax].some((x) => x !== undefined);
  const files = take.assembly?.files.length ?? 1;
  const blocked = many.length === 0 && (!row?.whole || !asks || programmes > 1 || limit.measured === "dialogue");
  return (
    <>
      <h2 className="mb-1.5 font-bold">
        Level {many.length > 0 ? `the ${many.length} that are ticked` : files > 1 ? `its ${files} files` : "it"}
      </h2>
      {many.length === 0 && programmes > 1 ? (
        <p className="text-muted">
          It carries {programmes} programmes. Say on the right which channels are heard together, or unravel it under Takes; then each can
          be levelled.
        </p>
      ) : many.length === 0 && limit.measured === "dialogue" ? (
        <p className="text-muted">
          Its loudness is asked for where dialogue is heard, which a file does not tell. Lay it on a reel with its dialogue stem.
        </p>
      ) : many.length === 0 && row && !asks ? (
        <p className="text-muted">Nothing is asked of {row.name}; choose another profile or spec above.</p>
      ) : (
        row && many.length === 0 && <WouldDo row={row} figure={row.whole?.integratedLUFS} />
      )}
      <p className="mt-1 text-muted">
        {many.length > 0 ? "Each is a programme of its own. " : files > 1 ? "All get the same gain at the same sample. " : ""}What is
        written keeps its name, time stamp, descriptions and order of channels; what is here stays as it came.
      </p>
      <div className="mt-2">
        <button className="pill-act" disabled={blocked || start.isPending} onClick={() => start.mutate(undefined)}>
          {many.length > 1 ? `Level ${many.length} takes` : "Level it"}
        </button>
      </div>
      {work
        .filter((w) => !away.includes(w.id))
        .map((w) =>
          isOpen(w) ? (
            <div key={w.id} className="mt-2 flex items-center gap-2">
              <span className="grow">
                <Bar share={w.progress} name={w.title} />
              </span>
              <button className="pill" onClick={() => cancel.mutate(w.id)}>
                Stop
              </button>
            </div>
          ) : w.state === "failed" ? (
            <p key={w.id} className="mt-2 text-wrong">
              {w.message}{" "}
              <button className="cursor-pointer underline" onClick={() => remove.mutate(w.id)}>
                Put it away
              </button>
            </p>
          ) : w.state === "done" ? (
            <Written key={w.id} work={w} onAway={() => setAway([...away, w.id])} onRemove={() => remove.mutate(w.id)} />
          ) : null,
        )}
    </>
  );
}

/** Which channel is which: as the files tell, and as somebody says. */
function Order({ take }: { take: Take }) {
  const edit = useTakeEdit(take);
  if (take.channels.length < 2) return null;
  const all = take.channels.map((c) => c.index);
  const set = take.sets.find((s) => s.channels.length === all.length);
  const ways = waysOf(all)
    .flatMap(({ name, sets }) => (sets.length === 1 ? [{ name, set: sets[0]! }] : [])) // all of them as one
    .filter((w) => w.set.kind === "bonded");
  const nameOf = (i: number) =>
    take.assembly && take.assembly.files.length === all.length
      ? take.assembly.files[i]!.fileName
      : take.channels[i]!.name || `Channel ${i + 1}`;
  return (
    <section className="mx-4 mb-4 mt-3 text-[13px]" aria-label="Which channel is which">
      <h3 className="font-bold">Which channel is which</h3>
      {ways.length > 0 && (
        <label className="mt-1 flex flex-col gap-1 text-muted">
          In the order
          <select
            className="field"
            value={ways.findIndex(
              (w) => set && w.set.labels.every((l, i) => set.labels[i] === l) && w.set.channels.every((c, i) => set.channels[i] === c),
            )}
            onChange={(e) => {
              const way = ways[Number(e.target.value)];
              edit.mutate({ sets: way ? together(take.sets, way.set) : [] });
            }}
          >
            <option value={-1}>{set ? "of the names below" : "each by itself"}</option>
            {ways.map((w, i) => (
              <option key={w.name} value={i}>
                {w.name}
              </option>
            ))}
          </select>
        </label>
      )}
      <ul className="mt-1">
        {all.map((c, i) => (
          <li key={c} className="flex items-center gap-2 border-t border-line py-0.5">
            <span className="min-w-0 grow truncate" title={nameOf(i)}>
              {nameOf(i)}
            </span>
            {set && (
              <select
                className="field h-6 shrink-0 py-0"
                aria-label={`What ${nameOf(i)} is`}
                value={set.labels[set.channels.indexOf(c)]}
                onChange={(e) => edit.mutate({ sets: together(take.sets, relabelled(set, c, e.target.value)) })}
              >
                {set.labels.map((l) => (
                  <option key={l}>{l}</option>
                ))}
              </select>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
