import { Fragment, lazy, Suspense, useEffect, useState, type ReactNode } from "react";
import { BrowserRouter, Link, Navigate, Route, Routes, useLocation, useParams } from "react-router";

import { useReels } from "./api/hooks";
import { player } from "./listen/player";
import { ProductionsPage } from "./rooms/productions/page";
import { Boundary } from "./ui/boundary";
import { useActions } from "./ui/keys";
import { Header } from "./shell/header";
import { Missing } from "./ui/missing";
import { Foot } from "./shell/foot";
import { Notices } from "./ui/notices";
import { MetDialog } from "./shell/met";

/** Rooms come when they are gone into, so that the first page is there at once; the rest is fetched while nothing else is. */
const parts = {
  takes: () => import("./rooms/takes/room"),
  sync: () => import("./rooms/sync/room"),
  loom: () => import("./rooms/loom/room"),
  noReel: () => import("./rooms/loom/reels/noreel"),
  gauge: () => import("./rooms/gauge/room"),
  gaugeFiles: () => import("./rooms/gauge/files"),
  print: () => import("./rooms/print/room"),
  queue: () => import("./shell/queuepage"),
};
const TakesRoom = lazy(async () => ({ default: (await parts.takes()).TakesRoom }));
const SyncRoom = lazy(async () => ({ default: (await parts.sync()).SyncRoom }));
const LoomRoom = lazy(async () => ({ default: (await parts.loom()).LoomRoom }));
const NoReel = lazy(async () => ({ default: (await parts.noReel()).NoReel }));
const GaugeRoom = lazy(async () => ({ default: (await parts.gauge()).GaugeRoom }));
const GaugeFiles = lazy(async () => ({ default: (await parts.gaugeFiles()).GaugeFiles }));
const PrintRoom = lazy(async () => ({ default: (await parts.print()).PrintRoom }));
const QueuePage = lazy(async () => ({ default: (await parts.queue()).QueuePage }));
/** Its form is large, and few open it. */
const SpecEditor = lazy(async () => ({ default: (await import("./rooms/print/speceditor")).SpecEditor }));

function fetchRest() {
  for (const load of Object.values(parts)) load().catch(() => undefined); // it is fetched again, and said, when it is needed
}

/** Where a room needs a reel and the address names none: the first one, or a word on how to get one. */
function FirstReel({ room }: { room: "loom" | "gauge" | "print" }) {
  const { production = "" } = useParams();
  const reels = useReels(production);
  if (!reels.data) return <Missing of={[reels]} />;
  const first = reels.data[0];
  if (first) return <Navigate replace to={`/p/${production}/${room}/${first.id}`} />;
  return room === "gauge" ? <Navigate replace to={`/p/${production}/gauge/files`} /> : <NoReel production={production} />;
}

/** There is nothing at the address. */
function Nowhere() {
  return (
    <div className="flex h-full flex-col">
      <Header />
      <main className="flex grow flex-col items-center justify-center gap-3 text-center">
        <h1 className="text-xl font-bold">There is nothing at this address</h1>
        <p className="text-muted">It may be mistyped, or what was here has been removed.</p>
        <Link className="pill-act" to="/">
          All productions
        </Link>
      </main>
    </div>
  );
}

export function App() {
  useEffect(() => {
    const soon = setTimeout(() => {
      player.warm();
      fetchRest();
    }, 300); // the page comes first
    return () => clearTimeout(soon);
  }, []);
  return (
    <BrowserRouter>
      <div className="flex h-full flex-col">
        <div className="min-h-0 grow">
          <Rooms />
        </div>
        <Foot />
      </div>
      <Commands />
      <MetDialog />
      <Notices />
    </BrowserRouter>
  );
}

const Palette = lazy(async () => ({ default: (await import("./shell/palette")).Palette }));

function Commands() {
  const [open, setOpen] = useState(false);
  useActions({ commands: () => setOpen(true) });
  return <Suspense fallback={null}>{open && <Palette onClose={() => setOpen(false)} />}</Suspense>;
}

/** A room whose state belongs to what it shows: what was set for one reel is not there for the next. */
function Each({ of, room }: { of: string[]; room: ReactNode }) {
  const params = useParams();
  return <Fragment key={of.map((name) => params[name]).join(" ")}>{room}</Fragment>;
}

/** Where one is, as far as sound goes: what plays ends where this is left. */
function placeOf(path: string): string {
  const parts = path.split("/").slice(1);
  return parts.slice(0, parts[2] === "takes" || parts[2] === "sync" ? 3 : 4).join("/");
}

/** What there is at each address. */
function Rooms() {
  const path = useLocation().pathname;
  const place = placeOf(path);
  // biome-ignore lint/correctness/useExhaustiveDependencies: sound ends where its place is left
  useEffect(() => () => player.stop(), [place]);
  return (
    <Boundary of={path}>
      <Suspense fallback={null}>
        <Routes>
          <Route path="/" element={<ProductionsPage />} />
          <Route path="/p/:production" element={<Navigate replace to="takes" />} />
          <Route path="/p/:production/takes/:take?" element={<Each of={["production"]} room={<TakesRoom />} />} />
          <Route path="/p/:production/sync/:take?" element={<Each of={["production"]} room={<SyncRoom />} />} />
          <Route path="/p/:production/loom" element={<FirstReel room="loom" />} />
          <Route path="/p/:production/loom/:reel" element={<Each of={["reel"]} room={<LoomRoom />} />} />
          <Route path="/p/:production/gauge" element={<FirstReel room="gauge" />} />
          <Route path="/p/:production/gauge/files/:take?" element={<Each of={["production"]} room={<GaugeFiles />} />} />
          <Route path="/p/:production/gauge/:reel" element={<Each of={["reel"]} room={<GaugeRoom />} />} />
          <Route path="/p/:production/print" element={<FirstReel room="print" />} />
          <Route path="/p/:production/print/:reel/:print?" element={<Each of={["reel"]} room={<PrintRoom />} />} />
          <Route path="/p/:production/print/:reel/desk/:receipt" element={<Each of={["reel"]} room={<PrintRoom />} />} />
          <Route path="/p/:production/print/:reel/spec/:spec" element={<Each of={["reel", "spec"]} room={<SpecEditor />} />} />
          <Route path="/p/:production/queue" element={<Each of={["production"]} room={<QueuePage />} />} />
          <Route path="*" element={<Nowhere />} />
        </Routes>
      </Suspense>
    </Boundary>
  );
}
