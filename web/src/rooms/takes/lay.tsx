import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { api, ok, Problem, type LaidTake, type Production, type ReelInfo, type Schemas, type Take } from "../../api/client";
import { useDo, useProduction, useReels } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { Kept } from "../../ui/kept";
import { labelAt, noTimecode, parse, parseNear } from "../../ui/timecode";
import { freshReel, ReelSelect } from "./reelselect";
import { chosenOf } from "../../ui/chosen";

type How = Schemas["LayHow"];
type Kind = LaidTake["place"]["by"]["kind"];

const roles: Record<NonNullable<LaidTake["role"]>, string> = {
  mix: "the full mix",
  "M&E": "the M&E",
  DX: "dialogue",
  NX: "narration",
  MX: "music",
  FX: "effects",
  AX: "ambience",
};

const width = (l: LaidTake) =>
  l.tracks > 1
    ? `${l.tracks} tracks`
    : l.labels?.length === 1
      ? "mono"
      : l.labels?.length === 2
        ? "stereo"
        : `${l.labels?.length} channels`;

/** What takes are placed by, as it stands over the table: one of them, and several. */
const kinds: Record<Kind, [string, string]> = {
  word: ["is where you say", "are where you say"],
  picture: ["goes with the picture", "go with the picture"],
  tie: ["is tied to something", "are tied to something"],
  stamp: ["has a time stamp", "have time stamps"],
  nothing: ["has nothing that tells where it belongs", "have nothing that tells where they belong"],
};

/** The first of Reel 1, Reel 2 … that no reel is called. */
export function newReelName(taken: string[]): string {
  for (let n = 1; ; n++) if (!taken.some((t) => t === `Reel ${n}` || t.startsWith(`Reel ${n},`))) return `Reel ${n}`;
}

/** Lays takes on a reel, or on one that is made for them, and goes there. A reel on which nothing could be laid goes again. */
export function useLaying(production: string) {
  const go = useNavigate();
  const queries = useQueryClient();
  return useDo(
    async (p: { takes: string[]; reel?: string; how: How; reuse: boolean; anyway: boolean }) => {
      let target = p.reel;
      if (!target) {
        const path = { production };
        const reels = await ok(api.GET("/productions/{production}/reels", { params: { path } }));
        const body = { name: newReelName(reels.map((r) => r.name)) };
        target = (await ok(api.POST("/productions/{production}/reels", { params: { path }, body }))).id;
      }
      const path = { reel: target };
      try {
        const now = await ok(api.GET("/reels/{reel}", { params: { path } }));
        const body = { revision: now.revision, takes: p.takes, how: p.how, reuse: p.reuse, anyway: p.anyway };
        const view = await ok(api.POST("/reels/{reel}/lay", { params: { path }, body }));
        const fresh = view.clips.filter((c) => !now.clips.some((old) => old.id === c.id));
        return { view, at: fresh.length > 0 ? Math.min(...fresh.map((c) => c.start)) : view.head.start };
      } catch (e) {
        if (!p.reel && e instanceof Problem && e.kind !== "offline" && e.kind !== "away")
          await ok(api.DELETE("/reels/{reel}", { params: { path } })).catch(() => undefined);
        throw e;
      }
    },
    [keysOf.takes(production), keysOf.reels(production)],
    ({ view, at }) => {
      queries.setQueryData(keysOf.reel(view.id), view);
      void go(`/p/${production}/loom/${view.id}`, { state: { at } });
    },
  );
}

/** Several takes go onto a reel in one step, after it has been said how and where. */
export function LayTakes({ takes, production }: { takes: Take[]; production: string }) {
  const reels = useReels(production);
  const [chosen, setChosen] = useState("");
  const [open, setOpen] = useState(false);
  const { it: target, gone } = chosen === freshReel ? { it: undefined, gone: false } : chosenOf(reels.data, chosen);
  return (
    <section className="mt-5 border-t border-line pt-4">
      <h2 className="text-[16px] font-bold">Onto a reel</h2>
      <p className="mt-1 max-w-2xl text-[13px] text-muted">
        You see first where each will lie, and why. They get tracks that are called as they are. The parts of a finished mix are known by
        their names (mix, DX, VO, M&amp;E, music left…), paired, and each feeds an output of its own.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <button className="pill-act" disabled={!reels.data || gone} onClick={() => setOpen(true)}>
          Lay {takes.length} takes onto {gone ? "…" : `${target?.name ?? "a new reel"}…`}
        </button>
        <ReelSelect reels={reels.data} chosen={gone ? "" : (target?.id ?? freshReel)} label="Reel to lay them onto" onChoose={setChosen} />
      </div>
      {open && (
        <PlaceTable takes={takes.map((t) => t.id)} reel={target} production={production} how={{}} reuse onClose={() => setOpen(false)} />
      )}
    </section>
  );
}

