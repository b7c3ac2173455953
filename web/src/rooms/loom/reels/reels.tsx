import { ChevronDown } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { memo, useState } from "react";
import { useNavigate } from "react-router";

import { api, ok, type FrameRate, type ReelView } from "../../../api/client";
import { useDo, useReel, useReels, type useReelEdits } from "../../../api/hooks";
import { keysOf } from "../../../api/keys";
import { useCommands } from "../../../ui/commands";
import { Dialog } from "../../../ui/dialog";
import { useActions } from "../../../ui/keys";
import { timecodeRates } from "../../../ui/rates";
import { Removal } from "../../../ui/removal";
import { CutListDialog } from "./cutlist";
import { HandOverDialog, ReadHandedOver } from "./handover";
import { PatternsDialog } from "./patterns";
import { ReelStart } from "./reelstart";
import { back } from "../../../ui/focus";

type Asking = "new" | "remove" | "list" | "hand" | "patterns";

/** What is asked about a reel, as it is now. */
function Asked({
  asking,
  reel,
  edits,
  onClose,
}: {
  asking: Asking;
  reel: string;
  edits: ReturnType<typeof useReelEdits>;
  onClose: () => void;
}) {
  const view = useReel(reel).data;
  if (!view) return null;
  if (asking === "hand") return <HandOverDialog view={view} onClose={onClose} />;
  if (asking === "list") return <CutListDialog view={view} onClose={onClose} />;
  if (asking === "patterns") return <PatternsDialog view={view} edits={edits} onClose={onClose} />;
  return asking === "new" ? <NewReel view={view} onClose={onClose} /> : null;
}

/** The reels of the production: go to one, make one, remove this one. */
export const ReelMenu = memo(function ReelMenu({ view, edits }: { view: ReelView; edits: ReturnType<typeof useReelEdits> }) {
  const reels = useReels(view.production);
  const go = useNavigate();
  const [asking, setAsking] = useState<Asking | null>(null);
  useActions({
    "new-reel": () => setAsking("new"),
    pattern: () => setAsking("patterns"),
    "cut-list": () => setAsking("list"),
    "hand-over": () => setAsking("hand"),
  });
  useCommands(
    (reels.data ?? [])
      .filter((r) => r.id !== view.id)
      .map((r) => ({ name: `Go to ${r.name}`, about: "reel", run: () => void go(`/p/${view.production}/loom/${r.id}`) })),
  );
  const remove = useDo(
    () => ok(api.DELETE("/reels/{reel}", { params: { path: { reel: view.id } } })),
    [keysOf.reels(view.production)],
    () => void go(`/p/${view.production}/loom`),
  );
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger
          className="flex min-w-0 cursor-pointer items-center gap-1 font-semibold text-ink"
          aria-label={`Reel ${view.name}; others`}
        >
          <span className="truncate">{view.name}</span> <ChevronDown size={14} className="shrink-0" />
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={6} align="start">
            {reels.data?.map((r) => (
              <DropdownMenu.Item
                key={r.id}
                className="menu-item"
                disabled={r.id === view.id}
                onSelect={() => void go(`/p/${view.production}/loom/${r.id}`)}
              >
                {r.name}
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Separator className="my-1 h-px bg-line" />
            <DropdownMenu.Item className="menu-item" onSelect={() => setAsking("new")}>
              A new reel…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setAsking("patterns")}>
              Patterns: save this one’s, apply another…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setAsking("list")}>
              Cut list of this reel…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setAsking("hand")}>
              Hand this reel over…
            </DropdownMenu.Item>
            <DropdownMenu.Item className="menu-item" onSelect={() => setAsking("remove")}>
              Remove this reel…
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {asking && <Asked asking={asking} reel={view.id} edits={edits} onClose={() => setAsking(null)} />}
      <Removal
        open={asking === "remove"}
        onOpenChange={() => setAsking(null)}
        title={`Remove ${view.name}`}
        about="Its tracks, edits, history and prints go. Takes stay."
        onRemove={() => remove.mutate(undefined)}
      />
    </>
  );
});

function NewReel({ view, onClose }: { view: ReelView; onClose: () => void }) {
  const { frameRate } = view.head;
  const go = useNavigate();
  const reels = useReels(view.production);
  const [name, setName] = useState(`Reel ${(reels.data?.length ?? 0) + 1}`);
  const [at, setAt] = useState("");
  const [rate, setRate] = useState(JSON.stringify(frameRate));
  const make = useDo(
    () =>
      ok(
        api.POST("/productions/{production}/reels", {
          params: { path: { production: view.production } },
          body: { name, ...(at.trim() && { start: at }), frameRate: JSON.parse(rate) as FrameRate },
        }),
      ),
    [keysOf.reels(view.production)],
    (r) => {
      onClose();
      void go(`/p/${view.production}/loom/${r.id}`);
    },
  );
  return (
    <Dialog open onOpenChange={onClose} title="A new reel" about="Start and frame rate can be changed later, in place.">
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate(undefined);
        }}
      >
        <label className="flex flex-col gap-1 text-[13px] text-muted">
          Name
          <input className="field" value={name} autoFocus onChange={(e) => setName(e.target.value)} required maxLength={100} />
        </label>
        <ReelStart value={at} onChange={setAt} />
        <label className="flex flex-col gap-1 text-[13px] text-muted">
          Frame rate
          <select className="field" value={rate} onChange={(e) => setRate(e.target.value)}>
            {timecodeRates.map(([n, r]) => (
              <option key={n} value={JSON.stringify(r)}>
                {n}
              </option>
            ))}
          </select>
        </label>
        <button className="pill-act" disabled={make.isPending}>
          Make it
        </button>
      </form>
      <div className="mt-4 flex items-center gap-3 border-t border-line pt-3 text-[13px] text-muted">
        <ReadHandedOver production={view.production} onMade={onClose} /> its OpenTimelineIO file (.otio)
      </div>
    </Dialog>
  );
}
