import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ok, type ReelView } from "../../../api/client";
import { useWork } from "../../../api/hooks";
import { keysOf } from "../../../api/keys";
import { tell, tellError } from "../../../ui/notices";

type Request = { clips?: string[]; track?: string; range?: { from: number; to: number } };

/** Settles clips in the background and says how it goes. */
export function useSettling(view: ReelView): { start: (r: Request) => void; words: string } {
  const [id, setID] = useState("");
  const queries = useQueryClient();
  const work = useWork(view.production).data?.find((w) => w.id === id);
  useEffect(() => {
    if (!work || work.state === "queued" || work.state === "running") return;
    setID("");
    if (work.state === "done") tell("Settled. The way back is in the clip’s menu.");
    else tell(work.message || "Settling was stopped.", true);
    void queries.invalidateQueries({ queryKey: keysOf.takes(view.production) });
    void queries.invalidateQueries({ queryKey: keysOf.reel(view.id) });
  }, [work, queries, view.production, view.id]);
  const start = (body: Request) => {
    ok(api.POST("/reels/{reel}/settle", { params: { path: { reel: view.id } }, body }))
      .then(({ work }) => {
        setID(work);
        void queries.invalidateQueries({ queryKey: keysOf.work(view.production) });
      })
      .catch(tellError);
  };
  return { start, words: id ? `Settling… ${Math.round((work?.progress ?? 0) * 100)}%` : "" };
}
