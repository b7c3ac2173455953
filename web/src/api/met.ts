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

/** Asks what is to become of a step that was met. */
export function askOfMet(way: Met["way"], of: { message: string; met: { step?: number; at?: string } }, turn: (how: object) => void) {
  const { step, at } = of.met;
  useMet.setState({ asked: { way, at, why: of.message, again: (answer) => turn({ step, ...answer }) } });
}
