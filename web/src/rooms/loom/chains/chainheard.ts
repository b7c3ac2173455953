import { useQuery } from "@tanstack/react-query";

import { useRevision } from "../../../api/hooks";
import { api, ok, type ReelView } from "../../../api/client";
import type { ChainPlace } from "../../../chain/chains";
import type { Heard } from "../../../chain/heard";

/** What comes to a chain at a place and what leaves it, and what its steps do there. */
export function useHeard(view: ReelView, { row, id, channel }: ChainPlace, at: number, wanted: boolean): Heard | undefined {
  const revision = useRevision(view.id);
  const near = Math.round((at / view.head.sampleRate) * 5); // fifths of a second
  return useQuery({
    queryKey: ["chain spectrum", view.id, row, id, channel, near, revision],
    queryFn: () =>
      ok(
        api.GET("/reels/{reel}/chain/spectrum", {
          params: { path: { reel: view.id }, query: { row, from: id, channel, at: Math.round(at) } },
        }),
      ),
    placeholderData: (before) => before,
    enabled: wanted,
    gcTime: 10_000,
    retry: false,
  }).data;
}
