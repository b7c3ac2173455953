import { MoreHorizontal, Upload } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useMemo, useRef, useState } from "react";
import { useNavigate, useParams } from "react-router";

import { base, sendText, type Take } from "../../api/client";
import { useDo, useProduction, useTakeHistory, useTakes, useTakesEdit, useWork } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { player, usePlayer } from "../../listen/player";
import { Header } from "../../shell/header";
import { Missing } from "../../ui/missing";
import { useActions } from "../../ui/keys";
import { tell } from "../../ui/notices";
import { TakeBoard } from "./board";
import { BringIn } from "./bringin";
import { TakeList, takeOf } from "./list";
import { SeveralTakes } from "./several";
import { StemsDialog } from "./stems";
import { droppedWords, entriesOf, readDropped, type Dropped } from "../../shell/dropped";
import { uploads } from "../../shell/uploads";
import { WorkPanel } from "../../shell/work";
import { many } from "../../ui/words";
import { chosenOf, Gone } from "../../ui/chosen";
import { back } from "../../ui/focus";

/** Takes: what was received, and what is on each channel? */
export function TakesRoom() {
  const { production: id = "", take: takeID } = useParams();
  const go = useNavigate();
  const production = useProduction(id);
  const takes = useTakes(id);
  const bring = (d: Dropped) => {
    uploads.add(
      id,
      d.files,
      work.data?.filter((w) => w.state === "arriving"),
    );
    const words = droppedWords(d);
    if (words) tell(words, d.files.length === 0);
  };
  const work = useWork(id);
  const [bringing, setBringing] = useState(false);
  const [over, setOver] = useState(false);
  const history = useTakeHistory(id);
  const list = takes.data?.takes;
  const { it: shown, gone } = useMemo(() => chosenOf(list, takeID, (id, all) => takeOf(all, id)), [list, takeID]);
  const playing = usePlayer((s) => s.playing);
  const [several, setSeveral] = useState<string[]>([]);
  const chosen = useMemo(() => {
    const there = several.filter((s) => list?.some((t) => t.id === s));
    return new Set(there.length > 1 && shown && there.includes(shown.id) ? there : shown ? [shown.id] : []);
  }, [several, list, shown]);
  const choose = (open: string, all: string[]) => {
    setSeveral(all);
    void go(`/p/${id}/takes/${open}`, { replace: true });
  };
  const edit = useTakesEdit(id);
  useActions({
    "bring-in": () => setBringing(true),
    play: () => (playing ? player.stop() : shown && shown.channels.length > 0 && void player.playTake(shown.id, firstIso(shown), 0)),
    circle: () => chosen.size === 1 && shown && edit.mutate({ take: shown.id, edit: { slate: { circled: !shown.description.circled } } }),
  });

  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: what has the focus, and the keys, is another element
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
        void readDropped(entriesOf(e.dataTransfer)).then(bring);
      }}
    >
      <Header production={production.data} history={history} />
      <div className="flex min-h-0 grow max-[900px]:flex-col max-[900px]:overflow-auto">
        <aside className="flex w-[400px] shrink-0 flex-col border-r border-line max-[900px]:h-72 max-[900px]:w-full max-[900px]:border-b">
          <TakeList takes={list} shown={shown?.id} chosen={chosen} onChoose={choose} onBringIn={() => setBringing(true)}>
            <RoomMenu production={id} />
          </TakeList>
          <WorkPanel production={id} />
        </aside>
        <main className="min-w-0 grow max-[900px]:grow-0">
          <Missing of={[production, takes]} />
          {shown && chosen.size === 1 && <TakeBoard key={shown.id} take={shown} />}
          {chosen.size > 1 && <SeveralTakes takes={list!.filter((t) => chosen.has(t.id))} production={id} onShow={(t) => choose(t, [t])} />}
          {gone && list!.length > 0 && <Gone what="This take" on="Show the first take" onOn={() => choose(list![0]!.id, [list![0]!.id])} />}
          {list?.length === 0 && (
            <div className="flex h-full flex-col items-center justify-center gap-3 text-center">
              <Upload size={36} className="text-muted" />
              <h2 className="text-xl font-bold">No takes yet</h2>
              <p className="max-w-md text-muted">
                Drop recorder files anywhere on this page, or take them from a card that is plugged into the server. WAVE, AIFF and FLAC
                files and camera movies come in with their names and timecode; files that were recorded together become one take.
              </p>
              <button className="pill-act" onClick={() => setBringing(true)}>
                Bring in takes…
              </button>
            </div>
          )}
        </main>
      </div>
      <BringIn production={id} open={bringing} onOpenChange={setBringing} onBring={bring} />
      {over && (
        <div
          className="pointer-events-none absolute inset-3 z-30 flex items-center justify-center rounded-2xl border-2 border-dashed
          border-zest bg-ground/85 text-xl font-bold"
        >
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

/** Lines of a report that are about no take, in words. */
function missed(missing: string[]): string {
  if (missing.length === 0) return "";
  const more = missing.length > 5 ? ` and ${missing.length - 5} more` : "";
  return ` No take here is ${missing.slice(0, 5).join(", ")}${more}.`;
}

/** What is done with all takes at once: the sound report, stems and rules. */
function RoomMenu({ production }: { production: string }) {
  const file = useRef<HTMLInputElement>(null);
  const [stems, setStems] = useState(false);
  useActions({ stems: () => setStems(true), report: () => file.current?.click() });
  const read = useDo(
    async (report: File) => {
      type Filled = { changed: number; missing: string[] };
      return sendText<Filled>(`/productions/${production}/report`, "text/csv", await report.text());
    },
    [keysOf.takes(production)],
    ({ changed, missing }) => tell(`${many(changed, "take")} filled from the report.${missed(missing)}`),
  );
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="pill px-2" aria-label="For all takes: sound report, stems and rules">
          <MoreHorizontal size={15} />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4}>
            <DropdownMenu.Item className="menu-item" onSelect={() => file.current?.click()}>
              Fill takes from a sound report (CSV)…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" asChild>
              <a href={`${base}/productions/${production}/report`} download="Sound report.csv">
                Write a sound report (CSV)
              </a>
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item border-t border-line" onSelect={() => setStems(true)}>
              Stems, strands and rules…
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <input
        ref={file}
        type="file"
        accept=".csv,.txt,text/csv"
        className="sr-only"
        aria-label="Sound report to read"
        tabIndex={-1}
        onChange={(e) => {
          const report = e.target.files?.[0];
          e.target.value = "";
          if (report) read.mutate(report);
        }}
      />
      <StemsDialog production={production} open={stems} onOpenChange={setStems} />
    </>
  );
}
