import { useQueryClient } from "@tanstack/react-query";
import { DropdownMenu } from "radix-ui";
import { useMatch } from "react-router";

import type { ReelView, TakeList } from "../api/client";
import { keysOf } from "../api/keys";
import { usePlayer } from "../listen/player";
import { tapName } from "../rooms/loom/ground/lookup";
import { takeTitle } from "../rooms/takes/list";
import { decimal } from "../ui/figures";
import { useRemembered } from "../ui/remembered";
import { scaleOf, scales } from "./programme";
import { back } from "../ui/focus";

/** What plays, in words: from what the page knows of its reels and takes. */
export function WhatPlays() {
  const playing = usePlayer((s) => s.playing);
  const production = useMatch("/p/:production/*")?.params.production ?? "";
  const queries = useQueryClient();
  if (!playing) return null;
  const { what, id, channels, tap } = playing;
  let words = "";
  if (what === "reel" || what === "signal") {
    const view = queries.getQueryData<ReelView>(keysOf.reel(id));
    if (view) words = `${tap ? tapName(view, tap) : "A signal"}, ${view.name}`;
  } else {
    const take = queries.getQueryData<TakeList>(keysOf.takes(production))?.takes.find((t) => t.id === id);
    const names = channels.map((c) => take?.channels[c]?.name || `channel ${c + 1}`);
    if (take) words = [takeTitle(take), names.length < take.channels.length && names.join(", ")].filter(Boolean).join(": ");
  }
  return (
    <span className="max-w-72 min-w-0 truncate" title={words}>
      {words}
    </span>
  );
}

/** What is heard, measured while it is heard: since playing began, or since something else is listened to. */
export function LiveStrip() {
  const playing = usePlayer((s) => s.playing !== null);
  const r = usePlayer((s) => s.loudness);
  const [scale, setScale] = useRemembered("programme meter", "IIa");
  if (!playing || !r) return null;
  const on = scaleOf(scale);
  const reads = r[on.moves];
  const figures: [string, string, number | null][] = [
    ["M", "Momentary loudness, LUFS", r.momentary],
    ["S", "Short-term loudness, LUFS", r.shortTerm],
    ["I", "Integrated loudness since playing began, LUFS", r.integrated],
    ["TP", "Highest true peak since playing began, dBTP", r.truePeak],
  ];
  return (
    <dl className="tc mr-1 flex shrink-0 items-center gap-2.5 text-[12px] max-[1100px]:hidden" aria-label="What is heard">
      {figures.map(([sign, words, value]) => (
        <div key={sign} className="flex items-baseline gap-1" title={words}>
          <dt className="text-muted">{sign}</dt>
          <dd className="min-w-[5ch] text-right">{decimal(value)}</dd>
        </div>
      ))}
      <div className="flex items-baseline gap-1 max-[1399px]:hidden">
        <dt>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              className="min-h-6 cursor-pointer text-muted underline decoration-dotted underline-offset-2"
              title={`Programme meter, IEC 60268-10. ${on.title}`}
            >
              {on.unit === "PPM" ? "PPM" : `PPM ${on.id}`}
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4} align="end">
                {scales.map((s) => (
                  <DropdownMenu.Item key={s.id} className="menu-item" onSelect={() => setScale(s.id)}>
                    {s.title}
                  </DropdownMenu.Item>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </dt>
        <dd className="min-w-[5ch] text-right">{decimal(reads === null || reads < -80 ? null : on.of(reads))}</dd>
      </div>
      <div className="flex items-center gap-1 max-[1399px]:hidden" title={`Correlation of the front pair: ${decimal(r.correlation, 2)}`}>
        <dt className="sr-only">Correlation</dt>
        <dd className="relative h-2 w-10 rounded-full bg-band">
          <span className="sr-only">{decimal(r.correlation, 2)}</span>
          {r.correlation !== null && (
            <span
              className="absolute top-0 h-2 w-1 rounded-full"
              style={{ left: `${((r.correlation + 1) / 2) * 36}px`, background: r.correlation < 0 ? "var(--wrong)" : "var(--ink)" }}
            />
          )}
        </dd>
      </div>
    </dl>
  );
}
