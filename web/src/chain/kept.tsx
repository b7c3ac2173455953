// Chains that the production keeps under names: taken from here, and put here.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Bookmark, Trash2 } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";

import { api, ok, type ChainStep } from "../api/client";
import { keysOf } from "../api/keys";
import { tell, tellError } from "../ui/notices";
import { Small } from "../ui/small";
import { many } from "../ui/words";
import { back } from "../ui/focus";

type Props = { production: string; steps: ChainStep[]; onKeep: (s: ChainStep[]) => void };

export function KeptChains(p: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        className="inline-flex min-h-6 min-w-6 shrink-0 cursor-pointer items-center justify-center rounded p-1 text-muted hover:text-ink"
        aria-label="Chains that the production keeps"
        title="Chains that the production keeps"
      >
        <Bookmark size={13} />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          onCloseAutoFocus={back}
          className="card z-50 w-72 p-3 text-[13px]"
          aria-label="Chains that the production keeps"
          side="top"
          align="start"
          sideOffset={6}
          collisionPadding={10}
          onKeyDown={(e) => e.stopPropagation()}
        >
          <Inside {...p} onDone={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Inside({ production, steps, onKeep, onDone }: Props & { onDone: () => void }) {
  const queries = useQueryClient();
  const key = keysOf.chains(production);
  const list = useQuery({
    queryKey: key,
    queryFn: () => ok(api.GET("/productions/{production}/chains", { params: { path: { production } } })),
  });
  const [name, setName] = useState("");
  const there = list.data?.some((c) => c.name === name.trim()) ?? false;
  const changed = async (what: Promise<unknown>, words: string) => {
    try {
      await what;
      await queries.invalidateQueries({ queryKey: key });
      tell(words);
    } catch (e) {
      tellError(e);
    }
  };
  const keep = async () => {
    const called = name.trim();
    setName("");
    await changed(
      ok(api.PUT("/productions/{production}/chains", { params: { path: { production } }, body: { name: called, steps } })),
      `The chain is kept as ${called}`,
    );
  };
  return (
    <>
      {steps.length > 0 && (
        <form className="flex items-center gap-2" onSubmit={(e) => (e.preventDefault(), void keep())}>
          <input
            className="field h-7 min-w-0 grow"
            aria-label="Name to keep the chain under"
            placeholder="Keep this chain as…"
            maxLength={100}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <button className="pill h-7 px-2.5" disabled={!name.trim()}>
            {there ? "Keep in its place" : "Keep"}
          </button>
        </form>
      )}
      {list.data?.length === 0 && (
        <p className="mt-2 text-muted">
          The production keeps no chain yet.{" "}
          {steps.length > 0 ? "Give this one a name, to have it on others." : "Build one, and give it a name."}
        </p>
      )}
      <ul className="mt-2 max-h-64 overflow-y-auto" aria-label="Kept chains">
        {list.data?.map((c) => (
          <li key={c.id} className="flex items-center gap-1 border-t border-line py-1">
            <button
              className="min-w-0 grow cursor-pointer truncate text-left hover:text-ink"
              title={`Has it here in place of what is: ${c.steps.map((s) => s.kind).join(", ")}`}
              onClick={() => (onKeep(c.steps), onDone())}
            >
              {c.name} <span className="text-muted">{many(c.steps.length, "processor")}</span>
            </button>
            <Small
              label={`Keep ${c.name} no longer`}
              onClick={() =>
                void changed(
                  ok(api.DELETE("/productions/{production}/chains/{chain}", { params: { path: { production, chain: c.id } } })),
                  `${c.name} is no longer kept; what goes through the same stays`,
                )
              }
            >
              <Trash2 size={13} />
            </Small>
          </li>
        ))}
      </ul>
    </>
  );
}
