import { useState } from "react";

import { api, ok, type Production } from "../../api/client";
import { useDo } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { Dialog } from "../../ui/dialog";
import { many } from "../../ui/words";

type Asked = { production: Production; onClose: () => void };

export function Rename({ production: p, onClose }: Asked) {
  const [name, setName] = useState(p.name);
  const rename = useDo(
    () => ok(api.PATCH("/productions/{production}", { params: { path: { production: p.id } }, body: { name } })),
    [keysOf.productions, keysOf.production(p.id)],
    onClose,
  );
  return (
    <Dialog open onOpenChange={onClose} title={`Rename ${p.name}`} about="Files that were written already keep the name that they have.">
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          rename.mutate(undefined);
        }}
      >
        <label className="flex grow flex-col gap-1 text-[13px] text-muted">
          Name
          <input className="field" value={name} autoFocus onChange={(e) => setName(e.target.value)} required maxLength={100} />
        </label>
        <button className="pill-act" disabled={!name.trim() || rename.isPending}>
          Rename it
        </button>
      </form>
    </Dialog>
  );
}

/** Asks for the name, as nothing brings a production back. */
export function Remove({ production: p, onClose }: Asked) {
  const [name, setName] = useState("");
  const remove = useDo(
    () => ok(api.DELETE("/productions/{production}", { params: { path: { production: p.id } } })),
    [keysOf.productions],
    onClose,
  );
  return (
    <Dialog
      open
      onOpenChange={onClose}
      title={`Remove ${p.name}`}
      about={
        `${many(p.takes, "take")} of it, its reels with their history, and its prints go from the server for good. ` +
        "The files on your cards stay. Type its name to say that you mean it."
      }
    >
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          remove.mutate(undefined);
        }}
      >
        <label className="flex grow flex-col gap-1 text-[13px] text-muted">
          Name of the production
          <input className="field" value={name} autoFocus onChange={(e) => setName(e.target.value)} placeholder={p.name} />
        </label>
        <button type="button" className="pill-act" onClick={onClose}>
          Keep it
        </button>
        <button className="pill h-8 text-wrong" disabled={name.trim() !== p.name || remove.isPending}>
          Remove it for good
        </button>
      </form>
    </Dialog>
  );
}
