import { useQuery } from "@tanstack/react-query";
import { Download, Trash2 } from "lucide-react";
import { useState, type ReactNode } from "react";

import { api, base, inFile, ok, Problem, sendText, type Fitted, type ReelView, type SavedPattern } from "../../../api/client";
import { useDo, usePatterns, useProduction, useReels, type useReelEdits } from "../../../api/hooks";
import { keysOf } from "../../../api/keys";
import { Check } from "../../../ui/check";
import { Dialog } from "../../../ui/dialog";
import { tell, tellError } from "../../../ui/notices";
import { Small } from "../../../ui/small";
import { useConsent } from "../weave/consent";
import { chosenOf } from "../../../ui/chosen";

type Edits = ReturnType<typeof useReelEdits>;
/** What is applied: a pattern, or what another reel has. */
type Source = { name: string; of: { pattern: string } | { reel: string } };

const count = (n: number, one: string, more = `${one}s`) => (n === 1 ? `1 ${one}` : `${n} ${more}`);

/** Patterns: what this reel has is saved under a name, and what others have is applied to it. */
export function PatternsDialog({ view, edits, onClose }: { view: ReelView; edits: Edits; onClose: () => void }) {
  const [source, setSource] = useState<Source | null>(null);
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      wide
      title={source ? `Make ${view.name} as ${source.name}` : "Patterns"}
      about={
        source
          ? "What is called or means the same becomes as there. What lies on tracks, and is done on it, stays. Undo takes it back."
          : "Stems, mixes, outputs, routes, spec and the skeleton of the tracks, saved under a name: set up once, and the next reel has it in one step."
      }
    >
      {source ? (
        <Apply view={view} edits={edits} source={source} onBack={() => setSource(null)} onDone={onClose} />
      ) : (
        <Choose view={view} onSource={setSource} />
      )}
    </Dialog>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mb-5" aria-label={title}>
      <h3 className="mb-1.5 font-semibold">{title}</h3>
      {children}
    </section>
  );
}

function Choose({ view, onSource }: { view: ReelView; onSource: (s: Source) => void }) {
  const patterns = usePatterns();
  const reels = useReels(view.production).data?.filter((r) => r.id !== view.id) ?? [];
  const [other, setOther] = useState("");
  const { it: chosen } = chosenOf(reels, other);
  return (
    <>
      <Save view={view} />
      <Part title="Saved patterns">
        {patterns.data?.length === 0 && <p className="text-[13px] text-muted">None yet. Save what this reel has, or bring a file in.</p>}
        <ul>
          {patterns.data?.map((p) => (
            <One key={p.id} saved={p} view={view} onApply={() => onSource({ name: p.pattern.name, of: { pattern: p.id } })} />
          ))}
        </ul>
      </Part>
      {chosen && (
        <Part title="From another reel">
          <span className="flex gap-2">
            <select className="field h-8" aria-label="Reel to take it from" value={chosen.id} onChange={(e) => setOther(e.target.value)}>
              {reels.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
            </select>
            <button className="pill h-8" onClick={() => onSource({ name: chosen.name, of: { reel: chosen.id } })}>
              See what it would do…
            </button>
          </span>
        </Part>
      )}
      <BringIn />
    </>
  );
}

/** Saves what the reel has; where there is one of that name, it asks before it takes its place. */
function Save({ view }: { view: ReelView }) {
  const [name, setName] = useState(view.name);
  const [taken, setTaken] = useState(false);
  const save = useDo(
    (replace: boolean) =>
      ok(api.POST("/reels/{reel}/pattern", { params: { path: { reel: view.id } }, body: { name, replace } })).catch((error: unknown) => {
        if (error instanceof Problem && error.kind === "loses") return void setTaken(true);
        throw error;
      }),
    [keysOf.patterns],
    (saved) => {
      if (!saved) return;
      setTaken(false);
      tell(`${saved.pattern.name} is saved.`);
    },
  );
  return (
    <Part title="Save what this reel has">
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate(taken);
        }}
      >
        <input
          className="field h-8 w-72"
          aria-label="Name of the pattern"
          value={name}
          required
          maxLength={100}
          onChange={(e) => (setName(e.target.value), setTaken(false))}
        />
        <button className="pill-act" disabled={save.isPending}>
          {taken ? "Put it in its place" : "Save"}
        </button>
        {taken && <span className="text-[13px] text-wrong">There is a pattern of that name already.</span>}
      </form>
    </Part>
  );
}

