import { Square } from "lucide-react";
import { lazy, Suspense } from "react";
import { Link, useMatch } from "react-router";

import { isOpen, useWork } from "../api/hooks";
import { player, usePlayer } from "../listen/player";
import { Bar } from "../ui/bar";
import { useActions } from "../ui/keys";
import { many } from "../ui/words";
import { PlayBar } from "./playbar";
import { uploads, useAllUploads } from "./uploads";
import { WaitingEdits } from "./waiting";

const WhatPlays = lazy(async () => ({ default: (await import("./livestrip")).WhatPlays }));
const LiveStrip = lazy(async () => ({ default: (await import("./livestrip")).LiveStrip }));

/** The bar at the foot of every room: what is heard and how loud, what is being sent, and what the server is at work on. */
export function Foot() {
  const production = useMatch("/p/:production/*")?.params.production ?? "";
  const playing = usePlayer((s) => s.playing !== null);
  useActions({ play: playing ? () => player.stop() : undefined }, true);
  return (
    <section
      className="flex h-8 shrink-0 items-center gap-3 overflow-hidden border-t border-line bg-paper px-4 text-[12px] max-[900px]:px-2"
      aria-label="Listening and work"
    >
      {playing && (
        <button
          className="flex h-6 w-6 shrink-0 cursor-pointer items-center justify-center rounded-full bg-ink text-ground"
          aria-label="Stop what plays"
          onClick={() => player.stop()}
        >
          <Square size={10} />
        </button>
      )}
      <Suspense fallback={null}>{playing && <WhatPlays />}</Suspense>
      <Suspense fallback={null}>{playing && <LiveStrip />}</Suspense>
      <span className="grow" />
      <WaitingEdits />
      <Sending />
      {production && <AtWork production={production} />}
      <PlayBar />
    </section>
  );
}

/** Files on their way to the server, whichever production they go to. */
function Sending() {
  const items = useAllUploads();
  const sending = items.length > 0 ? uploads.progress() : null;
  const first = items[0];
  if (!first) return null;
  const broken = items.filter((i) => i.state === "failed" || i.state === "interrupted").length;
  return (
    <Link
      className="flex min-h-6 items-center gap-2 hover:underline"
      to={`/p/${(items.find((i) => i.state === "sending") ?? first).production}/queue`}
    >
      {sending && (
        <>
          <span className="tc">
            {sending.done} of {many(sending.of, "file")} sent, {Math.round(sending.share * 100)} %
            {sending.left !== null && `, ${leftWords(sending.left)} left`}
          </span>
          <span className="w-20 max-[900px]:hidden">
            <Bar share={sending.share} />
          </span>
        </>
      )}
      {broken > 0 && <span className="text-wrong">{many(broken, "file")} not sent</span>}
    </Link>
  );
}

function AtWork({ production }: { production: string }) {
  const open = useWork(production).data?.filter((w) => isOpen(w) && w.state !== "arriving") ?? [];
  const failed = useWork(production).data?.filter((w) => w.state === "failed").length ?? 0;
  const first = open.find((w) => w.state === "running") ?? open[0];
  return (
    <Link className="flex min-h-6 min-w-0 items-center gap-2 text-muted hover:text-ink hover:underline" to={`/p/${production}/queue`}>
      {first ? (
        <>
          <span className="truncate">
            {first.title}
            {open.length > 1 && ` and ${open.length - 1} more`}
          </span>
          <span className="w-20 shrink-0 max-[900px]:hidden">
            <Bar share={first.progress} />
          </span>
        </>
      ) : failed > 0 ? (
        <span className="text-wrong">{many(failed, "piece of work", "pieces of work")} failed</span>
      ) : (
        "Work"
      )}
    </Link>
  );
}

/** How long something takes still, no finer than anybody can tell. */
const leftWords = (seconds: number) =>
  seconds < 10 ? "a few seconds" : seconds < 90 ? `${Math.round(seconds / 5) * 5} s` : `${Math.round(seconds / 60)} min`;
