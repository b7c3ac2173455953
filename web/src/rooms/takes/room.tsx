import { Upload } from "lucide-react";
import { useMemo, useState } from "react";
import { useNavigate, useParams } from "react-router";

import { api, ok, type Take } from "../../api/client";
import { keysOf, useDo, useProduction, useTakes } from "../../api/hooks";
import { player, usePlayer } from "../../listen/player";
import { Header } from "../../ui/header";
import { useActions } from "../../ui/keys";
import { TakeBoard } from "./board";
import { BringIn } from "./bringin";
import { TakeList } from "./list";
import { useUploads } from "./uploads";
import { WorkPanel } from "./work";

/** Takes: what was received, and what is on each channel? */
export function TakesRoom() {
  const { production: id = "", take: takeID } = useParams();
  const go = useNavigate();
  const production = useProduction(id);
  const takes = useTakes(id);
  const uploads = useUploads(id);
  const [bringing, setBringing] = useState(false);
  const [over, setOver] = useState(false);
  const again = [keysOf.takes(id)];
  const path = { params: { path: { production: id } } };
  const undo = useDo(() => ok(api.POST("/productions/{production}/takes/undo", path)), again);
  const redo = useDo(() => ok(api.POST("/productions/{production}/takes/redo", path)), again);
  const list = takes.data?.takes;
  const shown = useMemo(() => list?.find((t) => t.id === takeID) ?? list?.[0], [list, takeID]);
  const playing = usePlayer((s) => s.playing);
  const choose = (t: Take) => void go(`/p/${id}/takes/${t.id}`, { replace: true });
  useActions({ play: () => (playing ? player.stop() : shown && void player.playTake(shown.id, firstIso(shown), 0)) });

  if (production.error) {
    return (
      <div className="flex h-full flex-col">
        <Header />
        <p className="p-10 text-wrong">{production.error.message}</p>
      </div>
    );
  }
  return (
    <div
      className="relative flex h-full flex-col"
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes("Files")) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={(e) => e.currentTarget.contains(e.relatedTarget as Node) || setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        uploads.add([...e.dataTransfer.files]);
      }}
    >
      <Header
        production={production.data}
        history={takes.data && { undo: takes.data.undo, redo: takes.data.redo, onUndo: () => undo.mutate(undefined), onRedo: () => redo.mutate(undefined) }}
      />
      <div className="flex min-h-0 grow">
        <aside className="flex w-[400px] shrink-0 flex-col border-r border-line">
          <TakeList takes={list} shown={shown?.id} onChoose={choose} onBringIn={() => setBringing(true)} />
          <WorkPanel production={id} uploads={uploads} />
        </aside>
        <main className="min-w-0 grow">
          {shown && <TakeBoard key={shown.id} take={shown} />}
          {list?.length === 0 && (
            <div className="flex h-full flex-col items-center justify-center gap-3 text-center">
              <Upload size={36} className="text-muted" />
              <h2 className="text-xl font-bold">No takes yet</h2>
              <p className="max-w-md text-muted">Drop recorder files anywhere on this page, or take them from a card that is plugged into the server. Polyphonic WAVE and RF64 files come in whole, with their names and timecode.</p>
              <button className="pill-act" onClick={() => setBringing(true)}>
                Bring in takes…
              </button>
            </div>
          )}
        </main>
      </div>
      <BringIn production={id} open={bringing} onOpenChange={setBringing} onFiles={uploads.add} />
      {over && (
        <div className="pointer-events-none absolute inset-3 z-30 flex items-center justify-center rounded-2xl border-2 border-dashed border-zest bg-ground/85 text-xl font-bold">
          Let go to bring the files into {production.data?.name}
        </div>
      )}
    </div>
  );
}

/** The first channel (from 0) that is one microphone. */
function firstIso(t: Take): number[] {
  const i = t.channels.findIndex((c) => c.use !== "mix" && !c.empty);
  return t.channels.length === 2 && t.kind !== "recording" ? [0, 1] : [Math.max(0, i)];
}