function One({ saved, view, onApply }: { saved: SavedPattern; view: ReelView; onApply: () => void }) {
  const { pattern } = saved;
  const production = useProduction(view.production).data;
  const first = production?.beginsAs === saved.id;
  const begin = useDo(
    (on: boolean) =>
      ok(
        api.PUT("/productions/{production}/pattern", {
          params: { path: { production: view.production } },
          body: on ? { pattern: saved.id } : {},
        }),
      ),
    [keysOf.production(view.production)],
  );
  const remove = useDo(
    () => ok(api.DELETE("/patterns/{pattern}", { params: { path: { pattern: saved.id } } })),
    [keysOf.patterns, keysOf.production(view.production)],
  );
  const outputs = (pattern.groups ?? []).reduce((n, g) => n + (g.labels?.length ?? 0), 0);
  const holds = [
    count(pattern.stems.length, "stem"),
    count(pattern.mixes?.length ?? 0, "mix", "mixes"),
    count(outputs, "output"),
    count(pattern.knots?.length ?? 0, "knot"),
    count(pattern.tracks?.length ?? 0, "track"),
  ];
  return (
    <li className="flex items-center gap-3 border-t border-line py-2" aria-label={pattern.name}>
      <div className="min-w-0 grow">
        <b className="font-semibold">{pattern.name}</b>
        {pattern.about && <span className="ml-2 text-muted">{pattern.about}</span>}
        <p className="text-[12px] text-muted">{holds.join(", ")}</p>
      </div>
      <label className="flex shrink-0 cursor-pointer items-center gap-1.5 text-[13px]">
        <Check on={first} onChange={begin.mutateAsync} /> new reels begin so
      </label>
      <a
        className="rounded p-1 text-muted hover:text-ink"
        href={`${base}/patterns/${saved.id}`}
        download={`${pattern.name}.yaml`}
        aria-label={`Write ${pattern.name} to a file`}
        title="Write it to a file (YAML)"
      >
        <Download size={15} />
      </a>
      <Small label={`Remove the pattern ${pattern.name}`} onClick={() => remove.mutate(undefined)}>
        <Trash2 size={15} />
      </Small>
      <button className="pill" onClick={onApply}>
        Apply…
      </button>
    </li>
  );
}

function BringIn() {
  const bring = useDo(
    async (file: File) => {
      return inFile(file.name, sendText<SavedPattern>("/patterns", "application/yaml", await file.text()));
    },
    [keysOf.patterns],
    (saved) => tell(`${saved.pattern.name} can be applied now.`),
  );
  return (
    <div className="flex items-center gap-3 text-[13px] text-muted">
      <label className="pill cursor-pointer hover:border-muted focus-within:outline-2 focus-within:outline-zest">
        Bring in a pattern (YAML)…
        <input
          type="file"
          accept=".yaml,.yml"
          className="sr-only"
          // biome-ignore lint/suspicious/noAssignInExpressions: it is meant so
          onChange={(e) => e.target.files?.[0] && (bring.mutate(e.target.files[0]), (e.target.value = ""))}
        />
      </label>
      <a className="underline" href={`${base}/patterns/schema`} target="_blank" rel="noreferrer">
        How such a file is written (JSON schema)
      </a>
    </div>
  );
}

const rows: Record<Fitted["row"], string> = { stem: "stem", strand: "strand", mix: "mix", group: "output group", track: "track" };

