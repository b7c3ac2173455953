// A step that could not be taken back, or brought back, since somebody has made something else of what it made. The user decides (shell/met.tsx).
import { create } from "zustand";

export type Met = {
  why: string;
  at?: string; // when somebody did
  way: "undo" | "redo";
  /** Does it all the same, or passes it by. */
  again: (how: { over: true } | { pass: true }) => void;
};

export const useMet = create<{ asked: Met | null }>(() => ({ asked: null }));
