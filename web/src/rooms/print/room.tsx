import { useQuery } from "@tanstack/react-query";
import { CheckCircle2, Circle, XCircle } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { api, ok, type ListedPrint, type Packaging } from "../../api/client";
import { useDo, usePrint, usePrints, useProduction, useReel, useReelEdits, useReels, useSpecs } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { Removal } from "../../ui/removal";
import { timeOrDay } from "../../ui/when";
import { useConsent } from "../loom/weave/consent";
import { SpecDialog } from "../loom/reels/spec";
import { DeskList, ReceiptPage } from "./desk";
import { PlanPage, RangeChoice, type Wish } from "./plan";
import { Queue } from "./queue";
import { PrintReport } from "./report";
import { packingWords } from "./specwords";

/** Print: first what will be written and what is wrong; then the files, checked. */
export function PrintRoom() {
  const { production: id = "", reel: reelID = "", print: printID, receipt } = useParams();
  const go = useNavigate();
  const production = useProduction(id);
  const reels = useReels(id);
  const reel = useReel(reelID);
  const edits = useReelEdits(reelID);
  const { ask, doIt, dialog } = useConsent(edits, reel.data);
  const specs = useSpecs(id);
  const prints = usePrints(reelID);
  const shown = usePrint(reelID, printID ?? "");
  const [packaging, setPackaging] = useState<Packaging | null>(null);
  const [wish, setWish] = useState<Wish>({});
  const [choosing, setChoosing] = useState(false);
  const [removing, setRemoving] = useState(false);
  const view = reel.data;
  const spec = specs.data?.find((s) => s.id === view?.head.spec);
  // A reel that is laid out for no spec is printed as its outputs are.
  const asIs = !!view && !view.head.spec && view.groups.length > 0;
  const ways: Packaging[] = spec?.packaging ?? (asIs ? ["per-group", "interleaved"] : []);
  const packed = packaging && ways.includes(packaging) ? packaging : ways[0];
  const asked = { packaging: packed, ...wish };
  const path = { params: { path: { reel: reelID } } };
  const plan = useQuery({
    // the names of the next print, the room that is left and how long it takes follow from those that were made
    queryKey: ["plan", reelID, view?.revision, spec?.id, spec?.version, asked, prints.data?.filter((p) => p.passed !== null).length],
    enabled: (!!spec || asIs) && !!prints.data,
    placeholderData: (before, query) => (query?.queryKey[1] === reelID ? before : undefined),
    queryFn: () => ok(api.POST("/reels/{reel}/plan", { ...path, body: asked })),
  });
  const start = useDo(
    () => ok(api.POST("/reels/{reel}/prints", { ...path, body: { ...asked, revision: plan.data?.revision } })),
    [keysOf.prints(reelID), keysOf.work(id)],
    (p) => void go(`/p/${id}/print/${reelID}/${p.id}`),
  );
  const remove = useDo(
    () => ok(api.DELETE("/prints/{print}", { params: { path: { print: printID! } } })),
    [keysOf.prints(reelID), keysOf.work(id)],
    () => void go(`/p/${id}/print/${reelID}`),
  );
  return (
    <div className="flex h-full flex-col">
      <Header
        production={production.data}
        reel={view && { id: view.id, name: view.name }}
        history={view && { undo: view.undo, redo: view.redo, onUndo: () => void edits.undo(), onRedo: () => void edits.redo() }}
      />
      <div className="flex min-h-0 grow max-[700px]:block max-[700px]:overflow-auto">
        <aside className="flex w-[300px] shrink-0 flex-col overflow-auto border-r border-line px-4 py-4 max-[700px]:w-full max-[700px]:border-r-0">
          <label className="flex flex-col gap-1 text-[13px] text-muted">
            Reel
            <select className="field" value={reelID} onChange={(e) => void go(`/p/${id}/print/${e.target.value}`)}>
              {reels.data?.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
            </select>
          </label>
          <div className="mt-3 flex flex-col gap-1 text-[13px] text-muted">
            Delivery spec
            <button
              className={spec || asIs ? "field cursor-pointer truncate text-left" : "pill-act justify-center"}
              onClick={() => setChoosing(true)}
            >
              {spec?.title ?? (asIs ? "none; choose one" : "Choose a delivery spec")}
            </button>
          </div>
          {ways.length > 1 && (
            <fieldset className="mt-3 text-[13px]">
              <legend className="text-muted">Packed as</legend>
              {ways.map((k) => (
                <label key={k} className="flex min-h-6 cursor-pointer items-center gap-2">
                  <input type="radio" name="packaging" className="accent-act" checked={k === packed} onChange={() => setPackaging(k)} />{" "}
                  <span className="inline-block first-letter:uppercase">{packingWords(k)}</span>
                </label>
              ))}
            </fieldset>
          )}
          {view && (spec || asIs) && <RangeChoice view={view} wish={wish} onWish={setWish} />}
          <Queue production={id} reel={reelID} />
          <DeskList production={id} reel={reelID} shown={receipt} />
          <h2 className="mb-1 mt-6 font-bold">Prints of this reel</h2>
          {prints.data?.length === 0 && <p className="text-[13px] text-muted">None yet.</p>}
          <Link
            to={`/p/${id}/print/${reelID}`}
            className={`border-t border-line px-1 py-2 text-[13px] ${printID || receipt ? "text-muted hover:text-ink" : "font-semibold"}`}
          >
            The next print
          </Link>
          {prints.data?.map((p) => (
            <Link
              key={p.id}
              to={`/p/${id}/print/${reelID}/${p.id}`}
              className={`flex items-center gap-2 border-t border-line px-1 py-2 text-[13px] ${p.id === printID ? "font-semibold" : "hover:text-ink"}`}
            >
              <PrintState print={p} />
              <span className="min-w-0 grow truncate">{p.title}</span>
              <span className="tc shrink-0 text-[12px] text-muted">{timeOrDay(p.createdAt)}</span>
            </Link>
          ))}
        </aside>
        <main className="min-w-0 grow overflow-auto max-[700px]:border-t max-[700px]:border-line">
          <Missing of={[production, reels, reel, specs, prints, shown]} />
          {receipt ? (
            <ReceiptPage key={receipt} id={receipt} production={id} reel={reelID} />
          ) : printID ? (
            shown.data && <PrintReport print={shown.data} production={id} current={view?.revision} onRemove={() => setRemoving(true)} />
          ) : !view ? null : !spec && !asIs ? (
            <div className="flex h-full flex-col items-center justify-center gap-3 px-8 text-center">
              <h1 className="text-xl font-bold">What does the receiver ask for?</h1>
              <p className="max-w-md text-muted">
                A delivery spec says which output channels there are, what feeds them, and how the files are named. Choose one to see what
                would be written. A reel that has output groups of its own is printed without one too.
              </p>
              <button className="pill-act" onClick={() => setChoosing(true)}>
                Choose a delivery spec
              </button>
            </div>
          ) : (
            plan.data && (
              <PlanPage
                plan={plan.data}
                busy={start.isPending || plan.isPlaceholderData}
                onPrint={() => start.mutate(undefined)}
                onWish={(w) => setWish({ ...wish, ...w })}
                onDo={(c) => void doIt(c)}
              />
            )
          )}
          {plan.error && !printID && !receipt && <p className="p-8 text-wrong">{plan.error.message}</p>}
        </main>
      </div>
      <Removal
        open={removing}
        onOpenChange={setRemoving}
        title="Remove this print"
        about="Its files and its report go from the server. What was downloaded stays, and so does the reel."
        onRemove={() => (setRemoving(false), remove.mutate(undefined))}
      />
      <SpecDialog
        production={id}
        open={choosing}
        onOpenChange={setChoosing}
        chosen={view?.head.spec ?? ""}
        edit={(spec) => `/p/${id}/print/${reelID}/spec/${spec}`}
        onChoose={(s) => {
          setChoosing(false);
          void ask((yes) => edits.spec(s, yes));
        }}
      />
      {dialog}
    </div>
  );
}

function PrintState({ print: p }: { print: ListedPrint }) {
  if (p.state === "done" && p.passed)
    return <CheckCircle2 size={15} className="shrink-0" aria-label="passed" style={{ color: "var(--dye-FX)" }} />;
  if (p.state === "done" || p.state === "failed")
    return <XCircle size={15} className="shrink-0 text-wrong" aria-label={p.state === "done" ? "found wanting" : "failed"} />;
  return <Circle size={15} className="shrink-0 text-muted" aria-label={p.state} />;
}
