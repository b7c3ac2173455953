import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { RJSFSchema } from "@rjsf/utils";
import { Download } from "lucide-react";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { parse, stringify } from "yaml";

import { api, base, ok, sendText, type SpecText } from "../../api/client";
import { useDo, useProduction, useReel } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { tell, tellError } from "../../ui/notices";
import { dayAndTime } from "../../ui/when";
import { Removal } from "../../ui/removal";
import { File, Findings } from "./plan";
import { SpecForm } from "./specform";
import { specsPath } from "./specwords";

/** What a text means while it is not yet a spec: nothing. */
function meaning(text: string): unknown {
  try {
    return parse(text);
  } catch {
    return null;
  }
}

/** What is typed, a little later. */
function useLater<T>(value: T, wait = 350): T {
  const [later, setLater] = useState(value);
  useEffect(() => {
    const soon = setTimeout(() => setLater(value), wait);
    return () => clearTimeout(soon);
  }, [value, wait]);
  return later;
}

/** A copy of a spec, or one of the user's own, in fields and as text; beside it what would be written for the open reel. */
export function SpecEditor() {
  const { production: id = "", reel = "", spec = "" } = useParams();
  const production = useProduction(id);
  const view = useReel(reel);
  const schema = useQuery({
    queryKey: ["spec schema"],
    queryFn: async () => (await fetch(`${base}/specs/schema`)).json() as Promise<RJSFSchema>,
    staleTime: Infinity,
  });
  const of = { params: { path: { spec }, query: { production: id } } };
  const written = useQuery({
    queryKey: ["spec text", spec, id],
    queryFn: () => ok(api.GET("/specs/{spec}", of)),
    staleTime: Infinity,
    gcTime: 0,
  });
  return (
    <div className="flex h-full flex-col">
      <Header production={production.data} reel={view.data && { id: view.data.id, name: view.data.name }} />
      <Missing of={[production, view, schema, written]} />
      {schema.data && written.data && <Editor key={spec} schema={schema.data} from={written.data} production={id} reel={reel} />}
    </div>
  );
}

