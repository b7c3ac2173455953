// Every key and what it does. Users may change each; their changes are kept in the browser. A key is known by what is written on it; where
// that is no Latin letter or digit, by its place on the keyboard.
import { useEffect, useRef, useSyncExternalStore } from "react";

export type Action = {
  id: string;
  room: "everywhere" | "takes" | "sync" | "loom" | "cutting";
  does: string;
  key: string;
  /** It is done again and again while the key is held. */
  again?: true;
  /** It takes what is on the system's clipboard. */
  pastes?: true;
};

/** The keys that the product comes with: for one hand on the left of the keyboard, the other on the mouse. */
export const actions = [
  { id: "play", room: "everywhere", does: "Play or stop", key: "Space" },
  { id: "undo", room: "everywhere", does: "Undo", key: "Mod+Z" },
  { id: "redo", room: "everywhere", does: "Redo", key: "Mod+Shift+Z" },
  { id: "dim", room: "everywhere", does: "Dim the loudspeakers, and back", key: "Alt+X" },
  { id: "commands", room: "everywhere", does: "Find a command by its name", key: "Mod+K" },
  { id: "keys", room: "everywhere", does: "Show the keys", key: "?" },
  { id: "light", room: "everywhere", does: "Day or night", key: "Shift+N" },
  { id: "unravel", room: "takes", does: "Unravel the open take", key: "U" },
  { id: "hear-marked", room: "takes", does: "Hear the marked channels together, and stop", key: "A" },
  { id: "circle", room: "takes", does: "Circle the take, or not", key: "C" },
  { id: "all-takes", room: "takes", does: "Choose all takes of the list", key: "Mod+A" },
  { id: "hear-match", room: "sync", does: "Hear the take and its reference together, and stop", key: "A" },
  { id: "accept", room: "sync", does: "Accept the match", key: "Enter" },
  { id: "refuse", room: "sync", does: "Refuse the match", key: "X" },
  { id: "match-up", room: "sync", does: "The match above", key: "ArrowUp", again: true },
  { id: "match-down", room: "sync", does: "The match below", key: "ArrowDown", again: true },
  { id: "nudge-earlier", room: "sync", does: "Nudge the take earlier", key: "ArrowLeft", again: true },
  { id: "nudge-later", room: "sync", does: "Nudge the take later", key: "ArrowRight", again: true },
  { id: "frame-back", room: "loom", does: "One frame back", key: "ArrowLeft", again: true },
  { id: "frame-on", room: "loom", does: "One frame on", key: "ArrowRight", again: true },
  { id: "edit-back", room: "loom", does: "To the edit before", key: "Shift+ArrowLeft", again: true },
  { id: "edit-on", room: "loom", does: "To the next edit", key: "Shift+ArrowRight", again: true },
  { id: "home", room: "loom", does: "To the start of the reel", key: "Home" },
  { id: "goto", room: "loom", does: "Go to a timecode", key: "G" },
  { id: "track-up", room: "loom", does: "Choose the track above", key: "ArrowUp", again: true },
  { id: "track-down", room: "loom", does: "Choose the track below", key: "ArrowDown", again: true },
  { id: "solo", room: "loom", does: "Hear the chosen track with others that are soloed", key: "S" },
  { id: "mute", room: "loom", does: "Mute the chosen track", key: "X" },
  { id: "alone", room: "loom", does: "Listen to the chosen track or channel alone, and back", key: "A" },
  { id: "next-stem", room: "loom", does: "Listen to the next stem alone", key: "Shift+A" },
  { id: "next-output", room: "loom", does: "Listen to the next output channel alone", key: "Shift+S" },
  { id: "hear-row", room: "loom", does: "Listen to the row of the crossing that keys are at, and back", key: "Alt+A" },
  { id: "hear-column", room: "loom", does: "Listen to the column of the crossing that keys are at, and back", key: "Alt+S" },
  { id: "hear-pair", room: "loom", does: "Listen to the pair of outputs that the column is one side of, and back", key: "Alt+D" },
  { id: "compare", room: "loom", does: "Listen to what was heard before, and back: to compare two", key: "Shift+G" },
  { id: "mono", room: "loom", does: "Mono check, and back", key: "Shift+Z" },
  { id: "front", room: "loom", does: "Fold-down check: the front pair alone, and back", key: "Alt+Z" },
  { id: "usual", room: "loom", does: "Listen to everything again", key: "Escape" },
  { id: "play-range", room: "loom", does: "Play the range", key: "Shift+Space" },
  { id: "loop", room: "loom", does: "Play the range again and again", key: "4" },
  { id: "half", room: "loom", does: "Half speed, and back", key: "5" },
  { id: "stem", room: "loom", does: "Put the chosen track in the next stem", key: "T" },
  { id: "confirm", room: "loom", does: "Keep the suggested stem", key: "Enter" },
  { id: "closer", room: "loom", does: "Zoom in", key: "E", again: true },
  { id: "wider", room: "loom", does: "Zoom out", key: "Q", again: true },
  { id: "whole", room: "loom", does: "See the whole reel", key: "W" },
  { id: "row-up", room: "loom", does: "Move the track up", key: "Mod+ArrowUp", again: true },
  { id: "row-down", room: "loom", does: "Move the track down", key: "Mod+ArrowDown", again: true },
  { id: "taller", room: "loom", does: "Taller rows", key: "Shift+ArrowDown", again: true },
  { id: "lower", room: "loom", does: "Lower rows", key: "Shift+ArrowUp", again: true },
  { id: "waves-up", room: "loom", does: "Draw what sounds taller, on all rows", key: "Alt+T", again: true },
  { id: "waves-down", room: "loom", does: "Draw what sounds lower, on all rows", key: "Alt+G", again: true },
  { id: "wave-up", room: "loom", does: "Draw what sounds on the chosen track taller", key: "Alt+Shift+T", again: true },
  { id: "wave-down", room: "loom", does: "Draw what sounds on the chosen track lower", key: "Alt+Shift+G", again: true },
  { id: "waves-dB", room: "loom", does: "Draw what sounds in dB, or as it is", key: "Alt+V" },
  { id: "fit", room: "loom", does: "Fit all tracks into the room, and back", key: "Shift+F" },
  { id: "look", room: "loom", does: "The weave by groups, or channel by channel", key: "Shift+V" },
  { id: "chain", room: "loom", does: "Open the chain of the chosen track, and put it away", key: "Alt+Q" },
  { id: "board", room: "loom", does: "The board in the place of time, and back", key: "Alt+W" },
  { id: "deck", room: "loom", does: "The receiving deck: what arrives on each output, and back", key: "Alt+E" },
  { id: "dock", room: "loom", does: "What is chosen at the foot, or at the side", key: "Shift+I" },
  { id: "open", room: "loom", does: "Open the clip into its channels, and fold it up", key: "R" },
  { id: "choose-clip", room: "loom", does: "Choose the clip at the playhead on the chosen track", key: "Shift+W" },
  { id: "clip-back", room: "loom", does: "Choose the clip before on the track", key: ",", again: true },
  { id: "clip-on", room: "loom", does: "Choose the next clip of the track", key: ".", again: true },
  { id: "choose-all", room: "loom", does: "Choose every clip of the track", key: "Mod+A" },
  { id: "all-of-take", room: "loom", does: "Choose all clips of the same take", key: "" },
  { id: "all-of-microphone", room: "loom", does: "Choose all clips of the same microphone", key: "" },
  { id: "all-of-strand", room: "loom", does: "Choose all clips of the same strand", key: "" },
  { id: "all-of-stem", room: "loom", does: "Choose all clips of the same stem", key: "" },
  { id: "all-of-name", room: "loom", does: "Choose all clips of the same name", key: "" },
  { id: "all-muted", room: "loom", does: "Choose all clips that are muted", key: "" },
  { id: "all-adrift", room: "loom", does: "Choose all clips that are out of sync", key: "" },
  { id: "all-worked", room: "loom", does: "Choose all clips that something was done to", key: "" },
  { id: "next-channel", room: "loom", does: "Choose the next channel of the clip, opening it", key: "Shift+R" },
  { id: "curves", room: "loom", does: "Show curves: track gain, track pan, clip gain, clip pan, none", key: "V" },
  { id: "snap", room: "loom", does: "Snap to frames, edits, marks and playhead, or not", key: "6" },
  { id: "picture", room: "loom", does: "Show the picture, or put it away", key: "P" },
  { id: "lists", room: "loom", does: "Out of sync, strays, marks, history, find", key: "I" },
  { id: "find", room: "loom", does: "Find by name", key: "Mod+F" },
  { id: "cut", room: "cutting", does: "Cut what is chosen at the playhead, with all that is tied to it", key: "C" },
  { id: "cut-alone", room: "cutting", does: "Cut it alone; its other channels stay whole", key: "Shift+C" },
  { id: "cut-all", room: "cutting", does: "Cut every track at the playhead", key: "Alt+C" },
  { id: "range-from", room: "cutting", does: "The range begins at the playhead", key: "1" },
  { id: "range-to", room: "cutting", does: "The range ends at the playhead", key: "2" },
  { id: "range-clip", room: "cutting", does: "Make what is chosen the range; with nothing chosen, clear it", key: "3" },
  { id: "hush", room: "cutting", does: "Hush the range of the chosen channel or clip", key: "H" },
  { id: "tone", room: "cutting", does: "Fill the range, or the gap, with room tone of its microphone", key: "Shift+H" },
  { id: "keep-quiet", room: "cutting", does: "The range is the quiet that room tone is made of", key: "Alt+H" },
  { id: "dip", room: "cutting", does: "Dip the range by 6 dB", key: "D" },
  { id: "restore", room: "cutting", does: "Take back hushes, dips and what was borrowed in the range", key: "Shift+D" },
  { id: "borrow", room: "cutting", does: "Borrow the range from another take", key: "Z" },
  { id: "fade", room: "cutting", does: "Fade to or from the playhead; crossfade two chosen clips", key: "F" },
  { id: "trim-start", room: "cutting", does: "The clip begins at the playhead", key: "Shift+Q" },
  { id: "trim-end", room: "cutting", does: "The clip ends at the playhead", key: "Shift+E" },
  { id: "remove", room: "cutting", does: "Take away the range, the clips or the track that is chosen", key: "Delete" },
  { id: "close", room: "cutting", does: "The same, and close the gap", key: "Shift+Delete" },
  { id: "close-all", room: "cutting", does: "Cut the range out of every track and close the gap", key: "Alt+Delete" },
  { id: "copy", room: "cutting", does: "Copy the range, or the clips", key: "Mod+C" },
  { id: "cut-away", room: "cutting", does: "Copy the range, or the clips, and take it away", key: "Mod+X" },
  { id: "paste", room: "cutting", does: "Paste at the playhead", key: "Mod+V", pastes: true },
  { id: "paste-there", room: "cutting", does: "Paste at its own timecode", key: "Mod+Shift+V", pastes: true },
  { id: "insert", room: "cutting", does: "Paste at the playhead, and push what lies behind", key: "Mod+Alt+V", pastes: true },
  { id: "duplicate", room: "cutting", does: "Duplicate clips behind themselves", key: "Mod+D" },
  { id: "nudge-back", room: "cutting", does: "Nudge clips a frame earlier", key: "Alt+ArrowLeft", again: true },
  { id: "nudge-on", room: "cutting", does: "Nudge clips a frame later", key: "Alt+ArrowRight", again: true },
  { id: "clip-up", room: "cutting", does: "Put clips on the track above", key: "Alt+ArrowUp", again: true },
  { id: "clip-down", room: "cutting", does: "Put clips on the track below", key: "Alt+ArrowDown", again: true },
  { id: "slip-back", room: "cutting", does: "Slip clips a frame earlier inside their edges", key: "Alt+Shift+ArrowLeft", again: true },
  { id: "slip-on", room: "cutting", does: "Slip clips a frame later inside their edges", key: "Alt+Shift+ArrowRight", again: true },
  { id: "range-down", room: "cutting", does: "The range over one more track below", key: "Shift+PageDown" },
  { id: "range-up", room: "cutting", does: "The range over one track less", key: "Shift+PageUp" },
  { id: "louder", room: "cutting", does: "Clips or range 1 dB louder", key: "=", again: true },
  { id: "softer", room: "cutting", does: "Clips or range 1 dB softer", key: "-", again: true },
  { id: "mute-clip", room: "cutting", does: "Mute clips, or the chosen channel", key: "Shift+X" },
  { id: "tie-back", room: "cutting", does: "Tie clips back into sync", key: "B" },
  { id: "untie", room: "cutting", does: "Untie clips", key: "Shift+B" },
  { id: "tie", room: "cutting", does: "Tie the chosen clips to each other", key: "Mod+B" },
  { id: "mark", room: "cutting", does: "Mark the playhead, or the range", key: "M" },
  { id: "settle", room: "cutting", does: "Settle the range or the clips to a new take", key: "Mod+Enter" },
  { id: "strays", room: "cutting", does: "Move clips that strayed to tracks of their stem", key: "Mod+Shift+T" },
] as const satisfies readonly Action[];

export type ActionID = (typeof actions)[number]["id"];

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
