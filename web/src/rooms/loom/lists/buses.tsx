import { ArrowDown, ArrowUp, Trash2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState, type ReactNode } from "react";

import type { Command, CommandOf, Group, Mix, ReelView, Row, Stem } from "../../../api/client";
import { Check } from "../../../ui/check";
import { Small } from "../../../ui/small";
import { StemTag } from "../../../ui/stem";
import { inMix, strandsOf } from "../ground/band";
import { fieldOrder, formatName, formats, layouts, norms } from "../ground/formats";
import { BusLevel } from "../ground/buslevel";
import { Kept } from "../../../ui/kept";
import { busOf } from "../ground/lookup";
import { figure, gains } from "../ground/numbers";
import { back } from "../../../ui/focus";

type Props = { view: ReelView; onDo: (c: Command) => Promise<unknown>; onBus: (b: { row: Row; id: string }) => void };

/** Where the level of a row is seen, and set. */
const LevelOf = ({ view, row, id, name, onBus }: Pick<Props, "view" | "onBus"> & { row: Row; id: string; name: string }) => (
  <BusLevel name={name} does={busOf(view, row, id)} onOpen={() => onBus({ row, id })} />
);

/** Stems, mixes and output groups of the reel in lists: made, named, fed, put in order and taken away. */
export function Buses(p: Props) {
  return (
    <div className="flex flex-col gap-5 pb-4">
      <Stems {...p} />
      <Mixes {...p} />
      <Groups {...p} />
      <Speakers {...p} />
    </div>
  );
}

function Section({ title, about, children }: { title: string; about: string; children: ReactNode }) {
  return (
    <section aria-label={title}>
      <h2 className="font-semibold">{title}</h2>
      <p className="mb-2 text-[12px] text-muted">{about}</p>
      {children}
    </section>
  );
}

function FormatSelect({ label, labels, onLabels }: { label: string; labels: string[]; onLabels: (l: string[]) => void }) {
  const own = formatName(labels);
  return (
    <select
      className="field h-7 px-1"
      aria-label={label}
      value={own}
      onChange={(e) => onLabels(formats.find(([n]) => n === e.target.value)![1])}
    >
      {!formats.some(([n]) => n === own) && <option>{own}</option>}
      {formats.map(([n]) => (
        <option key={n}>{n}</option>
      ))}
    </select>
  );
}

/** Moves one of a list up or down. */
function Order({ row, ids, at, name, onDo }: { row: Row; ids: string[]; at: number; name: string; onDo: Props["onDo"] }) {
  const move = (by: number) => {
    const order = [...ids];
    const [id] = order.splice(at, 1);
    order.splice(at + by, 0, id!);
    onDo({ kind: "reorder", command: { row, ids: order } });
  };
  return (
    <>
      <Small label={`The ${row} ${name} up`} disabled={at === 0} onClick={() => move(-1)}>
        <ArrowUp size={13} />
      </Small>
      <Small label={`The ${row} ${name} down`} disabled={at === ids.length - 1} onClick={() => move(1)}>
        <ArrowDown size={13} />
      </Small>
    </>
  );
}

function Stems({ view, onDo, onBus }: Props) {
  const [tag, setTag] = useState("");
  const ids = view.stems.map((s) => s.id);
  const add = () => {
    void onDo({ kind: "addStem", command: { tag: tag.trim().toUpperCase(), name: tag.trim().toUpperCase(), labels: ["L", "R"] } });
    setTag("");
  };
  return (
    <Section title="Stems" about="Each track goes into one; strands are its parts, a character or a language.">
      <ul>
        {view.stems.map((s, i) => (
          <li key={s.id} className="group/bus border-b border-line py-1.5">
            <span className="flex items-center gap-1.5">
              <StemTag stem={s.id} />
              <Kept
                label={`Name of ${s.id}`}
                value={s.name}
                onKeep={(name) => onDo({ kind: "setStem", command: { stem: s.id, name } })}
                className="w-28"
              />
              <FormatSelect
                label={`Width of ${s.name}`}
                labels={s.labels}
                onLabels={(labels) => onDo({ kind: "setStem", command: { stem: s.id, labels } })}
              />
              <span className="ml-auto flex items-center">
                <LevelOf view={view} row="stem" id={s.id} name={s.name} onBus={onBus} />
                <Order row="stem" ids={ids} at={i} name={s.name} onDo={onDo} />
                <RemoveStem view={view} stem={s} onDo={onDo} />
              </span>
            </span>
            <Strands view={view} stem={s.id} />
          </li>
        ))}
      </ul>
      <form
        className="mt-2 flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          add();
        }}
      >
        <input
          className="field h-7 w-24"
          aria-label="Tag of a new stem"
          placeholder="tag: ADR"
          value={tag}
          onChange={(e) => setTag(e.target.value)}
        />
        <button className="pill h-7 px-3" disabled={tag.trim().length < 2}>
          Add a stem
        </button>
      </form>
    </Section>
  );
}