/** A shipped spec is copied under an ID of its own; one of before becomes one of today when its fields are changed. */
const begin = (w: SpecText) =>
  w.kept === "shipped"
    ? w.text
        .replace(/^#.*\n/gm, "")
        .replace(/^id: (.*)$/m, "id: $1-own")
        .replace(/^title: (.*)$/m, "title: $1, changed")
    : w.text;

function Editor({ schema, from, production, reel }: { schema: RJSFSchema; from: SpecText; production: string; reel: string }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const view = useReel(reel).data;
  const [text, setText] = useState(() => begin(from));
  const [asText, setAsText] = useState(meaning(from.text) !== null && (meaning(from.text) as { spec?: number }).spec !== 2);
  const tried = useLater(text);
  const plan = useQuery({
    queryKey: ["tried", reel, view?.revision, tried],
    queryFn: () => ok(api.POST("/reels/{reel}/plan", { params: { path: { reel } }, body: { text: tried } })),
    placeholderData: (before) => before,
    retry: false,
    gcTime: 0,
  });
  const back = `/p/${production}/print/${reel}`;
  const shipped = from.kept === "shipped";
  const [forAll, setForAll] = useState(from.kept === "forAll");
  const keep = async () => {
    try {
      const answer = await sendText<{ title: string }>(specsPath(forAll ? "" : production), "application/yaml", text);
      await queries.invalidateQueries({ queryKey: keysOf.specs });
      tell(`${answer.title} is kept, and can be chosen for every reel of ${forAll ? "every" : "this"} production.`);
      void go(back);
    } catch (error) {
      tellError(error);
    }
  };
  const wrong = plan.error?.message;
  const stops = plan.data?.findings.filter((f) => f.severity === "error").length ?? 0;
  return (
    <div className="flex min-h-0 grow">
      <section aria-label="The spec" className="flex w-1/2 shrink-0 flex-col border-r border-line bg-paper">
        <div className="flex items-center gap-2 border-b border-line px-4 py-2">
          <div className="min-w-0 grow">
            <b className="block truncate">{shipped ? `A copy of ${from.title}` : from.title}</b>
            <span className="text-[12px] text-muted">
              {shipped
                ? "What ships stays as it is; yours has an id of its own."
                : "Prints that were made after it keep the spec as it was."}
            </span>
          </div>
          {!shipped && <Versions spec={from} production={production} onText={setText} />}
          <div className="flex rounded-full border border-line p-0.5 text-[13px]" role="tablist" aria-label="How it is shown">
            {(["fields", "text"] as const).map((how) => (
              <button
                key={how}
                role="tab"
                aria-selected={(how === "text") === asText}
                className={`cursor-pointer rounded-full px-3 py-0.5 ${(how === "text") === asText ? "bg-ink text-ground" : "text-muted"}`}
                onClick={() => setAsText(how === "text")}
              >
                {how}
              </button>
            ))}
          </div>
        </div>
        <div className="min-h-0 grow overflow-auto px-4 py-3">
          {asText ? (
            <textarea
              className="field tc h-full w-full resize-none whitespace-pre p-2 text-[12.5px] leading-5"
              aria-label="The spec as YAML"
              spellCheck={false}
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          ) : meaning(text) === null ? (
            <p className="text-wrong">This is no YAML, so it has no fields. Set it right as text.</p>
          ) : (
            <SpecForm schema={schema} data={meaning(text)} onData={(d) => setText(stringify(d, { lineWidth: 0 }))} />
          )}
        </div>
        <div className="flex items-center gap-3 border-t border-line px-4 py-2">
          <button className="pill-act" disabled={!!wrong || tried !== text} onClick={() => void keep()}>
            Keep this spec
          </button>
          <select
            className="field"
            aria-label="Where it is kept"
            value={forAll ? "all" : "this"}
            onChange={(e) => setForAll(e.target.value === "all")}
          >
            <option value="this">in this production</option>
            <option value="all">in all productions</option>
          </select>
          <Link className="pill" to={back}>
            Leave it
          </Link>
          {!shipped && <Removing spec={from} production={production} onGone={() => void go(back)} />}
          <a
            className="ml-auto flex items-center gap-1 text-[13px] text-muted hover:text-ink"
            href={`data:application/yaml;charset=utf-8,${encodeURIComponent(text)}`}
            download={`${from.id}.yaml`}
          >
            <Download size={13} /> as a file
          </a>
        </div>
      </section>
      <section aria-label="What would be written" className="min-w-0 grow overflow-auto px-5 py-3">
        <h1 className="text-lg font-bold">What would be written of {view?.name}</h1>
        {wrong ? (
          <p className="mt-2 text-wrong" role="alert">
            {wrong}
          </p>
        ) : (
          plan.data &&
          view && (
            <>
              <p className="text-[13px] text-muted">
                From <span className="tc text-ink">{plan.data.startTimecode}</span>, lasting{" "}
                <span className="tc text-ink">{plan.data.duration || "nothing"}</span>,{" "}
                {plan.data.files.length === 1 ? "1 file" : `${plan.data.files.length} files`}.
              </p>
              <Findings plan={plan.data} stops={stops} />
              {plan.data.files.map((f) => (
                <File key={f.name} file={f} />
              ))}
            </>
          )
        )}
      </section>
    </div>
  );
}

/** What the spec was before; choosing a version brings its text back, to be looked at and kept. */
function Versions({ spec, production, onText }: { spec: SpecText; production: string; onText: (text: string) => void }) {
  const of = { path: { spec: spec.id }, query: { production } };
  const versions = useQuery({
    queryKey: ["spec versions", spec.id, production],
    queryFn: () => ok(api.GET("/specs/{spec}/versions", { params: of })),
    gcTime: 0,
  });
  const [shown, setShown] = useState(spec.version ?? 1);
  const show = async (version: number) => {
    try {
      const was = await ok(api.GET("/specs/{spec}", { params: { ...of, query: { production, version } } }));
      setShown(version);
      onText(was.text);
    } catch (error) {
      tellError(error);
    }
  };
  return (
    <select
      className="field text-[13px]"
      aria-label="Version of the spec"
      value={shown}
      onChange={(e) => void show(Number(e.target.value))}
    >
      {versions.data?.map((v) => (
        <option key={v.version} value={v.version}>
          {`version ${v.version}, ${v.author ? `${v.author}, ` : ""}${dayAndTime(v.keptAt)}`}
        </option>
      ))}
    </select>
  );
}

function Removing({ spec, production, onGone }: { spec: SpecText; production: string; onGone: () => void }) {
  const [asked, setAsked] = useState(false);
  const remove = useDo(
    () => ok(api.DELETE("/specs/{spec}", { params: { path: { spec: spec.id }, query: { production } } })),
    [keysOf.specs],
    () => {
      tell(`${spec.title} is removed.`);
      onGone();
    },
  );
  return (
    <>
      <button className="pill text-wrong" onClick={() => setAsked(true)}>
        Remove…
      </button>
      <Removal
        open={asked}
        onOpenChange={setAsked}
        title="Remove this spec"
        about={
          "It goes with all its versions, and can't be chosen any more. " +
          "Reels that are laid out after it and prints that were made after it stay as they are."
        }
        onRemove={() => remove.mutate(undefined)}
      />
    </>
  );
}
