// Every key and what it does. Users may change each; their changes are kept in the browser. A key is known by what is written on it; where
// that is no Latin letter or digit, by its place on the keyboard.
import { useEffect, useRef, useSyncExternalStore } from "react";

import { type Action, type ActionID, actions } from "./actions";

const store = "loom.keys";
const listeners = new Set<() => void>();
let changed: Record<string, string> = read();

function read(): Record<string, string> {
  try {
    return JSON.parse(localStorage.getItem(store) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}

export function keyOf(id: ActionID): string {
  return changed[id] ?? actions.find((a) => a.id === id)!.key;
}

/** Gives an action another key. What had that key in the same room loses it; its name is returned. */
export function setKey(id: ActionID, key: string): string | null {
  const place = (room: string) => (room === "cutting" ? "loom" : room); // cutting is done in the Loom
  const room = place(actions.find((a) => a.id === id)!.room);
  const other = actions.find(
    (a) => a.id !== id && keyOf(a.id) === key && (place(a.room) === room || a.room === "everywhere" || room === "everywhere"),
  );
  changed = { ...changed, [id]: key, ...(other ? { [other.id]: "" } : {}) };
  localStorage.setItem(store, JSON.stringify(changed));
  listeners.forEach((f) => f());
  return other?.does ?? null;
}

/** The keys that were changed, as a file that another browser can read. */
export const savedKeys = (): string => JSON.stringify({ is: "zesty-loom keys", version: 1, keys: changed }, null, 1);

/** Takes the keys of such a file; gives what is wrong with it, or nothing. Acts that are not known here are left out. */
export function readKeys(text: string): string | null {
  const wrong = "This is no file with keys; save one here to see how it is written.";
  try {
    const file = JSON.parse(text) as { is?: string; keys?: Record<string, unknown> };
    if (file.is !== "zesty-loom keys" || typeof file.keys !== "object" || file.keys === null) return wrong;
    const known = Object.entries(file.keys).filter(([id, key]) => typeof key === "string" && actions.some((a) => a.id === id));
    changed = Object.fromEntries(known) as Record<string, string>;
  } catch {
    return wrong;
  }
  localStorage.setItem(store, JSON.stringify(changed));
  listeners.forEach((f) => f());
  return null;
}

export function resetKeys() {
  changed = {};
  localStorage.removeItem(store);
  listeners.forEach((f) => f());
}

export function useKeys() {
  return useSyncExternalStore(
    (f) => {
      listeners.add(f);
      return () => listeners.delete(f);
    },
    () => changed,
  );
}

const signs: Record<string, string> = {
  ArrowLeft: "←",
  ArrowRight: "→",
  ArrowUp: "↑",
  ArrowDown: "↓",
  Mod: /Mac/.test(globalThis.navigator?.platform ?? "") ? "Cmd" : "Ctrl",
};

/** Letters that this keyboard has in the place of Latin ones. */
let letters: ReadonlyMap<string, string> = new Map();
type WithLayout = { keyboard?: { getLayoutMap: () => Promise<ReadonlyMap<string, string>> } };
if (typeof window !== "undefined")
  (navigator as WithLayout).keyboard?.getLayoutMap().then(
    (map) => {
      letters = new Map([...map].filter(([code, letter]) => code.startsWith("Key") && !/^[\x20-\x7e]$/.test(letter)));
      changed = { ...changed };
      listeners.forEach((f) => f());
    },
    () => undefined, // then Latin letters are shown
  );

/** A key as it is written on this keyboard. */
export const keySign = (key: string) =>
  key
    .split("+")
    .map((k) => signs[k] ?? letters.get(`Key${k}`)?.toUpperCase() ?? k)
    .join(" ");

type Press = Pick<KeyboardEvent, "key" | "code" | "ctrlKey" | "metaKey" | "shiftKey" | "altKey">;

/** The Latin letter or the digit in whose place a key is. */
const placeOf = (code: string) => /^(?:Key|Digit)([A-Z0-9])$/.exec(code)?.[1];

/** Names a key press as the table does: modifiers first; Mod is Ctrl, or Cmd on a Mac. */
function named(e: Press, name: string, shift: boolean): string {
  return [(e.ctrlKey || e.metaKey) && "Mod", e.altKey && "Alt", shift && "Shift", name].filter(Boolean).join("+");
}

/** What a key press may be called: by what is written on the key, and, unless that is a Latin letter or a digit, by where the key is. */
export function namesOf(e: Press): string[] {
  const place = placeOf(e.code);
  const plain = e.key === " " ? "Space" : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const printable = e.key.length === 1 && e.key !== " " && !/\p{L}/u.test(e.key); // shift is already in such a sign
  const written = named(e, plain, e.shiftKey && !printable);
  return place && !/^[a-z0-9]$/i.test(e.key) ? [written, named(e, place, e.shiftKey)] : [written];
}

/** What a key is called when it is given to an action. */
export function pressed(e: Press): string {
  const [written, place] = namesOf(e);
  return place && !/^[\x20-\x7e]$/.test(e.key) ? place : written!;
}

/** Whether the focus came by the pointer. Then Enter and Space are still the room's keys, not the pressed button's. */
let byPointer = false;
if (typeof window !== "undefined") {
  window.addEventListener(
    "pointerdown",
    () => {
      byPointer = true;
    },
    true,
  );
  const walks = (e: KeyboardEvent) =>
    e.key === "Tab" || (e.key.startsWith("Arrow") && !!(e.target as HTMLElement).closest?.("[role=gridcell]"));
  window.addEventListener(
    "keydown",
    (e) => {
      if (walks(e)) byPointer = false;
    },
    true,
  );
}

const choices = "select, input[type=range], input[type=checkbox], input[type=radio]";
const moves = /^(Arrow|Page|Home$|End$)/;

/** Whether the press belongs to something that takes text or has a meaning for it already. */
function taken(e: KeyboardEvent): boolean {
  const el = e.target as HTMLElement;
  if (!el.closest) return false;
  if (el.closest("[role=dialog], [role=menu]")) return true;
  const choice = el.closest(choices);
  if (choice) return !byPointer || (choice.matches("[type=range]") && moves.test(e.key));
  if (el.closest("input, textarea, [contenteditable]")) return true;
  return !!el.closest("button, a, [role=switch]") && ["Enter", " "].includes(e.key) && !byPointer;
}

/** Keys that no field has a use for: with Ctrl, Alt or the like, but for those that edit text, and not where a dialog is open. */
const worksInFields = (e: KeyboardEvent) =>
  (e.ctrlKey || e.metaKey || e.altKey) && !/^[acvxyz]$/i.test(e.key) && !(e.target as HTMLElement).closest("[role=dialog], [role=menu]");

/** What is done; where it takes what is on the clipboard, with its text, where that could be had. */
type Handlers = Partial<Record<ActionID, (text?: string) => void>>;

/** Handlers that are there; a fallback has its turn where no other has a use for the key. */
type Holder = { current: Handlers; fallback: boolean };
const present = new Set<Holder>();

/** Who does an action: whoever came first, and a fallback only where there is nobody else, however long it has been there. */
const holders = () => [...present].sort((a, b) => Number(a.fallback) - Number(b.fallback));

/** The actions that there are at present, in the order of the table. */
export const available = (): Action[] => actions.filter((a) => [...present].some((h) => h.current[a.id]));

/** Does an action, as its key would. */
export function perform(id: ActionID) {
  const run = holders().find((h) => h.current[id])?.current[id];
  const action: Action = actions.find((a) => a.id === id)!;
  if (!run || !action.pastes || !navigator.clipboard?.readText) run?.();
  else void navigator.clipboard.readText().then(run, () => run());
}

/** What waits for the browser's own pasting, which follows such a key and brings the text without asking anybody. */
let pasting: ActionID | null = null;
/** How long it is waited for, in milliseconds: not every browser pastes where nothing can be written. */
const pasteSoon = 150;

function pasteInto(id: ActionID) {
  pasting = id;
  setTimeout(() => {
    if (pasting !== id) return;
    pasting = null;
    perform(id);
  }, pasteSoon);
}

function pasted(e: ClipboardEvent) {
  const id = pasting;
  if (!id) return;
  pasting = null;
  e.preventDefault();
  holders()
    .find((h) => h.current[id])
    ?.current[id]?.(e.clipboardData?.getData("text/plain"));
}

function down(e: KeyboardEvent) {
  if (e.defaultPrevented) return;
  const typing = taken(e);
  if (typing && !worksInFields(e)) return;
  const names = namesOf(e);
  for (const holder of holders()) {
    for (const [id, run] of Object.entries(holder.current)) {
      const key = keyOf(id as ActionID);
      if (!run || key === "" || !names.includes(key)) continue;
      const action: Action = actions.find((a) => a.id === id)!;
      if (typing && action.room !== "everywhere") continue;
      if (action.pastes) {
        if (!e.repeat) pasteInto(action.id as ActionID);
        return;
      }
      e.preventDefault();
      if (!e.repeat || action.again) run();
      return;
    }
  }
}

if (typeof window !== "undefined") {
  window.addEventListener("keydown", down);
  window.addEventListener("paste", pasted);
}

/** Runs handlers for the keys of actions while the component is there; as a fallback, those that no other component has. */
export function useActions(handlers: Handlers, fallback = false) {
  const holder = useRef<Holder>({ current: handlers, fallback });
  holder.current.current = handlers;
  useEffect(() => {
    const mine = holder.current;
    present.add(mine);
    return () => {
      present.delete(mine);
    };
  }, []);
}
