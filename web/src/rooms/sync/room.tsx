import { useMemo, useState } from "react";
import { useLocation, useNavigate, useParams } from "react-router";

import { api, ok, type FrameRate, type SyncMethod, type Take } from "../../api/client";
import { isOpen, useDo, useMatches, useProduction, useTakeHistory, useTakes, useWork } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { useActions } from "../../ui/keys";
import { takeOf, takeTitle } from "../takes/list";
import { driftWords, offsetWords, referenceSets, rowOf, sure, takeSets, tieOf, wantsPlace, type Row } from "./figures";
import { Confidence, MatchBoard } from "./match";
import { Bar } from "../../ui/bar";
import { ActButton } from "../../ui/actbutton";
import { chosenOf, Gone } from "../../ui/chosen";

const methods: Record<SyncMethod, string> = { waveform: "by waveform", timecode: "by timecode", both: "by timecode, then waveform" };

/** Sync: where does each take belong against the picture? */
export function SyncRoom() {
  const { production: id = "", take: takeID } = useParams();
  const go = useNavigate();
  const production = useProduction(id);
  const takes = useTakes(id);
  const matches = useMatches(id);
  const history = useTakeHistory(id);
  const list = takes.data?.takes;
  const rows = useMemo(() => {
    const byTake = new Map(matches.data?.map((m) => [m.take, m]));
    return (list ?? [])
      .filter((t) => t.channels.length > 0 && (wantsPlace(t) || t.tie || byTake.has(t.id)))
      .map((t) => rowOf(t, byTake.get(t.id)));
  }, [list, matches.data]);
  const open = takeOf(list, takeID);
  const { it: shown, gone } = chosenOf(
    list && matches.data && rows,
    takeID,
    (_, all) => all.find((r) => r.take === open),
    (all) => all.find((r) => r.state === "found") ?? all[0],
  );
  const show = (r: Row) => void go(`/p/${id}/sync/${r.take.id}`, { replace: true });
  const step = (by: number) => {
    const next = rows[(shown ? rows.indexOf(shown) : -1) + by];
    if (next) show(next);
  };
  useActions({ "match-up": () => step(-1), "match-down": () => step(1) });
  const rate = production.data?.frameRate;
  const reference = shown?.reference ? takeOf(list, shown.reference) : undefined;
  return (
    <div className="flex h-full flex-col">
      <Header production={production.data} history={history} />
      <main className="flex min-h-0 grow flex-col max-[900px]:overflow-auto">
        <h1 className="sr-only">Sync</h1>
        <Missing of={[production, takes, matches]} />
        {list && <LineUp production={id} takes={list} rows={rows} />}
        {list && rows.length === 0 && (
          <div className="flex grow flex-col items-center justify-center gap-2 text-center">
            <h2 className="text-xl font-bold">Nothing to line up yet</h2>
            <p className="max-w-md text-muted">
              Bring in takes of the recorder, and the camera's movies or the picture cut, in the Takes room. Then line them up here.
            </p>
          </div>
        )}
        {rows.length > 0 && rate && (
          <div className="flex min-h-0 grow max-[900px]:grow-0 max-[900px]:flex-col">
            <Matches rows={rows} takes={list!} shown={shown} rate={rate} onShow={show} />
            <div className="min-w-0 grow">
              {gone && (
                <Gone what={open ? `A place for ${takeTitle(open)}` : "This take"} on="Show the first match" onOn={() => show(rows[0]!)} />
              )}
              {shown && reference && (
                <MatchBoard
                  key={`${shown.take.id} ${shown.reference} ${shown.state === "tied"}`}
                  row={shown}
                  reference={reference}
                  rate={rate}
                  production={id}
                />
              )}
              {shown && !reference && <WithoutPlace row={shown} takes={list!} production={id} />}
            </div>
          </div>
        )}
      </main>
    </div>
  );
}

const byKey = <T extends { key: string }>(key: string, list: readonly T[]) => list.find((x) => x.key === key);
const firstMovie = (groups: ReturnType<typeof referenceSets>) => groups.find((g) => g.group === "Movies")?.sets[0];

