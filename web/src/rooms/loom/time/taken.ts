// How much the chain that is opened takes away, over time: fetched by pieces for what is in view, drawn on the row or the clip itself.
import { keepPreviousData, useQueries, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";

import { api, ok, type ReelView } from "../../../api/client";
import type { Opened } from "../../../chain/chains";
import type { TimeView } from "../ground/geometry";
import { clipOf } from "../ground/lookup";
import { useLoom } from "../ground/state";

/** How long a piece is in seconds, and how many bins a second has. */
const pieceSeconds = 20;
const bins = 100;

/** How many pieces are fetched at most: what is too far out to be read is not drawn. */
const mostPieces = 12;

/** What is known of how much a chain takes away. */
export type Taken = { of: Opened; start: number; rate: number; pieces: ReadonlyMap<number, readonly number[]> };

/** The most that is taken away between two samples of the reel, in dB below 0; what is added where that is more. Null where it is not known. */
export function takenIn(t: Taken, from: number, to: number): number | null {
  const every = Math.floor(t.rate / bins);
  const piece = pieceSeconds * t.rate;
  const n = Math.floor((from - t.start) / piece);
  const list = t.pieces.get(n);
  if (!list) return null;
  const begins = t.start + n * piece;
  let most = 0;
  const last = Math.min(list.length, Math.max(Math.floor((from - begins) / every) + 1, Math.ceil((to - begins) / every)));
  for (let i = Math.floor((from - begins) / every); i < last; i++) if (Math.abs(list[i]!) > Math.abs(most)) most = list[i]!;
  return most;
}

/** The pieces that are in view of a stretch of the reel, those in the middle first if they are too many. */
export function piecesOf(start: number, rate: number, from: number, to: number): number[] {
  const piece = pieceSeconds * rate;
  const first = Math.max(0, Math.floor((from - start) / piece));
  const last = Math.floor((to - start - 1) / piece);
  const n = last - first + 1;
  if (n <= 0) return [];
  const skip = Math.max(0, Math.floor((n - mostPieces) / 2));
  return Array.from({ length: Math.min(n, mostPieces) }, (_, i) => first + skip + i);
}

/** What the chain that is opened takes away where the time is in view; null where none is open. */
export function useTaken(view: ReelView, time: TimeView, revision: number): Taken | null {
  const of = useLoom((s) => s.chain);
  const { start, sampleRate: rate } = view.head;
  const clip = of && (of.row === "clip" || of.row === "microphone") ? clipOf(view, of.id) : undefined;
  const from = Math.max(start, time.left, clip?.start ?? 0);
  const to = Math.min(view.end, time.left + window.innerWidth * time.perPixel, clip ? clip.start + clip.length : Infinity);
  const channel = of && of.row !== "microphone" ? of.channel : undefined;
  const wanted = of && of.row !== "group" ? piecesOf(start, rate, from, to) : [];
  const client = useQueryClient();
  const keyOf = (n: number) => ["chain taken", view.id, of?.row, of?.id, channel, n, revision];
  // One after another: a browser has few connections to a server, and the next edit needs one.
  const next = wanted.findIndex((n) => (client.getQueryState(keyOf(n))?.status ?? "pending") === "pending");
  const query = useQueries({
    queries: wanted.map((n, i) => ({
      queryKey: keyOf(n),
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        ok(
          api.GET("/reels/{reel}/chain/taken", {
            params: { path: { reel: view.id }, query: { row: of!.row, from: of!.id, channel, at: start + n * pieceSeconds * rate } },
            signal,
          }),
        ),
      enabled: i === next,
      placeholderData: keepPreviousData,
      staleTime: Infinity,
      gcTime: 10_000,
      retry: false,
    })),
    combine: (all) => all.map((q) => (q.isError ? [] : q.data)),
  });
  const key = wanted.join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key says which pieces are wanted
  return useMemo(() => {
    if (!of || wanted.length === 0) return null;
    return { of, start, rate, pieces: new Map(wanted.flatMap((n, i) => (query[i]?.length ? [[n, query[i]] as const] : []))) };
  }, [of, key, query, start, rate]);
}
