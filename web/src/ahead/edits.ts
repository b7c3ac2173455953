// What is edited, from the press to the server's word: what an edit is, and what is said of it between pages and the outbox.
import type { Command, Crossing, ReelView } from "../api/client";

/** What an edit of a reel asks for; `other` is what the server alone can do. */
export type Asked =
  | { kind: "command"; body: Command }
  | { kind: "ties"; body: { at: Crossing[] } }
  | { kind: "undo" | "redo"; body: object }
  | { kind: "other"; body: object };

/** An edit as a page hands it over. */
export type Edit = Asked & {
  reel: string;
  /** Where it is sent to, after the reel's address. */
  path: string;
  /** The revision that whoever made it saw. */
  seen: number;
  author: string;
  /** The page that it was made on. */
  page: string;
};

/** An edit that the server has not confirmed: kept until it has. */
export type Waiting = Edit & {
  key: string;
  n: number;
  /** When it was made, in milliseconds since 1970. */
  made: number;
  /** As the history will have it; empty where that is not known. */
  name: string;
  /** It is on the screen. */
  shown: boolean;
  /** Why the server did not make it. */
  refused?: Refusal;
  /** Since when, in milliseconds since 1970, somebody has been told so who has not said yet that they heard it. */
  told?: number;
};

/** What is asked of the server that changes something, but for edits of open reels: as it is sent. */
export type Errand = {
  method: string;
  /** After the API's base, with what it asks. */
  path: string;
  body: string | null;
  type: string; // of the body
  author: string;
  key: string;
};

/** An errand that the server has not answered: kept until it has. */
export type WaitingErrand = Errand & {
  n: number;
  /** When it was made, in milliseconds since 1970. */
  made: number;
  /** It was sent before, and nobody knows what became of it. */
  tried: boolean;
  /** Why the server did not do it. */
  refused?: Refusal;
  told?: number; // as of an edit
};

/** What the server answered. */
export type Answered = { status: number; body: string; type: string; location: string };

export type Refusal = { sentence: string; kind: string; step?: number; at?: string };

/** What is known of a take that commands name. */
export type KnownTake = { title: string; channels: number; frames: number; sampleRate: number };

/** What pages say to the outbox. Those with a number are answered under it. */
export type Said =
  | { n: number; say: "open"; reel: string; revision: number; author: string }
  | { n: number; say: "do"; edit: Edit; takes: Record<string, KnownTake> }
  | { n: number; say: "run"; errand: Errand }
  | { n: number; say: "settled"; reel: string }
  | { n: number; say: "look"; reel: string; revision: number; author: string }
  | { say: "know"; reel: string; takes: Record<string, KnownTake> }
  | { say: "changed"; reel: string; revision: number; author: string } // empty: any may have
  | { say: "let go"; key: string };

/** What the outbox says to pages: answers under their numbers, and what is for all. */
export type Told =
  | { n: number; view?: ReelView; refused?: Refusal; answered?: Answered; key?: string } // under which a refusal is kept until it is let go of
  | { tell: "reel"; reel: string; view: ReelView; planned: boolean } // planned by the core: it holds whatever the page has
  | { tell: "lost"; reel: string } // what has changed is not known: it is to be looked at anew
  | ({ tell: "waits" } & Waits);

/** What waits for the server, of all reels and all errands. */
export type Waits = {
  count: number;
  /** When the first of them was made, in milliseconds since 1970. */
  since: number;
  /** What the server did not make, though it was on the screen. */
  refused: Waiting[];
  /** Errands that the server did not do, whose page is gone. */
  undone: WaitingErrand[];
};
