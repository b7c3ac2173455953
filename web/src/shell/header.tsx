import { Moon, Redo2, Undo2, Sun } from "lucide-react";
import { lazy, memo, Suspense, useState, type ReactNode } from "react";
import { Link, NavLink, useLocation, useNavigate } from "react-router";

import { keyOf, keySign, useActions, useKeys } from "../ui/keys";
import { toggleLight, useLight } from "../ui/light";
import { useJustDone } from "./just";
import { useTitle } from "./title";

const KeysDialog = lazy(async () => ({ default: (await import("./keysdialog")).KeysDialog }));

export type History = { undo: string; redo: string; onUndo: () => void; onRedo: () => void };

function Mark() {
  return (
    <svg width="22" height="22" viewBox="0 0 24 24" fill="none" strokeWidth="3.4" strokeLinecap="round" aria-hidden>
      <path stroke="var(--ink)" d="M8 3v18M16 3v18" />
      <path stroke="var(--zest)" d="M3 8h3M10.5 8H21M3 16h10.5M18 16h3" />
    </svg>
  );
}

/** The rooms in the order of work, and where they are for a production and, if one is open, a reel. */
const roomsOf = (production: string, reel: string) => [
  { to: `/p/${production}/takes`, name: "Takes" },
  { to: `/p/${production}/sync`, name: "Sync" },
  ...["Loom", "Gauge", "Print"].map((name) => ({ to: `/p/${production}/${name.toLowerCase()}${reel && `/${reel}`}`, name })),
];

/** The ways to the rooms: they stay as they are, whatever is edited. */
const Rooms = memo(function Rooms({ of, reel }: { of: string; reel: string }) {
  return (
    <nav className="flex h-full items-stretch gap-7 max-[900px]:gap-3" aria-label="Rooms">
      {roomsOf(of, reel).map((r) => (
        <NavLink
          key={r.name}
          to={r.to}
          className={({ isActive }) =>
            `relative flex items-center px-0.5 ${isActive ? "font-semibold text-ink" : "text-muted hover:text-ink"}`
          }
        >
          {({ isActive }) => (
            <>
              {r.name}
              {isActive && (
                <span
                  className="absolute inset-x-0 bottom-0 h-[3px]"
                  style={{ background: "repeating-linear-gradient(90deg,var(--zest) 0 8px,transparent 8px 11px)" }}
                />
              )}
            </>
          )}
        </NavLink>
      ))}
    </nav>
  );
});

/** The bar at the top of every room: where you are, the rooms in the order of work, undo and keys. */
export function Header(p: {
  production?: { id: string; name: string };
  reel?: { id: string; name: string };
  reelMenu?: ReactNode;
  history?: History;
  children?: ReactNode;
}) {
  const light = useLight();
  const [keysOpen, setKeysOpen] = useState(false);
  useKeys();
  const h = p.history;
  const just = useJustDone(h && { of: p.reel?.id ?? p.production?.id ?? "", undo: h.undo, redo: h.redo });
  useTitle(useLocation().pathname, p.production?.name, p.reel?.name);
  const go = useNavigate();
  const rooms = p.production && roomsOf(p.production.id, p.reel?.id ?? "");
  const into = (room: number) => rooms && (() => void go(rooms[room]!.to));
  useActions({
    keys: () => setKeysOpen(true),
    light: toggleLight,
    undo: h?.onUndo,
    redo: h?.onRedo,
    "room-takes": into(0),
    "room-sync": into(1),
    "room-loom": into(2),
    "room-gauge": into(3),
    "room-print": into(4),
  });
  return (
    <header
      className="grid h-11 shrink-0 grid-cols-[1fr_auto_1fr] items-center gap-4 border-b border-line bg-paper px-4
      max-[900px]:grid-cols-[minmax(0,1fr)_auto_auto] max-[900px]:gap-3 max-[900px]:px-2"
    >
      <div className="flex min-w-0 items-center gap-3">
        <Link to="/" className="flex shrink-0 items-center gap-2 text-[15px] font-bold" title="All productions">
          <Mark /> <span className="max-[900px]:sr-only">Zesty Loom</span>
        </Link>
        {p.production && (
          <span className="min-w-0 truncate text-muted max-[900px]:hidden">
            {p.production.name}
            {p.reel && (
              <>
                {" / "}
                {!p.reelMenu && <span className="font-semibold text-ink">{p.reel.name}</span>}
              </>
            )}
          </span>
        )}
        {p.reelMenu && <span className="-ml-2 flex min-w-0 shrink">{p.reelMenu}</span>}
      </div>
      {rooms && <Rooms of={p.production!.id} reel={p.reel?.id ?? ""} />}
      {/* Whatever did it, a key or the hand: what was done is said. */}
      <span className="sr-only" role="status">
        {just}
      </span>
      <div className="flex min-w-0 items-center justify-end gap-2">
        {p.children}
        {h && (
          <>
            <button
              className="pill min-w-0 max-w-60 shrink"
              disabled={!h.undo}
              onClick={h.onUndo}
              title={h.undo ? `Undo: ${h.undo} (${keySign(keyOf("undo"))})` : "Nothing to undo"}
            >
              <Undo2 size={15} className="shrink-0 min-[901px]:hidden" />
              <span className="truncate max-[900px]:sr-only">
                Undo{h.undo && ": "}
                <b className="font-semibold">{h.undo}</b>
              </span>
            </button>
            <button
              className="pill px-2"
              disabled={!h.redo}
              onClick={h.onRedo}
              aria-label={h.redo ? `Redo: ${h.redo}` : "Nothing to redo"}
              title={h.redo ? `Redo: ${h.redo} (${keySign(keyOf("redo"))})` : "Nothing to redo"}
            >
              <Redo2 size={15} />
            </button>
          </>
        )}
        <button
          className="pill px-2"
          onClick={toggleLight}
          aria-label={light === "day" ? "Turn to night colours" : "Turn to day colours"}
          title={`Day or night (${keySign(keyOf("light"))})`}
        >
          {light === "day" ? <Moon size={15} /> : <Sun size={15} />}
        </button>
        <button className="pill" onClick={() => setKeysOpen(true)}>
          <span className="max-[900px]:sr-only">Keys</span> <span className="tc">{keyOf("keys")}</span>
        </button>
      </div>
      <Suspense fallback={null}>{keysOpen && <KeysDialog open onOpenChange={setKeysOpen} />}</Suspense>
    </header>
  );
}