/** What is to be lined up with what, and how. */
function LineUp({ production, takes, rows }: { production: string; takes: Take[]; rows: Row[] }) {
  const asked = (useLocation().state as { takes?: string[] } | null)?.takes ?? [];
  const what = takeSets(takes, asked);
  const against = referenceSets(takes, takeTitle);
  const [whatKey, setWhat] = useState("");
  const [againstKey, setAgainst] = useState("");
  const [method, setMethod] = useState<SyncMethod>("waveform");
  const { it: set } = chosenOf(what, whatKey, byKey);
  const all = against.flatMap((g) => g.sets);
  // A movie unless somebody says otherwise: a recorder's take is what is lined up, and never by itself what with.
  const { it: references } = chosenOf(all, againstKey, byKey, () => firstMovie(against));
  const work = useWork(production);
  const syncs = work.data?.filter((w) => w.kind === "sync" || w.kind === "convert") ?? [];
  const running = syncs.find(isOpen);
  const failed = syncs[0]?.state === "failed" ? syncs[0] : undefined;
  const done = syncs[0]?.state === "done" ? syncs[0] : undefined;
  const start = useDo(
    () =>
      ok(
        api.POST("/productions/{production}/sync", {
          params: { path: { production } },
          body: { takes: set!.ids, references: references!.ids.filter((r) => set!.ids.length !== 1 || r !== set!.ids[0]), method },
        }),
      ),
    [keysOf.work(production)],
  );
  const cancel = useDo((w: string) => ok(api.POST("/work/{work}/cancel", { params: { path: { work: w } } })), [keysOf.work(production)]);
  const good = rows.filter(sure);
  const acceptAll = useDo(async () => {
    for (const r of good) await ok(api.PUT("/takes/{take}/tie", { params: { path: { take: r.take.id } }, body: tieOf(r, r.offset) }));
  }, [keysOf.takes(production), keysOf.matches(production)]);
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-2.5 border-b border-line px-4 py-2.5">
      <span className="text-muted">Line up</span>
      <select className="field max-w-56" aria-label="Takes to line up" value={set?.key ?? ""} onChange={(e) => setWhat(e.target.value)}>
        {!set && <option value="">choose what…</option>}
        {what.map((w) => (
          <option key={w.key} value={w.key}>
            {w.name}
          </option>
        ))}
      </select>
      <span className="text-muted">with</span>
      {all.length === 0 ? (
        <span>nothing here yet: bring in a movie</span>
      ) : (
        <References label="What to line them up with" groups={against} chosen={references?.key} onChoose={setAgainst} />
      )}
      <select className="field" aria-label="How to line them up" value={method} onChange={(e) => setMethod(e.target.value as SyncMethod)}>
        {(Object.keys(methods) as SyncMethod[]).map((m) => (
          <option key={m} value={m}>
            {methods[m]}
          </option>
        ))}
      </select>
      <ActButton
        act="line-up"
        disabled={!set || set.ids.length === 0 || !references || start.isPending || !!running}
        onClick={() => start.mutate(undefined)}
      >
        Line up
      </ActButton>
      {running ? (
        <span className="flex min-w-40 grow items-center gap-2 text-[13px]">
          <span className="w-32">
            <Bar share={running.progress} name={running.title} />
          </span>
          {running.title}: {Math.round(running.progress * 100)} %
          <button className="cursor-pointer underline" onClick={() => cancel.mutate(running.id)}>
            Stop
          </button>
        </span>
      ) : (
        <span className="min-w-0 grow truncate text-[13px] text-muted" role="status">
          {failed ? <span className="text-wrong">{failed.message}</span> : done?.message}
        </span>
      )}
      {good.length > 0 && (
        <button
          className="pill"
          disabled={acceptAll.isPending}
          onClick={() => acceptAll.mutate(undefined)}
          title="Confidence of 0.70 or more, and no other place comes near"
        >
          Accept all that are sure ({good.length})
        </button>
      )}
    </div>
  );
}

const stateNames = { tied: "tied", found: "found", refused: "refused", none: "no place found", open: "not looked at" } as const;

