// What a Loom that is open knows beside the reel itself: what is chosen, how it is listened to, what of it is shown. There is
// one store for each open reel; each part of the room takes from it what it shows, and is drawn again for that alone.
import { createContext, useContext } from "react";
import { createStore, useStore, type StoreApi } from "zustand";
import { persist } from "zustand/middleware";

import type { ReelView, Row } from "../../../api/client";
import type { Aside, Check, Other, Tap } from "../../../listen/player";
import type { Place } from "./cells";
import type { Opened } from "../../../chain/chains";
import { nothing, type Choice } from "./choice";
import type { CurveView } from "./curves";
import type { RideMode } from "./riding";
import type { Nudge } from "./nudge";
import { usualSnaps, type Snaps } from "./snap";

export type Loan = { clip: string; channel: number; from: number; to: number };

/** A stretch of quiet of a microphone, in frames of its take. */
export type Quiet = { take: string; channel: number; from: number; to: number };

export type ListName = "track" | "sync" | "strays" | "marks" | "find" | "history" | "weave";

/** A strand, stem, mix or output group. */
export type BusRow = { row: Exclude<Row, "track">; id: string };

/** What is chosen in time and in the weave. */
type Choosing = {
  chosen: Choice;
  /** The crossing that keys go to. */
  at: Place;
  /** The other corner of a block of crossings; null while one alone is chosen. */
  corner: Place | null;
  /** Whether the crossing was gone to by a key, so that the focus of the page follows. */
  walked: boolean;
  /** Whether the card of what is chosen in the weave is open. */
  card: boolean;
};

/** How the reel is listened to. */
type Listening = {
  stands: number; // where the shuttle stands while nothing plays, in samples
  tap: Tap | null; // null is the usual
  /** What was heard before, to go back to and compare. */
  before: Tap | null;
  solo: string[];
  loop: boolean;
  half: boolean;
  check: Check;
  alone: { clip: string; channel: number } | null;
  /** What it is compared with while it plays, and what that is called. */
  other: (Other & { name: string }) | null;
  /** A chain of which something else is heard than what comes out of it. */
  aside: Aside | null;
};

/** What of the reel is shown, and how. */
type Showing = {
  opened: ReadonlySet<string>; // clips that show their channels
  folded: ReadonlySet<string>; // folders of tracks that are shut
  openStems: ReadonlySet<string>; // stems that show their strands
  curves: CurveView;
  lists: ListName | null;
  /** What the list of a row is about, where it is not the chosen track. */
  bus: BusRow | null;
  /** The row whose chain is opened at the foot. */
  chain: Opened | null;
  /** The receiving deck stands at the foot. */
  deck: boolean;
  /** It records while the reel plays. */
  record: boolean;
  slide: number; // how far the weave is scrolled sideways, in pixels
  typing: boolean; // the timecode is being typed
  choosingSpec: boolean;
  loan: Loan | null;
  /** What moving a level on the board does while the reel plays. */
  ride: RideMode;
  /** Rows of the board that move together, by keyOfRow. */
  gang: ReadonlySet<string>;
  /** The stretch that somebody chose for room tone; nothing where it is looked for. */
  quiet: Quiet | null;
};

/** What of it the browser remembers from one visit to the next. */
type Kept = {
  solo: string[];
  snap: boolean;
  snaps: Snaps;
  nudge: Nudge;
  picture: boolean;
  reed: number | null; // width of the weave in pixels; null is as much as it needs
  foldedGroups: string[]; // groups of outputs that take one column
  fitted: boolean; // all tracks are fitted into the room
  board: boolean; // the board stands in the place of time
  waves: { dB: boolean; raised: number; of: Record<string, number> }; // how tall what sounds is drawn: raised by so many dB, and tracks by more
  dock: "foot" | "side";
};

export type LoomState = Choosing & Listening & Showing & Kept;

export type LoomStore = StoreApi<LoomState>;

const keeps = [
  "solo",
  "snap",
  "snaps",
  "nudge",
  "picture",
  "reed",
  "foldedGroups",
  "fitted",
  "board",
  "waves",
  "dock",
] as const satisfies readonly (keyof Kept)[];

/** A reel's store; the playhead stands where it begins, or at a place that somebody has come for. */
export function loomStore(view: Pick<ReelView, "id" | "head">, at?: number): LoomStore {
  return createStore<LoomState>()(
    persist(
      (): LoomState => ({
        chosen: nothing,
        at: { line: 0, column: 0 },
        corner: null,
        walked: false,
        card: false,
        stands: at ?? view.head.start,
        tap: null,
        before: null,
        solo: [],
        loop: false,
        half: false,
        check: "",
        alone: null,
        aside: null,
        other: null,
        opened: new Set(),
        folded: new Set(),
        openStems: new Set(),
        curves: "none",
        lists: null,
        bus: null,
        chain: null,
        deck: false,
        record: false,
        slide: 0,
        typing: false,
        choosingSpec: false,
        loan: null,
        quiet: null,
        snap: true,
        snaps: usualSnaps,
        nudge: { unit: "frame", own: 0 },
        picture: view.head.picture !== undefined && window.innerHeight >= 520, // in a low room it would cover all
        reed: null,
        foldedGroups: [],
        fitted: false,
        board: false,
        waves: { dB: true, raised: 0, of: {} },
        ride: "off",
        gang: new Set(),
        dock: "foot",
      }),
      { name: `loom.reel.${view.id}`, partialize: (s): Kept => Object.fromEntries(keeps.map((k) => [k, s[k]])) as Kept },
    ),
  );
}

const Here = createContext<LoomStore | null>(null);

export const LoomState = Here.Provider;

export function useLoomStore(): LoomStore {
  const store = useContext(Here);
  if (!store) throw new Error("There is no Loom around this");
  return store;
}

/** A part of the open Loom's state; what shows it is drawn again when that part changes. */
export const useLoom = <T>(select: (s: LoomState) => T): T => useStore(useLoomStore(), select);

/** A set with one thing put in, or taken out where it was in. */
export const turned = (set: ReadonlySet<string>, id: string): ReadonlySet<string> =>
  new Set(set.has(id) ? [...set].filter((x) => x !== id) : [...set, id]);
