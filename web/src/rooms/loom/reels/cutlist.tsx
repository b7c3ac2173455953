import { useQuery } from "@tanstack/react-query";
import { FileText } from "lucide-react";
import { useRef, useState } from "react";

import { api, ok, type CutListEntry, type CutListReading, type ReelView } from "../../../api/client";
import { useDo, useReelEdits } from "../../../api/hooks";
import { Dialog } from "../../../ui/dialog";
import { tell, tellError } from "../../../ui/notices";
import { duration, labelAt } from "../../../ui/timecode";

/** What was read of a list, before anything is done with it. */
type Read = { name: string; text: string; revision: number; reading: CutListReading };

/** Reads cut lists for a reel and shows what they find and change. */
export function CutListDialog({ view, onClose }: { view: ReelView; onClose: () => void }) {
  const { sampleRate, frameRate } = view.head;
  const edits = useReelEdits(view.id);
  const [read, setRead] = useState<Read | null>(null);
  const picker = useRef<HTMLInputElement>(null);
  const follows = useQuery({
    queryKey: ["cut list", view.id, view.head.cutList],
    enabled: Boolean(view.head.cutList),
    queryFn: () => ok(api.GET("/reels/{reel}/cutlist", { params: { path: { reel: view.id } } })),
  });
  const open = useDo(async (file: File) => {
    const text = await file.text();
    const revision = view.revision;
    const reading = await ok(
      api.POST("/reels/{reel}/cutlist/read", { params: { path: { reel: view.id } }, body: { revision, name: file.name, text } }),
    );
    setRead({ name: file.name, text, revision, reading });
  }, []);
  const follow = async () => {
    if (!read) return;
    const now = await edits.cutList(read.name, read.text, read.revision);
    if (!now) return;
    const missing = read.reading.entries.filter((e) => !e.found.take).length;
    tell(
      missing > 0
        ? `Laid. ${missing === 1 ? "1 event has" : `${missing} events have`} no take here; the reel’s cut list names them.`
        : "Laid. Undo takes all of it back.",
    );
    onClose();
  };
  const shown = read?.reading ?? follows.data;
  const changed = read?.reading.differences.filter((d) => d.kind !== "same") ?? [];
  const found = shown?.entries.filter((e) => e.found.take).length ?? 0;
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title={`Cut list of ${view.name}`}
      about={
        "A cut list says which take lies where. Read one to lay its takes out; read a changed one, and the work that is done is " +
        "conformed to it: it moves with the picture."
      }
      wide
    >
      <input
        ref={picker}
        type="file"
        className="hidden"
        accept=".edl,.otio,.txt,.json"
        aria-label="Cut list file"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) open.mutate(file);
        }}
      />
      <div className="flex flex-wrap items-center gap-3 pb-3">
        <button className={read ? "pill" : "pill-act"} disabled={open.isPending} onClick={() => picker.current?.click()}>
          <FileText size={14} /> {open.isPending ? "Reading…" : read || shown ? "Read another list…" : "Read a cut list…"}
        </button>
        {read && (
          <button
            className="pill-act"
            disabled={changed.length === 0 && read.reading.differences.length > 0}
            onClick={() => void follow().catch(tellError)}
          >
            {read.reading.differences.length > 0
              ? changed.length === 0
                ? "Nothing has changed"
                : "Conform the work to this cut"
              : `Lay out ${found === 1 ? "1 take" : `${found} takes`}`}
          </button>
        )}
        <span className="text-[13px] text-muted">CMX 3600 (.edl) or OpenTimelineIO (.otio)</span>
      </div>
      {shown && (
        <>
          <p className="border-t border-line py-2">
            <b className="font-semibold">{shown.title || read?.name || follows.data?.name}</b> {read ? "" : "is what this reel follows. "}
            <span className={found < shown.entries.length ? "text-wrong" : "text-muted"}>
              {found} of {shown.entries.length} events found among the takes.
            </span>{" "}
            {shown.by !== 0 && (
              <span className="text-muted">
                Its timecode begins at another hour than the reel's: everything is moved {duration(Math.abs(shown.by), sampleRate)}{" "}
                {shown.by > 0 ? "later" : "earlier"}.
              </span>
            )}
          </p>
          {changed.length > 0 && (
            <section aria-label="What changes" className="mb-3">
              <h3 className="py-1 text-[13px] font-semibold">What changes</h3>
              <ul>
                {changed.map((d, i) => (
                  <li key={i} className="flex gap-3 border-b border-line py-1 text-[13px]">
                    <span className="tc w-24 shrink-0">{labelAt(d.from, sampleRate, frameRate)}</span>
                    <b className="w-40 shrink-0 truncate font-semibold">{d.title}</b>
                    <span className={d.kind === "gone" ? "text-wrong" : ""}>{d.words}</span>
                  </li>
                ))}
              </ul>
            </section>
          )}
          <table className="w-full table-fixed text-[13px]">
            <thead className="text-left text-muted">
              <tr>
                <th className="w-24 py-1 font-normal">In the reel</th>
                <th className="w-14 py-1 font-normal">Lasts</th>
                <th className="w-44 py-1 font-normal">Asked for</th>
                <th className="py-1 font-normal">Found</th>
              </tr>
            </thead>
            <tbody>
              {[...shown.entries]
                .sort((a, b) => Number(Boolean(a.found.take)) - Number(Boolean(b.found.take)) || a.from - b.from)
                .map((e) => (
                  <Row key={e.id} entry={e} view={view} />
                ))}
            </tbody>
          </table>
          {shown.notes.length > 0 && (
            <details className="mt-2 text-[13px] text-muted">
              <summary className="cursor-pointer">
                {shown.notes.length === 1
                  ? "1 line of the list could not be read"
                  : `${shown.notes.length} lines of the list could not be read`}
              </summary>
              <ul>
                {shown.notes.map((n) => (
                  <li key={n}>{n}</li>
                ))}
              </ul>
            </details>
          )}
        </>
      )}
    </Dialog>
  );
}

function Row({ entry: e, view }: { entry: CutListEntry; view: ReelView }) {
  const { sampleRate, frameRate } = view.head;
  const asked = [e.roll, e.name || (e.scene && `${e.scene}/${e.take}`) || e.file].filter(Boolean).join(" ") || `event ${e.id}`;
  return (
    <tr className="border-t border-line align-top">
      <td className="tc py-1">{labelAt(e.from, sampleRate, frameRate)}</td>
      <td className="tc py-1">{duration(e.to - e.from, sampleRate)}</td>
      <td className="truncate py-1 pr-2" title={asked}>
        {asked}
      </td>
      <td className="py-1">
        {e.found.take ? (
          <>
            <b className="font-semibold">{e.found.title}</b> <span className="text-muted">by {e.found.by}</span>
            {e.found.why && <span className="text-wrong"> · {e.found.why}</span>}
          </>
        ) : (
          <span className="text-wrong">{e.found.why}</span>
        )}
      </td>
    </tr>
  );
}
