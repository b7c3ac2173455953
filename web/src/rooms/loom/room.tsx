import { useMemo } from "react";
import { useLocation, useParams } from "react-router";

import type { ReelView } from "../../api/client";
import { useProduction, useReel, useReelEdits } from "../../api/hooks";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { Loom, told } from "./loom";
import { useAllBut, useParts } from "../../ui/parts";
import { ReelMenu } from "./reels/reels";
import { loomStore, LoomState } from "./ground/state";

/** The Loom: what plays when, and where does it go? */
export function LoomRoom() {
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
        reelMenu={view && <Menu view={view} edits={edits} />}
        history={view && { undo: view.undo, redo: view.redo, onUndo: () => void edits.undo(), onRedo: () => void edits.redo() }}
      />
      <main className="flex min-h-0 grow flex-col">
        <h1 className="sr-only">{view ? `The Loom: ${view.name}` : "The Loom"}</h1>
        <Missing of={[production, known]} />
        {view && <OpenReel key={view.id} view={view} edits={edits} />}
      </main>
    </div>
  );
}

/** The menu of reels, which is as it is whatever is edited. */
function Menu({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  return <ReelMenu view={useParts(view, "id", "production", "name", "head")} edits={edits} />;
}

/** A reel with a store of its own for what is chosen, heard and shown of it. */
function OpenReel({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  const at = (useLocation().state as { at?: number } | null)?.at; // where what was laid just now begins
  // biome-ignore lint/correctness/useExhaustiveDependencies: one for each reel, not for each of its revisions
  const store = useMemo(() => loomStore(view, at), [view.id]);
  const drawn = useAllBut(view, ...told);
  return (
    <LoomState value={store}>
      <Loom view={drawn} edits={edits} />
    </LoomState>
  );
}
