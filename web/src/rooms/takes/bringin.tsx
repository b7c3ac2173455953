import { useQuery } from "@tanstack/react-query";
import { ChevronRight, Folder, Upload } from "lucide-react";
import { useEffect, useRef, useState } from "react";

import { api, ok, type CardEntry } from "../../api/client";
import { useDo } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { type Dropped, fromFolder, takenIn } from "../../shell/dropped";
import { Dialog } from "../../ui/dialog";

/** Where files come in: from this computer, or from a card on the server. */
export function BringIn(p: { production: string; open: boolean; onOpenChange: (open: boolean) => void; onBring: (d: Dropped) => void }) {
  const cards = useQuery({ queryKey: ["cards"], enabled: p.open, queryFn: () => ok(api.GET("/cards")) });
  const [card, setCard] = useState("");
  const chosen = card || cards.data?.[0] || "";
  return (
    <Dialog
      open={p.open}
      onOpenChange={p.onOpenChange}
      title="Bring in takes"
      about="Files are copied; what is on the card or your disk is never changed."
      wide
    >
      <label className="mb-5 flex cursor-pointer items-center justify-center gap-3 rounded-xl border-2 border-dashed border-line px-4 py-5 hover:border-muted">
        <Upload size={20} className="text-muted" />
        <span>
          <b>From this computer:</b> drop files here or anywhere in the room, or press to choose
        </span>
        <input
          type="file"
          multiple
          className="sr-only"
          accept={[...takenIn, "audio/*", "video/*"].join()}
          onChange={(e) => {
            p.onBring({ files: [...(e.target.files ?? [])], left: 0, unread: 0 });
            e.target.value = "";
            p.onOpenChange(false);
          }}
          onDrop={(e) => e.stopPropagation()}
        />
      </label>
      <p className="-mt-3 mb-5 text-center text-[13px] text-muted">
        A whole card, with its folders?{" "}
        <label className="cursor-pointer font-semibold text-ink underline focus-within:outline-2">
          Choose its folder
          <input
            type="file"
            multiple
            className="sr-only"
            ref={(el) => el?.setAttribute("webkitdirectory", "")}
            onChange={(e) => {
              p.onBring(fromFolder([...(e.target.files ?? [])]));
              e.target.value = "";
              p.onOpenChange(false);
            }}
          />
        </label>
        , or drop it in the room.
      </p>
      {cards.data?.length === 0 && (
        <p className="text-muted">No card is set up on this server. Whoever runs it can add one: --card NAME=FOLDER.</p>
      )}
      {cards.data && cards.data.length > 0 && (
        <>
          <div className="mb-2 flex items-center gap-2">
            <b className="mr-1">From the server:</b>
            {cards.data.map((c) => (
              <button
                key={c}
                className={`pill ${c === chosen ? "border-ink font-semibold" : ""}`}
                aria-pressed={c === chosen}
                onClick={() => setCard(c)}
              >
                {c}
              </button>
            ))}
          </div>
          {chosen && <CardFiles key={chosen} card={chosen} production={p.production} onDone={() => p.onOpenChange(false)} />}
        </>
      )}
    </Dialog>
  );
}

function size(bytes: number) {
  return bytes > 1e9 ? `${(bytes / 1e9).toFixed(2)} GB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

function CardFiles({ card, production, onDone }: { card: string; production: string; onDone: () => void }) {
  const [folder, setFolder] = useState("");
  const [marked, setMarked] = useState<Set<string>>(new Set());
  const list = useQuery({
    queryKey: ["card", card, folder],
    queryFn: () => ok(api.GET("/cards/{card}/files", { params: { path: { card }, query: { folder } } })),
  });
  const bring = useDo(
    (paths: string[]) => ok(api.POST("/productions/{production}/imports", { params: { path: { production } }, body: { card, paths } })),
    [keysOf.work(production)],
    onDone,
  );
  const files = list.data?.filter((e) => !e.folder) ?? [];
  const steps = folder.split("/").filter(Boolean);
  const mark = (e: CardEntry) => {
    const next = new Set(marked);
    if (!next.delete(e.path)) next.add(e.path);
    setMarked(next);
  };
  const entries = useRef<HTMLDivElement>(null);
  const there = list.data !== undefined;
  // Who has opened something goes on in it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: with each folder
  useEffect(() => entries.current?.querySelector<HTMLElement>("button, input")?.focus(), [folder, there]);
  const all = files.length > 0 && files.every((f) => marked.has(f.path));
  return (
    <div className="rounded-lg border border-line">
      <div className="flex items-center gap-1 border-b border-line px-3 py-2 text-[13px]">
        <button className="cursor-pointer font-semibold hover:underline" onClick={() => setFolder("")}>
          {card}
        </button>
        {steps.map((s, i) => (
          <span key={i} className="flex items-center gap-1">
            <ChevronRight size={14} className="text-muted" />
            <button className="cursor-pointer hover:underline" onClick={() => setFolder(steps.slice(0, i + 1).join("/"))}>
              {s}
            </button>
          </span>
        ))}
        {files.length > 0 && (
          <label className="ml-auto flex cursor-pointer items-center gap-2">
            <input
              type="checkbox"
              checked={all}
              onChange={() => setMarked(new Set(all ? [] : [...marked, ...files.map((f) => f.path)]))}
              className="accent-act"
            />
            all {files.length} files
          </label>
        )}
      </div>
      <div ref={entries} className="max-h-64 overflow-auto">
        {list.error && <p className="px-3 py-4 text-wrong">{list.error.message}</p>}
        {list.data?.length === 0 && <p className="px-3 py-4 text-muted">There is nothing here that can be taken in.</p>}
        {list.data?.map((e) =>
          e.folder ? (
            <button
              key={e.path}
              className="flex w-full cursor-pointer items-center gap-2.5 border-b border-line px-3 py-2 text-left last:border-0 hover:bg-band"
              onClick={() => setFolder(e.path)}
            >
              <Folder size={16} className="text-muted" /> {e.name}
            </button>
          ) : (
            <label
              key={e.path}
              className="flex cursor-pointer items-center gap-2.5 border-b border-line px-3 py-2 last:border-0 hover:bg-band"
            >
              <input type="checkbox" checked={marked.has(e.path)} onChange={() => mark(e)} className="accent-act" />
              <span className="grow truncate">{e.name}</span>
              <span className="tc text-[13px] text-muted">{size(e.size)}</span>
            </label>
          ),
        )}
      </div>
      <div className="flex justify-end border-t border-line px-3 py-2.5">
        <button className="pill-act" disabled={marked.size === 0 || bring.isPending} onClick={() => bring.mutate([...marked])}>
          {marked.size === 0 ? "Mark files to bring in" : marked.size === 1 ? "Bring in 1 file" : `Bring in ${marked.size} files`}
        </button>
      </div>
    </div>
  );
}