/** What a pattern would do to the reel, and what is to be decided before it does. */
function Apply({
  view,
  edits,
  source,
  onBack,
  onDone,
}: {
  view: ReelView;
  edits: Edits;
  source: Source;
  onBack: () => void;
  onDone: () => void;
}) {
  const fit = useQuery({
    queryKey: ["fit", view.id, view.revision, source.of],
    queryFn: () => ok(api.POST("/reels/{reel}/pattern/fit", { params: { path: { reel: view.id } }, body: source.of })),
  });
  const { ask, dialog } = useConsent(edits);
  const [tracks, setTracks] = useState(true);
  const [gone, setGone] = useState<ReadonlySet<string>>(new Set());
  const list = fit.data;
  if (!list) return <p className="text-muted">{fit.error ? fit.error.message : "Looking…"}</p>;
  const of = (does: Fitted["does"]) => list.filter((f) => f.does === does);
  const key = (f: Fitted) => `${f.row} ${f.id ?? f.name}`;
  const lacking = of("new").filter((f) => f.row === "track");
  const left = of("left");
  const apply = async () => {
    const remove = left.filter((f) => gone.has(key(f))).map((f) => ({ row: f.row, id: f.id! }));
    const done = await ask((yes) => edits.pattern({ ...source.of, tracks, remove, yes }));
    if (done) onDone();
  };
  return (
    <>
      <Named title="Becomes as there" list={of("changes")} none="Nothing changes that this reel has." />
      <Named title="Is made" list={of("new").filter((f) => f.row !== "track")} none="" />
      {lacking.length > 0 && (
        <Part title="Tracks that this reel lacks">
          <label className="flex cursor-pointer items-start gap-2 text-[13px]">
            <input type="checkbox" className="mt-1 accent-act" checked={tracks} onChange={(e) => setTracks(e.target.checked)} />
            <span>
              Make {count(lacking.length, "empty track")}: <span className="text-muted">{lacking.map((f) => f.name).join(", ")}</span>
            </span>
          </label>
        </Part>
      )}
      {left.length > 0 && (
        <Part title="There is nothing like it there">
          <p className="mb-1 text-[13px] text-muted">It stays as it is, unless you say that it goes.</p>
          <ul className="max-h-52 overflow-auto">
            {left.map((f) => (
              <li key={key(f)}>
                <label className="flex cursor-pointer items-center gap-2 py-0.5 text-[13px]">
                  <input
                    type="checkbox"
                    className="accent-act"
                    checked={gone.has(key(f))}
                    onChange={(e) => setGone((s) => new Set(e.target.checked ? [...s, key(f)] : [...s].filter((x) => x !== key(f))))}
                  />
                  <span className="w-24 shrink-0 text-muted">{rows[f.row]}</span> {f.name}{" "}
                  {gone.has(key(f)) && <b className="text-wrong">goes{f.row === "track" && ", with what lies on it"}</b>}
                </label>
              </li>
            ))}
          </ul>
        </Part>
      )}
      {of("same").length > 0 && (
        <p className="mb-4 text-[13px] text-muted">{count(of("same").length, "thing is", "things are")} just so already.</p>
      )}
      <div className="flex gap-3">
        <button className="pill h-8" onClick={onBack}>
          Back
        </button>
        <button className="pill-act" onClick={() => void apply().catch(tellError)}>
          Apply it
        </button>
      </div>
      {dialog}
    </>
  );
}

function Named({ title, list, none }: { title: string; list: Fitted[]; none: string }) {
  if (list.length === 0) return none ? <p className="mb-4 text-[13px] text-muted">{none}</p> : null;
  return (
    <Part title={title}>
      <ul className="flex max-h-40 flex-wrap gap-x-4 gap-y-0.5 overflow-auto text-[13px]">
        {list.map((f) => (
          <li key={`${f.row} ${f.name} ${f.id}`}>
            <span className="text-muted">{rows[f.row]}</span> {f.name}
            {f.was && <span className="text-muted">, now {f.was}</span>}
          </li>
        ))}
      </ul>
    </Part>
  );
}