type Table = {
  takes: string[];
  /** None for a new one. */
  reel: ReelInfo | undefined;
  production: string;
  how: How;
  reuse: boolean;
  onClose: () => void;
};

/** Where each take would lie, why, and what speaks against it; every place can be changed, and one press lays them. */
export function PlaceTable(p: Table) {
  const production = useProduction(p.production).data;
  return production ? <Placing {...p} known={production} /> : null;
}

function Placing(p: Table & { known: Production }) {
  const { sampleRate, frameRate } = p.known;
  const [plain, setPlain] = useState(false);
  const [places, setPlaces] = useState<Record<string, number>>({});
  const [start, setStart] = useState<number | undefined>(undefined);
  const how: How = { ...p.how, plain: p.how.plain || plain, places, ...(start !== undefined && { start }) };
  const look = useQuery({
    queryKey: ["lay", p.reel?.id ?? freshReel, JSON.stringify(how), ...p.takes],
    queryFn: () =>
      ok(
        api.POST("/productions/{production}/lay/look", {
          params: { path: { production: p.production } },
          body: { takes: p.takes, how, ...(p.reel && { reel: p.reel.id }) },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const lay = useLaying(p.production);
  const rows = look.data?.rows;
  const finished = rows?.some((l) => l.role);
  const label = (at: number) => labelAt(at, sampleRate, frameRate);
  const asked = rows?.filter((l) => l.place.ask) ?? [];
  // A reading is on the day that brings it nearest to the reel's start, as it is for stamps.
  const read = (text: string) => parseNear(text, look.data!.start, sampleRate, frameRate);
  const move = (to: Record<string, number>) => setPlaces({ ...places, ...to });
  return (
    <Dialog
      open
      wide
      holds={() => document.activeElement?.matches("input.tc") ?? false} // Escape puts back what is typed there
      onOpenChange={(open) => !open && p.onClose()}
      title={p.takes.length === 1 ? `Lay it onto ${p.reel?.name ?? "a new reel"}` : `Lay them onto ${p.reel?.name ?? "a new reel"}`}
      about="In one step, which undo takes back. The takes themselves are not changed."
    >
      {look.error && <p className="text-wrong">{look.error.message}</p>}
      {rows && look.data && (
        <>
          <p className="mb-2 flex flex-wrap items-center gap-2 text-[13px]">
            The reel starts at
            <Time
              value={label(look.data.start)}
              label="Start of the reel"
              onKeep={(text) => {
                const at = parse(text, sampleRate, frameRate);
                if (at !== null) setStart(at);
                return at !== null;
              }}
            />
            {look.data.picture && <span className="text-muted">with the picture, which the reel gets too.</span>}
          </p>
          <OfKinds rows={rows} label={label} read={read} onMove={move} />
          <table className="w-full text-[13px]">
            <thead className="text-left text-[12px] text-muted">
              <tr>
                <th className="py-1 font-normal">Take</th>
                <th className="py-1 font-normal">Width</th>
                {finished && <th className="py-1 font-normal">Feeds the output</th>}
                <th className="py-1 font-normal">Lies at</th>
                <th className="py-1 font-normal">Why there</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((l) => (
                <tr key={l.take} className="border-t border-line align-top">
                  <td className="max-w-56 break-words py-1.5 pr-3">
                    <b className="font-semibold">{l.role ? l.name : l.title}</b>
                    {!l.role && l.tracks === 1 && l.name !== l.title && <span className="block text-[12px] text-muted">{l.name}</span>}
                    {l.joined && <span className="block text-[12px] text-muted">of {l.joined.join(" and ")}</span>}
                    {l.role && <span className="block text-[12px] text-muted">{roles[l.role]}</span>}
                  </td>
                  <td className="whitespace-nowrap py-1.5 pr-3">{width(l)}</td>
                  {finished && (
                    <td className="py-1.5 pr-3">
                      {l.group ? (
                        <>
                          {l.group.name}, {l.group.layout} {!l.group.id && <span className="text-muted">(new)</span>}
                        </>
                      ) : (
                        <span className="text-wrong">none: the reel has no such output</span>
                      )}
                    </td>
                  )}
                  <td className="py-1 pr-3">
                    <Time
                      value={label(l.place.at)}
                      label={`Place of ${l.title}`}
                      onKeep={(text) => {
                        const at = read(text);
                        if (at !== null) move({ [l.take]: at });
                        return at !== null;
                      }}
                    />
                  </td>
                  <td className="py-1.5">
                    <Why of={l.place} label={label} onTake={(at) => move({ [l.take]: at })} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {(finished || plain) && (
        <label className="mt-3 flex cursor-pointer items-center gap-2 text-[13px]">
          <input type="checkbox" className="accent-act" checked={plain} onChange={(e) => setPlain(e.target.checked)} /> They are no finished
          mix: lay them like other takes, into their stems
        </label>
      )}
      <div className="sticky -bottom-4 -mx-5 -mb-4 mt-4 flex rounded-b-xl flex-wrap items-center gap-3 border-t border-line bg-paper px-5 py-3">
        <button
          className={asked.length > 0 ? "pill h-8" : "pill-act"}
          autoFocus
          disabled={!rows || look.isPlaceholderData || lay.isPending}
          onClick={() => lay.mutate({ takes: p.takes, ...(p.reel && { reel: p.reel.id }), how, reuse: p.reuse, anyway: asked.length > 0 })}
        >
          {p.takes.length === 1 ? "Lay it" : "Lay them"}
          {asked.length > 0 && " all the same"}
        </button>
        <button className="pill h-8" onClick={p.onClose}>
          Not now
        </button>
        {Object.keys(places).length + (start === undefined ? 0 : 1) > 0 && (
          <button
            className="pill h-8"
            onClick={() => {
              setPlaces({});
              setStart(undefined);
            }}
          >
            All where they belong
          </button>
        )}
        {asked.length > 0 && (
          <span className="text-[13px] text-wrong">
            {asked.length === 1
              ? "One of them is probably not meant to lie there."
              : `${asked.length} are probably not meant to lie there.`}
          </span>
        )}
      </div>
    </Dialog>
  );
}

/** Why a take lies where it does, what else there is, and what speaks against it. */
function Why({ of, label, onTake }: { of: LaidTake["place"]; label: (at: number) => string; onTake: (at: number) => void }) {
  return (
    <>
      {of.by.words.charAt(0).toUpperCase() + of.by.words.slice(1)}
      {of.against.map((a) => (
        <span key={a} className={`block text-[12px] ${of.ask || of.by.kind === "word" ? "text-wrong" : "text-muted"}`}>
          {a}
        </span>
      ))}
      {of.others
        .filter((e) => e.at !== of.at && e.kind !== "nothing")
        .map((e) => (
          <button key={e.kind} className="block text-[12px] text-muted underline" onClick={() => onTake(e.at)}>
            {label(e.at)} by {e.words}
          </button>
        ))}
    </>
  );
}

/** What they are placed by, and all of a kind moved at once: their distances stay; what nothing tells of begins together. */
function OfKinds(p: {
  rows: LaidTake[];
  label: (at: number) => string;
  read: (text: string) => number | null;
  onMove: (to: Record<string, number>) => void;
}) {
  const by = new Map<Kind, LaidTake[]>();
  for (const l of p.rows) by.set(l.place.by.kind, [...(by.get(l.place.by.kind) ?? []), l]);
  if (p.rows.length < 2) return null;
  return (
    <ul className="mb-2 text-[13px]">
      {[...by].map(([kind, of]) => {
        const first = Math.min(...of.map((l) => l.place.at));
        return (
          <li key={kind} className="flex flex-wrap items-center gap-2 py-0.5">
            <span>
              {of.length} {kinds[kind][of.length === 1 ? 0 : 1]}
            </span>
            {of.length > 1 && (
              <>
                <span className="text-muted">from</span>
                <Time
                  value={p.label(first)}
                  label={`First of those that ${kinds[kind][1]}`}
                  onKeep={(text) => {
                    const to = p.read(text);
                    if (to !== null)
                      p.onMove(Object.fromEntries(of.map((l) => [l.take, to + (kind === "nothing" ? 0 : l.place.at - first)])));
                    return to !== null;
                  }}
                />
              </>
            )}
          </li>
        );
      })}
    </ul>
  );
}

/** A timecode that can be typed anew. */
function Time(p: { value: string; label: string; onKeep: (text: string) => boolean }) {
  return <Kept label={p.label} value={p.value} className="tc w-28" onKeep={(text) => (p.onKeep(text) ? undefined : noTimecode)} />;
}
