import { useEffect } from "react";
import { BrowserRouter, Navigate, Route, Routes, useParams } from "react-router";

import { useReels } from "./api/hooks";
import { player } from "./listen/player";
import { LoomRoom } from "./rooms/loom/room";
import { NoReel } from "./rooms/loom/noreel";
import { PrintRoom } from "./rooms/print/room";
import { ProductionsPage } from "./rooms/productions/page";
import { SyncRoom } from "./rooms/sync/room";
import { TakesRoom } from "./rooms/takes/room";
import { Notices } from "./ui/notices";

/** Where a room needs a reel and the address names none: the first one, or a word on how to get one. */
function FirstReel({ room }: { room: "loom" | "print" }) {
  const { production = "" } = useParams();
  const reels = useReels(production);
  if (!reels.data) return null;
  const first = reels.data[0];
  return first ? <Navigate replace to={`/p/${production}/${room}/${first.id}`} /> : <NoReel production={production} />;
}

export function App() {
  useEffect(() => {
    const soon = setTimeout(() => player.warm(), 300); // the page comes first
    return () => clearTimeout(soon);
  }, []);
  return (
    <BrowserRouter>
      <Routes>
        <Route path="/" element={<ProductionsPage />} />
        <Route path="/p/:production" element={<Navigate replace to="takes" />} />
        <Route path="/p/:production/takes/:take?" element={<TakesRoom />} />
        <Route path="/p/:production/sync/:take?" element={<SyncRoom />} />
        <Route path="/p/:production/loom" element={<FirstReel room="loom" />} />
        <Route path="/p/:production/loom/:reel" element={<LoomRoom />} />
        <Route path="/p/:production/print" element={<FirstReel room="print" />} />
        <Route path="/p/:production/print/:reel/:print?" element={<PrintRoom />} />
        <Route path="*" element={<Navigate replace to="/" />} />
      </Routes>
      <Notices />
    </BrowserRouter>
  );
}
