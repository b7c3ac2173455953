import { Upload } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { api, ok, Problem, type Receipt } from "../../api/client";
import { useDo } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { takenIn } from "../../shell/dropped";
import { sendWhole } from "../../shell/uploads";
import { Dialog } from "../../ui/dialog";
import { tell } from "../../ui/notices";

/** Waits for work to end, and gives it; what failed is thrown in plain words. */
async function ended(ids: string[]) {
  for (;;) {
    const now = await Promise.all(ids.map((work) => ok(api.GET("/work/{work}", { params: { path: { work } } }))));
    const bad = now.find((w) => w.state === "failed" || w.state === "cancelled");
    if (bad) throw new Problem(`${bad.title} could not be done: ${bad.message}`, "");
    if (now.every((w) => w.state === "done")) return now;
    await new Promise((r) => setTimeout(r, 500));
  }
}

/** Brings the files in as takes, those that are not there yet, and makes a reel of them. */
async function loaded(receipt: Receipt, name: string) {
  const path = { params: { path: { receipt: receipt.id } } };
  await ended((await ok(api.POST("/receipts/{receipt}/takes", path))).work);
  return ok(api.POST("/receipts/{receipt}/reel", { ...path, body: { name } }));
}

/** Whether a component is still on the page, for what takes long. */
function useHere() {
  const here = useRef(true);
  useEffect(() => {
    here.current = true;
    // biome-ignore lint/suspicious/noAssignInExpressions: it is meant so
    return () => void (here.current = false);
  }, []);
  return here;
}

/** The group that a file is called after; empty where it is after none. */
export const calledAfter = (file: string, groups: { id: string; name: string }[]) => {
  const bare = (s: string) => s.toLowerCase().replace(/[^a-z0-9]/g, "");
  const named = groups.filter((g) => bare(file).includes(bare(g.name)) || bare(file).includes(bare(g.id)));
  return named.sort((a, b) => b.name.length - a.name.length)[0]?.id ?? "";
};

/** Loads the delivery as a reel in which one part has other sound, ready to be printed. */
export function Revise({ receipt, production }: { receipt: Receipt; production: string }) {
  const go = useNavigate();
  const here = useHere();
  const groups = [...new Map(receipt.receipt?.places?.map((p) => [p.group, { id: p.group, name: p.name }])).values()];
  const [open, setOpen] = useState(false);
  const [file, setFile] = useState<File>();
  const [group, setGroup] = useState("");
  const choose = (f: File | undefined) => {
    setFile(f);
    if (f) setGroup(calledAfter(f.name, groups));
  };
  const revise = useDo(
    async () => {
      const [take] = await ended([await sendWhole(production, file!)]);
      const reel = await loaded(receipt, `${receipt.name}, revised`);
      const body = { group, take: take!.result! };
      const { work } = await ok(api.POST("/reels/{reel}/revision", { params: { path: { reel: reel.id } }, body }));
      const [done] = await ended([work]);
      return { reel: reel.id, message: done!.message };
    },
    [keysOf.reels(production), keysOf.takes(production)],
    ({ reel, message }) => {
      tell(`${message}.`);
      if (here.current) void go(`/p/${production}/print/${reel}`); // whoever has gone elsewhere is not taken away from there
    },
  );
  return (
    <>
      <button className="pill" onClick={() => setOpen(true)}>
        Revise a part…
      </button>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title="Revise a part"
        about={
          "Other sound takes the place of one part, of any number of channels: where it belongs, by its sound or its time stamp, " +
          "and as loud as what it replaces. Picture, names, start and all other parts stay as they are."
        }
      >
        <label
          className="flex cursor-pointer items-center justify-center gap-3 rounded-xl border-2 border-dashed border-line px-4 py-5 hover:border-muted"
          onDragOver={(e) => e.preventDefault()}
          onDrop={(e) => {
            e.preventDefault();
            choose(e.dataTransfer.files[0]);
          }}
        >
          <Upload size={20} className="text-muted" aria-hidden />
          <span>{file ? <b>{file.name}</b> : "Drop the new sound here, or press to choose it"}</span>
          <input
            type="file"
            className="sr-only"
            aria-label="The new sound"
            accept={[...takenIn, "audio/*", "video/*"].join()}
            onChange={(e) => choose(e.target.files?.[0])}
          />
        </label>
        <label className="mt-4 flex flex-col gap-1 text-[13px] text-muted">
          Takes the place of
          <select className="field" value={group} disabled={!file} onChange={(e) => setGroup(e.target.value)}>
            {!group && <option value="">{file ? "Choose the part" : "Choose the sound first"}</option>}
            {groups.map((g) => (
              <option key={g.id} value={g.id}>
                {g.name}
              </option>
            ))}
          </select>
        </label>
        <button className="pill-act mt-4" disabled={revise.isPending || !file || !group} onClick={() => revise.mutate(undefined)}>
          {revise.isPending ? "Replacing it…" : "Replace it"}
        </button>
      </Dialog>
    </>
  );
}

/** Makes a reel of the delivery. */
export function LoadAgain({ receipt, production }: { receipt: Receipt; production: string }) {
  const go = useNavigate();
  const here = useHere();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(receipt.name);
  const load = useDo(
    () => loaded(receipt, name),
    [keysOf.reels(production), keysOf.takes(production)],
    (made) => {
      if (here.current) void go(`/p/${production}/loom/${made.id}`);
      else tell(`${name} is a reel now.`); // whoever has gone elsewhere is not taken away from there
    },
  );
  return (
    <>
      <button className="pill" onClick={() => setOpen(true)}>
        Load as a reel…
      </button>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title="Load as a reel"
        about={
          "The files come in as takes. The reel has a track for each group, with knots to its outputs as they were, " +
          "so that one thing can be changed and the rest printed again as it is."
        }
      >
        <label className="flex flex-col gap-1 text-[13px] text-muted">
          Name of the reel
          <input className="field" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        <button className="pill-act mt-4" disabled={load.isPending || name.trim() === ""} onClick={() => load.mutate(undefined)}>
          {load.isPending ? "Bringing the files in…" : "Make the reel"}
        </button>
      </Dialog>
    </>
  );
}
