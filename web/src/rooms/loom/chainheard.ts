import { useQuery } from "@tanstack/react-query";

import { api, ok, type ReelView } from "../../api/client";
import type { ChainPlace } from "../../chain/chains";
import type { Heard } from "../../chain/heard";

/** What comes to the chain of a row at a place and what leaves it, and what its steps do there; nothing for a clip. */
export function useHeard(view: ReelView, { row, id }: ChainPlace, at: number, wanted: boolean): Heard | undefined {
  const near = Math.round((at / view.head.sampleRate) * 5); // fifths of a second
  return useQuery({
    queryKey: ["chain spectrum", view.id, row, id, near, view.revision],
    queryFn: () =>
      ok(
        api.GET("/reels/{reel}/chain/spectrum", {
          params: { path: { reel: view.id }, query: { row: row === "clip" ? "track" : row, from: id, at: Math.round(at) } },
        }),
      ),
    placeholderData: (before) => before,
    enabled: wanted && row !== "clip",
    gcTime: 10_000,
    retry: false,
  }).data;
}
