// What is asked of the server, by whether it changes something. Every address of the contract that is asked otherwise than by GET is in one of these lists.

/** What changes something, and what it is called where it waits or was not done. Edits of reels have a way of their own (ahead/outbox.ts). */
export const errands: [method: string, path: string, name: string][] = [
  ["POST", "/productions", "make a production"],
  ["PATCH", "/productions/{production}", "name the production"],
  ["DELETE", "/productions/{production}", "remove a production"],
  ["PUT", "/productions/{production}/pattern", "begin reels with a pattern"],
  ["POST", "/productions/{production}/takes/undo", "undo in Takes"],
  ["POST", "/productions/{production}/takes/redo", "redo in Takes"],
  ["POST", "/productions/{production}/imports", "bring in from a card"],
  ["POST", "/productions/{production}/queue", "print what the queue was asked for"],
  ["POST", "/productions/{production}/reels", "make a reel"],
  ["POST", "/productions/{production}/handedover", "read what was handed over"],
  ["PATCH", "/takes/{take}", "change a take"],
  ["DELETE", "/takes/{take}", "remove a take"],
  ["POST", "/productions/{production}/takes/edit", "change takes"],
  ["POST", "/productions/{production}/takes/group", "group takes"],
  ["POST", "/productions/{production}/batches", "work on several takes"],
  ["POST", "/productions/{production}/report", "read a sound report"],
  ["PUT", "/productions/{production}/stems", "change the stems of the production"],
  ["POST", "/productions/{production}/sync", "line up takes"],
  ["POST", "/takes/{take}/apart", "take a group apart"],
  ["PUT", "/takes/{take}/tie", "tie a take to its picture"],
  ["DELETE", "/takes/{take}/tie", "untie a take from its picture"],
  ["POST", "/takes/{take}/refuse", "refuse a match"],
  ["POST", "/takes/{take}/convert", "convert a take"],
  ["POST", "/takes/{take}/carry", "carry names over the roll"],
  ["POST", "/takes/{take}/treat", "treat a take"],
  ["DELETE", "/work/{work}", "take work off the list"],
  ["POST", "/work/{work}/cancel", "stop work"],
  ["POST", "/work/{work}/turn", "change the turn of work"],
  ["POST", "/work/{work}/retry", "try work again"],
  ["PUT", "/productions/{production}/chains", "keep a chain"],
  ["DELETE", "/productions/{production}/chains/{chain}", "remove a kept chain"],
  ["POST", "/prints/{print}/receipts", "take a print to the desk"],
  ["DELETE", "/receipts/{receipt}", "remove a receipt"],
  ["POST", "/receipts/{receipt}/takes", "bring in what was received"],
  ["POST", "/receipts/{receipt}/reel", "load what was received"],
  ["DELETE", "/reels/{reel}", "remove a reel"],
  ["POST", "/reels/{reel}/lay", "lay takes onto a reel"],
  ["POST", "/reels/{reel}/settle", "settle clips"],
  ["POST", "/reels/{reel}/revision", "make a revision of a reel"],
  ["POST", "/reels/{reel}/gauge/correct", "correct a group"],
  ["POST", "/productions/{production}/level", "level takes"],
  ["POST", "/reels/{reel}/handover", "hand a reel over"],
  ["POST", "/reels/{reel}/pattern", "keep a pattern"],
  ["POST", "/reels/{reel}/prints", "print"],
  ["DELETE", "/prints/{print}", "remove a print"],
  ["POST", "/prints/{print}/handover", "hand a print over"],
  ["POST", "/patterns", "add a pattern"],
  ["DELETE", "/patterns/{pattern}", "remove a pattern"],
  ["POST", "/specs", "keep a spec"],
  ["DELETE", "/specs/{spec}", "remove a spec"],
];

/** What only looks at something, though it is asked with a body. */
export const looks = [
  "/productions/{production}/takes/assess",
  "/takes/{take}/treat/spectrum",
  "/takes/{take}/treat/learn",
  "/productions/{production}/lay/look",
  "/processors/response",
  "/processors/text",
  "/processors/steps",
  "/reels/{reel}/chain/learn",
  "/reels/{reel}/cutlist/read",
  "/reels/{reel}/crossing",
  "/reels/{reel}/lenders",
  "/reels/{reel}/pattern/fit",
  "/reels/{reel}/plan",
];

/** Edits of reels, which the outbox sends itself. */
export const edits = ["commands", "undo", "redo", "cutlist", "ties", "spec", "pattern/apply"].map((e) => `/reels/{reel}/${e}`);

/** Files that come piece by piece, and say themselves how far they are. */
export const pieces = ["/productions/{production}/receipts", "/uploads/", "/uploads/{upload}"];

const patterns = errands.map(([method, path, name]) => ({
  method,
  name,
  path: new RegExp(`^${path.replaceAll(/\{\w+\}/g, "[^/]+")}$`),
}));

/** What an errand is called; nothing for what is none. `path` is as after the API's base, without what it asks. */
export const errandName = (method: string, path: string): string | undefined =>
  patterns.find((p) => p.method === method && p.path.test(path))?.name;
