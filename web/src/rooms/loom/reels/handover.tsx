import { useQueryClient } from "@tanstack/react-query";
import { FileInput } from "lucide-react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import { api, base, ok, type ReelView } from "../../../api/client";
import { isOpen, useDo, useWork } from "../../../api/hooks";
import { keysOf } from "../../../api/keys";
import { Dialog } from "../../../ui/dialog";
import { tell } from "../../../ui/notices";

/** Hands the reel over to whoever carries on with it: lists, sound, sums and a paper in one folder. */
export function HandOverDialog({ view, onClose }: { view: ReelView; onClose: () => void }) {
  const queries = useQueryClient();
  const [id, setID] = useState("");
  const [cut, setCut] = useState(false);
  const [seconds, setSeconds] = useState("2");
  const [tracks, setTracks] = useState(false);
  const work = useWork(view.production).data?.find((w) => w.id === id);
  const handle = Number(seconds.replace(",", "."));
  const write = useDo(
    () =>
      ok(
        api.POST("/reels/{reel}/handover", {
          params: { path: { reel: view.id } },
          body: { ...(cut && { handle }), ...(tracks && { tracks }) },
        }),
      ),
    [keysOf.work(view.production)],
    (w) => {
      setID(w.work);
      void queries.invalidateQueries({ queryKey: keysOf.work(view.production) });
    },
  );
  const wrong = cut && !(handle >= 0 && handle <= 600);
  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title={`Hand over ${view.name}`}
      about="For whoever mixes it or carries on elsewhere. Here, it is read again as the same reel: under New reel."
    >
      <div className="flex flex-col gap-4">
        <fieldset className="flex flex-col gap-1.5">
          <legend className="pb-1 text-[13px] font-semibold">Its sound</legend>
          <label className="flex items-center gap-2">
            <input type="radio" name="media" className="accent-act" checked={!cut} onChange={() => setCut(false)} /> Its takes, whole
          </label>
          <label className="flex items-center gap-2">
            <input type="radio" name="media" className="accent-act" checked={cut} onChange={() => setCut(true)} /> What is used of them, and
            <input
              className="field tc w-14 text-right"
              aria-label="Seconds before and after"
              value={seconds}
              disabled={!cut}
              onChange={(e) => setSeconds(e.target.value)}
            />
            seconds before and after
          </label>
          <label className="flex items-start gap-2 pt-1">
            <input type="checkbox" className="mt-1 accent-act" checked={tracks} onChange={(e) => setTracks(e.target.checked)} />
            <span>
              Each track besides, as one file as long as the reel{" "}
              <span className="block text-[13px] text-muted">With its clips’ edits, fades and gains; without its own level and place.</span>
            </span>
          </label>
        </fieldset>
        <section className="text-[13px] text-muted" aria-label="What is written">
          <b className="font-semibold text-ink">OpenTimelineIO</b> with all of the reel in it,{" "}
          <b className="font-semibold text-ink">AES31-3</b>, <b className="font-semibold text-ink">CMX 3600</b>, a{" "}
          <b className="font-semibold text-ink">table</b> of all clips, the sums of all files, and a paper that says what each list could
          not carry.
        </section>
        {wrong && <p className="text-[13px] text-wrong">Between 0 and 600 seconds before and after.</p>}
        {view.clips.length === 0 && <p className="text-[13px] text-wrong">Nothing lies on this reel yet.</p>}
        <button
          className="pill-act self-start"
          disabled={wrong || view.clips.length === 0 || write.isPending || (work && isOpen(work))}
          onClick={() => write.mutate(undefined)}
        >
          Write it
        </button>
        {work && (
          <p className="text-[13px]" role="status">
            {isOpen(work) && `Writing… ${Math.round(work.progress * 100)}%`}
            {work.state === "failed" && <span className="text-wrong">{work.message}</span>}
            {work.state === "done" && (
              <>
                <a className="font-semibold underline" href={`${base}/work/${work.id}/archive`} download>
                  Save it all as a ZIP
                </a>{" "}
                <span className="text-muted">{work.message}</span>
              </>
            )}
          </p>
        )}
      </div>
    </Dialog>
  );
}

/** Makes a reel of one that was handed over. */
export function ReadHandedOver({ production, onMade }: { production: string; onMade?: () => void }) {
  const go = useNavigate();
  const picker = useRef<HTMLInputElement>(null);
  const read = useDo(
    async (file: File) =>
      ok(
        api.POST("/productions/{production}/handedover", {
          params: { path: { production } },
          body: { name: "", text: await file.text() },
        }),
      ),
    [keysOf.reels(production)],
    (made) => {
      tell(made.notes.length > 0 ? `Read. ${made.notes.join(". ")}.` : "Read: it is as it was handed over.");
      onMade?.();
      void go(`/p/${production}/loom/${made.id}`);
    },
  );
  return (
    <>
      <input
        ref={picker}
        type="file"
        className="hidden"
        accept=".otio,.json"
        aria-label="Reel that was handed over"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) read.mutate(file);
        }}
      />
      <button type="button" className="pill" disabled={read.isPending} onClick={() => picker.current?.click()}>
        <FileInput size={14} /> {read.isPending ? "Reading…" : "Read one that was handed over…"}
      </button>
    </>
  );
}