/** The strands that tracks of a stem are in, with how many. */
function Strands({ view, stem }: { view: ReelView; stem: string }) {
  const counts = strandsOf(view, stem);
  if (counts.size < 2 && !counts.has(""))
    return counts.size === 0 ? null : <p className="pl-8 text-[12px] text-muted">all in {[...counts.keys()][0]}</p>;
  if (counts.size < 2) return null;
  return <p className="pl-8 text-[12px] text-muted">{[...counts].map(([name, n]) => `${name || "no strand"} ${n}`).join(" · ")}</p>;
}

/** Asks where the tracks of a stem go before it is taken away. */
function RemoveStem({ view, stem, onDo }: { view: ReelView; stem: Stem; onDo: Props["onDo"] }) {
  const others = view.stems.filter((s) => s.id !== stem.id);
  const remove = (to: string) => onDo({ kind: "removeStem", command: { stem: stem.id, to } });
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="flex h-6 w-6 cursor-pointer items-center justify-center rounded text-muted hover:text-wrong"
        aria-label={`Remove the stem ${stem.name}`}
        title="Take the stem away"
      >
        <Trash2 size={13} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4} align="end">
          {others.map((s) => (
            <DropdownMenu.Item key={s.id} className="menu-item" onSelect={() => remove(s.id)}>
              Its tracks go to {s.name}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Item className="menu-item" onSelect={() => remove("")}>
            Its tracks go into no stem
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function Mixes({ view, onDo, onBus }: Props) {
  const ids = view.mixes.map((m) => m.id);
  const free = (name: string) => (view.mixes.some((m) => m.name === name) ? `${name} ${view.mixes.length + 1}` : name);
  const out = (...stems: string[]): Mix["terms"] =>
    stems.filter((s) => view.stems.some((x) => x.id === s)).map((from) => ({ row: "stem", from, gainDB: 0, out: true }));
  const add = (name: string, terms: Mix["terms"]) =>
    onDo({ kind: "setMix", command: { name: free(name), labels: widest(view), rest: true, terms } });
  return (
    <Section title="Mixes" about="Sums of stems and strands: the full mix, M&E, a version in each language.">
      <ul>
        {view.mixes.map((m, i) => (
          <li key={m.id} className="group/bus border-b border-line py-1.5">
            <MixPanel
              view={view}
              mix={m}
              onDo={onDo}
              order={
                <>
                  <LevelOf view={view} row="mix" id={m.id} name={m.name} onBus={onBus} />
                  <Order row="mix" ids={ids} at={i} name={m.name} onDo={onDo} />
                </>
              }
            />
          </li>
        ))}
      </ul>
      <span className="mt-2 flex gap-2">
        <button className="pill h-7 px-3" onClick={() => add("Full mix", [])}>
          Add a full mix
        </button>
        <button className="pill h-7 px-3" onClick={() => add("M&E", out("DX", "NX"))}>
          Add an M&amp;E
        </button>
      </span>
    </Section>
  );
}

/** The labels of the widest stem: what a mix of everything begins with. */
const widest = (view: ReelView) => view.stems.reduce<string[]>((w, s) => (s.labels.length > w.length ? s.labels : w), ["L", "R"]);

function MixPanel({ view, mix, onDo, order }: { view: ReelView; mix: Mix; onDo: Props["onDo"]; order: ReactNode }) {
  const { id, name, language, labels, rest, terms } = mix;
  const set = (part: Partial<CommandOf<"setMix">>) =>
    onDo({ kind: "setMix", command: { id, name, language, labels, rest, terms, ...part } });
  const rows = view.stems.flatMap((s) => {
    const strands = [...strandsOf(view, s.id).keys()];
    const named = strands.some((x) => x !== "");
    return [
      { row: "stem" as Row, from: s.id, name: s.name, within: "" },
      ...(named ? strands.map((x) => ({ row: "strand" as Row, from: `${s.id}/${x}`, name: x || "the rest of it", within: s.id })) : []),
    ];
  });
  const term = (row: Row, from: string) => terms.find((t) => t.row === row && t.from === from);
  const isIn = (row: Row, from: string, within: string) =>
    row === "strand" ? inMix(mix, within, from.slice(within.length + 1)) : inMix(mix, from, null);
  const put = (row: Row, from: string, gainDB: number, out: boolean) =>
    set({ terms: [...terms.filter((t) => !(t.row === row && t.from === from)), { row, from, gainDB, out }] });
  return (
    <>
      <span className="flex items-center gap-1.5">
        <Kept label="Name of the mix" value={name} onKeep={(name) => set({ name })} className="w-32 font-semibold" />
        <FormatSelect label={`Width of ${name}`} labels={labels} onLabels={(labels) => set({ labels })} />
        <span className="ml-auto flex">
          {order}
          <Small label={`Remove the mix ${name}`} onClick={() => onDo({ kind: "removeMixes", command: { mixes: [id] } })}>
            <Trash2 size={13} />
          </Small>
        </span>
      </span>
      <span className="mt-1 flex items-center gap-1.5 text-[12px] text-muted">
        language
        <Kept
          label={`Language of ${name}`}
          value={language ?? ""}
          placeholder="eng"
          onKeep={(language) => set({ language })}
          className="w-14"
        />
      </span>
      <ul className="mt-1 text-[13px]">
        {rows.map((r) => {
          const on = isIn(r.row, r.from, r.within);
          return (
            <li key={r.from + r.row} className={`flex items-center gap-1.5 ${r.row === "strand" ? "pl-6" : ""}`}>
              <label className="flex grow cursor-pointer items-center gap-1.5">
                <Check
                  on={on}
                  label={`${r.name} in ${name}`}
                  onChange={(there) => put(r.row, r.from, term(r.row, r.from)?.gainDB ?? 0, !there)}
                />
                {r.name}
              </label>
              {on && (
                <Kept
                  label={`Gain of ${r.name} in ${name}`}
                  value={String(term(r.row, r.from)?.gainDB ?? 0)}
                  onKeep={figure((gainDB) => put(r.row, r.from, gainDB, false), ...gains)}
                  className="tc h-6 w-14 text-right"
                />
              )}
              {on && <span className="text-muted">dB</span>}
            </li>
          );
        })}
      </ul>
    </>
  );
}

function Groups({ view, onDo, onBus }: Props) {
  const ids = view.groups.map((g) => g.id);
  const add = (name: string, layout: string, feed?: CommandOf<"setGroup">["feed"]) =>
    onDo({ kind: "setGroup", command: { name: view.groups.some((g) => g.name === name) ? `${name} ${layout}` : name, layout, feed } });
  const full = view.mixes[0];
  return (
    <Section
      title="Output groups"
      about={`What is delivered together, ${view.outputs.length} of at most 64 channels; a spec proposes them.`}
    >
      <ul>
        {view.groups.map((g, i) => (
          <li key={g.id} className="group/bus border-b border-line py-1.5">
            <GroupPanel
              view={view}
              group={g}
              onDo={onDo}
              moves={
                <>
                  <LevelOf view={view} row="group" id={g.id} name={g.name} onBus={onBus} />
                  <Order row="group" ids={ids} at={i} name={g.name} onDo={onDo} />
                </>
              }
            />
          </li>
        ))}
      </ul>
      <span className="mt-2 flex flex-wrap gap-2">
        <button
          className="pill h-7 px-3"
          onClick={() =>
            add(full?.name ?? "Output", full && full.labels.length === 6 ? "5.1" : "stereo", full && { row: "mix", from: full.id })
          }
        >
          Add a group{full ? ` of ${full.name}` : ""}
        </button>
        {view.groups[0] && (
          <button
            className="pill h-7 px-3"
            onClick={() => add(`${view.groups[0]!.name} stereo`, "stereo", { row: "group", from: view.groups[0]!.id })}
          >
            Add a fold-down of {view.groups[0].name}
          </button>
        )}
      </span>
    </Section>
  );
}

const usualFold = { centreDB: -3.01, surroundDB: -3.01, monoDB: -6.02 };

function GroupPanel({ view, group, onDo, moves }: { view: ReelView; group: Group; onDo: Props["onDo"]; moves: ReactNode }) {
  const { id, name, tag, layout, labels, feed } = group;
  const order = labels.join().startsWith("L,C,R") ? "film" : formats.some(([, l]) => l.join() === labels.join()) ? "smpte" : "own";
  const width = labels.length;
  const channelOrder = layouts.some(([l]) => l === layout) && layout !== "discrete" && layout !== "dual mono" ? labels.join() : "";
  const set = (part: Partial<CommandOf<"setGroup">>) =>
    onDo({ kind: "setGroup", command: { id, name, tag, layout, order: channelOrder, width, feed, ...part } });
  const sources: [string, Row, string][] = [
    ...view.mixes.map((m): [string, Row, string] => [`mix: ${m.name}`, "mix", m.id]),
    ...view.stems.map((s): [string, Row, string] => [`stem: ${s.name}`, "stem", s.id]),
    ...view.stems.flatMap((s) =>
      [...strandsOf(view, s.id).keys()]
        .filter((x) => x !== "")
        .map((x): [string, Row, string] => [`strand: ${x}`, "strand", `${s.id}/${x}`]),
    ),
    ...view.groups.filter((g) => g.id !== id).map((g): [string, Row, string] => [`fold-down of ${g.name}`, "group", g.id]),
    ...view.tracks.map((t): [string, Row, string] => [`track: ${t.name}`, "track", t.id]),
  ];
  const fed = feed ? sources.findIndex(([, row, from]) => row === feed.row && from === feed.from) : -1;
  const fold = { ...usualFold, ...feed?.fold };
  const setFold = (part: Partial<typeof fold>) => set({ feed: feed && { ...feed, fold: { ...fold, ...part } } });
  return (
    <>
      <span className="flex items-center gap-1.5">
        <Kept label="Name of the output group" value={name} onKeep={(name) => set({ name })} className="w-32 font-semibold" />
        <Kept label={`Tag of ${name}`} value={tag} placeholder="tag" onKeep={(tag) => set({ tag })} className="w-20" />
        <span className="ml-auto flex">
          {moves}
          <Small label={`Remove the group ${name}`} onClick={() => onDo({ kind: "removeGroups", command: { groups: [id] } })}>
            <Trash2 size={13} />
          </Small>
        </span>
      </span>
      <span className="mt-1 flex flex-wrap items-center gap-1.5 text-[13px]">
        <select
          className="field h-7 px-1"
          aria-label={`Layout of ${name}`}
          value={layout}
          onChange={(e) => set({ layout: e.target.value, order: "" })}
        >
          {layouts.map(([l, called]) => (
            <option key={l} value={l}>
              {called}
            </option>
          ))}
        </select>
        {["lcr", "5.0", "5.1", "7.1"].includes(layout) && (
          <>
            <select
              className="field h-7 px-1"
              aria-label={`Channel order of ${name}`}
              value={order}
              onChange={(e) => set({ order: e.target.value })}
            >
              <option value="smpte">SMPTE order</option>
              <option value="film">film order</option>
              {order === "own" && <option value="own">an order of its own</option>}
            </select>
            <Kept
              label={`Channels of ${name}, in order`}
              value={labels.join(" ")}
              onKeep={(text) =>
                void set({
                  order: text
                    .trim()
                    .split(/[\s,]+/)
                    .join(","),
                })
              }
              className="tc h-7 w-44"
            />
          </>
        )}
        {fieldOrder(layout) > 0 && (
          <select
            className="field h-7 px-1"
            aria-label={`Norm of ${name}`}
            value={labels.join()}
            onChange={(e) => set({ order: e.target.value })}
          >
            {norms(fieldOrder(layout)).map(([called, of]) => (
              <option key={called} value={of.join()}>
                {called}
              </option>
            ))}
          </select>
        )}
        {layout === "discrete" && (
          <Kept
            label={`Channels of ${name}`}
            value={String(width)}
            onKeep={figure((width) => set({ width }), 1, 64)}
            className="tc w-12 text-right"
          />
        )}
        <select
          className="field h-7 max-w-[210px] px-1"
          aria-label={`What feeds ${name}`}
          value={fed}
          onChange={(e) => {
            const s = sources[Number(e.target.value)];
            set({ feed: s && { row: s[1], from: s[2], ...(s[1] === "group" ? { fold: feed?.fold } : {}) } });
          }}
        >
          <option value={-1}>fed by knots alone</option>
          {sources.map(([called], i) => (
            <option key={called} value={i}>
              {called}
            </option>
          ))}
        </select>
      </span>
      {feed?.row === "group" && (
        <span className="mt-1 flex flex-wrap items-center gap-1 text-[12px] text-muted">
          centre <Level label={`Centre of ${name} in dB`} value={fold.centreDB} onLevel={(centreDB) => setFold({ centreDB })} />
          surrounds <Level label={`Surrounds of ${name} in dB`} value={fold.surroundDB} onLevel={(surroundDB) => setFold({ surroundDB })} />
          trim <Level label={`Trim of ${name} in dB`} value={fold.trimDB ?? 0} onLevel={(trimDB) => setFold({ trimDB })} />
          <label className="flex cursor-pointer items-center gap-1">
            <Check on={fold.lfeDB != null} onChange={(on) => setFold({ lfeDB: on ? 0 : undefined })} /> LFE
          </label>
          <label className="flex cursor-pointer items-center gap-1" title="The surrounds are turned by 90°, so that a decoder finds them">
            <Check on={fold.encoded ?? false} onChange={(encoded) => setFold({ encoded })} /> Lt/Rt
          </label>
        </span>
      )}
    </>
  );
}

/** Where the speakers stand that sound is placed between: by the standard, unless they are moved. */
function Speakers({ view, onDo }: Pick<Props, "view" | "onDo">) {
  const moved = view.head.angles ?? {};
  if (view.speakers.length < 3) return null;
  const set = (angles: typeof moved) => onDo({ kind: "setReel", command: { angles } });
  return (
    <Section
      title="Speakers"
      about="Where they stand, in degrees from the front: left and up are above 0. What is placed, turned or decoded goes by them."
    >
      <ul className="grid grid-cols-2 gap-x-4">
        {view.speakers.map((s) => (
          <li key={s.label} className="flex items-center gap-1.5 text-[13px]">
            <span className={`w-9 ${moved[s.label] ? "font-semibold" : ""}`}>{s.label}</span>
            <Kept
              label={`Azimuth of ${s.label}`}
              value={String(s.azimuth)}
              onKeep={figure((azimuth) => set({ ...moved, [s.label]: { azimuth, elevation: s.elevation } }), -180, 180)}
              className="tc h-6 w-14 text-right"
            />
            <Kept
              label={`Elevation of ${s.label}`}
              value={String(s.elevation)}
              onKeep={figure((elevation) => set({ ...moved, [s.label]: { azimuth: s.azimuth, elevation } }), -90, 90)}
              className="tc h-6 w-12 text-right"
            />
          </li>
        ))}
      </ul>
      {Object.keys(moved).length > 0 && (
        <button className="pill mt-2 h-7 px-3" onClick={() => set({})}>
          All where the standard puts them
        </button>
      )}
    </Section>
  );
}

const Level = ({ label, value, onLevel }: { label: string; value: number; onLevel: (v: number) => void }) => (
  <Kept label={label} value={String(Math.round(value * 100) / 100)} onKeep={figure(onLevel, ...gains)} className="tc h-6 w-16 text-right" />
);