function Matches(p: { rows: Row[]; takes: Take[]; shown: Row | undefined; rate: FrameRate; onShow: (r: Row) => void }) {
  const title = (id: string | null) => {
    const t = id ? takeOf(p.takes, id) : undefined;
    return t ? takeTitle(t) : "";
  };
  return (
    <div
      className="w-[500px] shrink-0 overflow-auto border-r border-line max-[900px]:h-56 max-[900px]:w-full max-[900px]:border-b"
      role="listbox"
      aria-label="Matches"
      aria-activedescendant={p.shown && `match-${p.shown.take.id}`}
      tabIndex={0}
    >
      {p.rows.map((r) => (
        // biome-ignore lint/a11y/useKeyWithClickEvents: what has the focus, and the keys, is another element
        // biome-ignore lint/a11y/useFocusableInteractive: the list has the focus, not what is in it
        <div
          key={r.take.id}
          role="option"
          id={`match-${r.take.id}`}
          aria-selected={r === p.shown}
          className={`grid cursor-pointer grid-cols-[128px_1fr_auto] items-center gap-x-3 border-b border-line py-2 pr-4 text-[13px]
            ${r === p.shown ? "border-l-4 border-l-zest bg-paper pl-3" : "pl-4 hover:bg-paper"}`}
          onClick={() => p.onShow(r)}
        >
          <span className="min-w-0">
            <b className="block truncate text-[14px]">{takeTitle(r.take)}</b>
            <span className="block truncate text-muted">
              {[
                r.take.description.roll && `Roll ${r.take.description.roll}`,
                r.take.channels.length === 1 ? r.take.channels[0]!.name || "1 channel" : `${r.take.channels.length} channels`,
              ]
                .filter(Boolean)
                .join(", ")}
            </span>
          </span>
          {r.reference ? (
            <span className="min-w-0">
              <span className="block truncate">
                in <b className="font-semibold">{title(r.reference)}</b>
              </span>
              <span className="tc block truncate text-[12px] text-muted">
                {offsetWords(r.offset, r.take.description.sampleRate, p.rate).seconds}, drift {driftWords(r.drift)}
              </span>
            </span>
          ) : (
            <span className="min-w-0 truncate text-muted" title={r.match?.reason}>
              {r.match?.reason ?? ""}
            </span>
          )}
          <span className="text-right">
            <span className={`block text-[12px] ${r.state === "tied" ? "font-semibold" : r.state === "none" ? "text-ink" : "text-muted"}`}>
              {r.state === "tied" && "⋈ "}
              {stateNames[r.state]}
            </span>
            {r.reference && <Confidence value={r.confidence} />}
          </span>
        </div>
      ))}
    </div>
  );
}

/** A take that nothing was found for: why, and the way by hand. */
function WithoutPlace({ row, takes, production }: { row: Row; takes: Take[]; production: string }) {
  const groups = referenceSets(
    takes.filter((t) => t.id !== row.take.id && t.description.sampleRate === row.take.description.sampleRate),
    takeTitle,
  ).map((g) => ({ ...g, sets: g.sets.filter((s) => s.key !== "cameras") }));
  const [chosen, setChosen] = useState("");
  const sets = groups.flatMap((g) => g.sets);
  const { it: reference } = chosenOf(sets, chosen, byKey, () => firstMovie(groups));
  const byHand = useDo(
    () =>
      ok(
        api.PUT("/takes/{take}/tie", {
          params: { path: { take: row.take.id } },
          body: { reference: reference!.key, offset: 0, driftPPM: 0, confidence: 0, method: "waveform" },
        }),
      ),
    [keysOf.takes(production), keysOf.matches(production)],
  );
  return (
    <div className="px-6 py-5">
      <h2 className="text-[17px] font-bold">{takeTitle(row.take)}</h2>
      <p className="mt-1 max-w-xl text-muted">
        {row.match?.reason
          ? `${row.match.reason}. It stays in this list until it is tied.`
          : "It has not been lined up yet. Choose above what to line up with what, and press Line up."}
      </p>
      {groups.length > 0 && (
        <div className="mt-4 flex flex-wrap items-center gap-2 text-[13px]">
          <span className="text-muted">By hand: tie it to the start of</span>
          <References label="Reference to tie it to by hand" groups={groups} chosen={reference?.key} onChoose={setChosen} />
          <button className="pill" disabled={!reference || byHand.isPending} onClick={() => byHand.mutate(undefined)}>
            Tie, then nudge it
          </button>
        </div>
      )}
    </div>
  );
}

/** What something is lined up with, or tied to: movies first. */
function References(p: {
  label: string;
  groups: ReturnType<typeof referenceSets>;
  chosen: string | undefined;
  onChoose: (key: string) => void;
}) {
  return (
    <select className="field max-w-56" aria-label={p.label} value={p.chosen ?? ""} onChange={(e) => p.onChoose(e.target.value)}>
      {!p.chosen && <option value="">choose what…</option>}
      {p.groups.map((g) => (
        <optgroup key={g.group} label={g.group}>
          {g.sets.map((s) => (
            <option key={s.key} value={s.key}>
              {s.name}
            </option>
          ))}
        </optgroup>
      ))}
    </select>
  );
}
