// The server's API, typed from the contract. Every failed call becomes a Problem with a sentence for the user.
import createClient from "openapi-fetch";

import { base, patient } from "./patient";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Take = Schemas["Take"];
export type TakeList = Schemas["TakeList"];
export type TakeKind = Schemas["TakeKind"];
export type Channel = Schemas["Channel"];
export type ChannelSet = Schemas["ChannelSet"];
export type TakeEdit = Schemas["TakeEdit"];
export type Family = Schemas["Family"];
export type ProductionStem = Schemas["ProductionStem"];
export type StemRule = Schemas["StemRule"];
export type NameWord = Schemas["NameWord"];
export type Match = Schemas["Match"];
export type Tie = Schemas["Tie"];
export type SyncMethod = Schemas["SyncMethod"];
export type Production = Schemas["Production"];
export type Work = Schemas["Work"];
export type ReelView = Schemas["ReelView"];
export type Track = Schemas["Track"];
export type Lane = Schemas["Lane"];
export type Fade = Schemas["Fade"];
export type Point = Schemas["Point"];
export type Mark = Schemas["Mark"];
export type Lender = Schemas["Lender"];
export type CutListEntry = Schemas["CutListEntry"];
export type CutListReading = Schemas["CutListReading"];
export type ReelInfo = Schemas["ReelInfo"];
export type Step = Schemas["Step"];
export type Clip = Schemas["Clip"];
export type Stem = Schemas["Stem"];
export type Group = Schemas["Group"];
export type Mix = Schemas["Mix"];
export type Bus = Schemas["Bus"];
export type Chain = Schemas["Chain"];
export type ChainStep = Schemas["ChainStep"];
export type ProcessorKind = Schemas["ProcessorKind"];
export type ProcessorParameter = Schemas["ProcessorParameter"];
export type Feed = Schemas["Feed"];
export type Output = Schemas["Output"];
export type Crossing = Schemas["Crossing"];
export type Knot = Schemas["Knot"];
export type Route = Schemas["Route"];
export type Row = Schemas["Row"];
export type SavedPattern = Schemas["SavedPattern"];
export type LaidTake = Schemas["LaidTake"];
export type Fitted = Schemas["Fitted"];
export type Spec = Schemas["Spec"];
export type SpecText = Schemas["SpecText"];
export type Receipt = Schemas["Receipt"];
export type ListedReceipt = Schemas["ListedReceipt"];
export type ListedSpec = Schemas["ListedSpec"];
export type Plan = Schemas["Plan"];
export type Print = Schemas["Print"];
export type ListedPrint = Schemas["ListedPrint"];
export type Finding = Schemas["Finding"];
export type FrameRate = Schemas["FrameRate"];
export type CardEntry = Schemas["CardEntry"];
export type Packaging = Schemas["Packaging"];
export type Command = Schemas["Command"];
/** What a command of a kind says. */
export type CommandOf<K extends Command["kind"]> = Extract<Command, { kind: K }>["command"];

export { base };
export const api = createClient<paths>({ baseUrl: base, fetch: patient });

const named = "loom.author";

/** Who edits here, for the history and for others in the same reel. Until somebody gives a name it is one of its own. */
export function author(): string {
  let name = localStorage.getItem(named);
  if (!name) {
    name = `Editor ${Math.random().toString(36).slice(2, 6)}`;
    localStorage.setItem(named, name);
  }
  return name;
}

export function setAuthor(name: string) {
  if (name.trim()) localStorage.setItem(named, name.trim().slice(0, 60));
}

api.use({
  onRequest({ request }) {
    request.headers.set("Loom-Author", encodeURIComponent(author()));
    return request;
  },
});

export class Problem extends Error {
  constructor(
    sentence: string,
    readonly kind: string,
    /** Of what was met: the step that was meant, and when somebody did what it met. */
    readonly met: { step?: number; at?: string } = {},
  ) {
    super(sentence);
  }
}

/** Gives the data of a call, or throws the problem it was answered with. */
export async function ok<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result: Awaited<typeof call>;
  try {
    result = await call;
  } catch {
    throw new Problem("The server can't be reached. Is it running? What it has confirmed is kept; try the rest again.", "offline");
  }
  if (result.error !== undefined || !result.response.ok) {
    const p = result.error as components["schemas"]["Problem"] | undefined;
    throw new Problem(p?.title ?? `The server answered ${result.response.status}`, p?.kind ?? "", { step: p?.step, at: p?.at });
  }
  return result.data as T;
}

/** Sends a text to the API, and gives what it answers, or throws the problem. */
export async function sendText<T>(path: string, type: string, text: string): Promise<T> {
  const headers = { "Content-Type": type, "Loom-Author": encodeURIComponent(author()) };
  const request = new Request(new URL(base + path, location.href), { method: "POST", headers, body: text });
  return ok(
    patient(request).then(async (response) => {
      const said = (await response.json()) as T;
      return response.ok ? { data: said, response } : { error: said, response };
    }),
  );
}

/** What is wrong with a file is said with its name. */
export const inFile = <T>(name: string, call: Promise<T>): Promise<T> =>
  call.catch((error: unknown) => {
    throw error instanceof Problem ? new Problem(`${name}: ${error.message}`, error.kind) : error;
  });
