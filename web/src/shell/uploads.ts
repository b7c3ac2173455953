// Files on their way to the server, whichever room is open: resumable (tus), several at once, cancelled one by one.
import { useMemo, useSyncExternalStore } from "react";
import type * as tus from "tus-js-client";

import { base } from "../api/client";

export type UploadItem = {
  id: number;
  production: string;
  name: string;
  size: number; // bytes
  progress: number;
  state: "waiting" | "sending" | "interrupted" | "failed";
  message: string;
  /** Where the server waits for it; not there yet before it knows of it. */
  url?: string;
};

/** A file that the server waits for, and that may have been begun before the page was loaded again. */
export type Awaited = { id: string; title: string; size: number };

/** How many files are sent at once, and how many where they are small: then it is the way there and back that takes the time. */
const parallel = 2;
const parallelSmall = 6;
const small = 4 << 20;
/** How many are told to the server at once before the first byte of any. */
const announced = 8;
/** Bytes in one request: what a broken connection costs at most. */
const chunk = 8 << 20;

/** What the server answered where that was the error; null where it was never reached. */
const answerTo = (error: Error) => (error as Partial<tus.DetailedError>).originalResponse ?? null;

/** Reads the sentence of a refused upload. */
export function refusal(error: Error): string {
  const response = answerTo(error);
  if (!response) return "The connection broke off. What was sent is kept; press Try again to go on from there.";
  const body = response.getBody().trim();
  const m = /^ERR_[A-Z_]+: (.*)$/s.exec(body);
  return m?.[1] ?? `The server refused the file (${response.getStatus()})`;
}

/** The part of tus.Upload that is used. */
export type Sender = Pick<tus.Upload, "start" | "abort" | "findPreviousUploads" | "resumeFromPreviousUpload">;

/** How every file is sent. */
const sending = (production: string, filename: string): tus.UploadOptions => ({
  endpoint: `${base}/uploads/`,
  chunkSize: chunk,
  retryDelays: [0, 1000, 3000, 5000],
  metadata: { filename, production },
  removeFingerprintOnSuccess: true,
  onShouldRetry: (error) => {
    const response = answerTo(error);
    return response === null || response.getStatus() >= 500;
  },
});

export class Uploads {
  private items: readonly UploadItem[] = [];
  private listeners = new Set<() => void>();
  private running = new Map<number, Sender | null>(); // null before it has begun
  private files = new Map<number, File>();
  private next = 1;
  /** Files that have been told to the server; the bytes of none go before all have been. */
  private telling = 0;
  /** All that was added since nothing was on its way. */
  private batch = { files: 0, bytes: 0, from: 0 };
  /** Called when a file has come to the server whole, with its production. */
  onSent: (production: string) => void = () => undefined;

  constructor(
    private open: (file: File, options: tus.UploadOptions) => Promise<Sender>,
    /** Tells the server of a file, and gives where it waits for it. */
    private announce?: (production: string, name: string, size: number) => Promise<string>,
    /** Tells the server that a file will not come. */
    private forget?: (url: string) => Promise<unknown>,
    private now: () => number = () => performance.now(),
  ) {}

  subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => {
      this.listeners.delete(f);
    };
  };
  snapshot = () => this.items;

  private set(items: readonly UploadItem[]) {
    this.items = items;
    this.listeners.forEach((f) => f());
  }

  private change(id: number, part: Partial<UploadItem>) {
    this.set(this.items.map((i) => (i.id === id ? { ...i, ...part } : i)));
  }

  private drop(id: number) {
    this.files.delete(id);
    this.set(this.items.filter((i) => i.id !== id));
  }

  /** Sends files; those that the server waits for already go on where they were. */
  add(production: string, files: File[], awaited: Awaited[] = []) {
    if (!this.busy()) this.batch = { files: 0, bytes: 0, from: this.now() };
    const left = awaited.filter((a) => !this.items.some((i) => i.url === urlOf(a.id)));
    const fresh = files.map((file): UploadItem => {
      const id = this.next++;
      this.files.set(id, file);
      const same = left.findIndex((a) => a.title === file.name && a.size === file.size);
      const url = same < 0 ? undefined : urlOf(left.splice(same, 1)[0]!.id);
      const item = { id, production, name: file.name, size: file.size, progress: 0, message: "", url };
      if (file.size > 0) this.batch = { ...this.batch, files: this.batch.files + 1, bytes: this.batch.bytes + file.size };
      if (file.size > 0) return { ...item, state: "waiting" };
      return { ...item, state: "failed", message: `${file.name} is empty: it holds no bytes at all` };
    });
    this.set([...this.items, ...fresh]);
    void this.tell(fresh.filter((i) => i.state === "waiting" && !i.url));
  }

  /** Tells the server what comes, so that it is on its list before the first byte. Where that fails, sending says why. */
  private async tell(fresh: UploadItem[]) {
    if (!this.announce) return this.pump();
    this.telling++;
    const rest = [...fresh];
    const one = async () => {
      for (let i = rest.shift(); i; i = rest.shift()) {
        const { id, production, name, size } = i;
        const url = await this.announce!(production, name, size).catch(() => undefined);
        if (url && this.files.has(id)) this.change(id, { url });
        else if (url) void this.forget?.(url).catch(() => undefined); // it was cancelled meanwhile
      }
    };
    await Promise.all(Array.from({ length: announced }, one));
    this.telling--;
    this.pump();
  }

  /** How far all that was added has come: files that are there, of how many, by bytes, and how many seconds are left, where that can be told. */
  progress(): { done: number; of: number; share: number; left: number | null } | null {
    const going = this.items.filter((i) => i.state === "waiting" || i.state === "sending");
    if (going.length === 0) return null;
    const { files, bytes, from } = this.batch;
    const missing = going.reduce((n, i) => n + i.size * (1 - i.progress), 0);
    const share = Math.max(0, 1 - missing / Math.max(1, bytes));
    const spent = (this.now() - from) / 1000;
    return { done: files - going.length, of: files, share, left: spent > 2 && share > 0.01 ? (spent / share) * (1 - share) : null };
  }

  cancel(id: number) {
    const upload = this.running.get(id);
    const { url, size } = this.items.find((i) => i.id === id) ?? {};
    this.running.delete(id);
    this.drop(id);
    if (size) this.batch = { ...this.batch, files: this.batch.files - 1, bytes: this.batch.bytes - size };
    if (upload)
      void upload.abort(true).catch(() => undefined); // the server drops what it has
    else if (url) void this.forget?.(url).catch(() => undefined);
    this.pump();
  }

  again(id: number) {
    if (!this.files.get(id)?.size) return;
    this.change(id, { state: "waiting", message: "" });
    this.pump();
  }

  /** Whether files would be lost if the page were closed now. */
  busy = () => this.items.some((i) => i.state === "waiting" || i.state === "sending");

  private pump() {
    if (this.telling > 0) return;
    for (const item of this.items) {
      if (this.running.size >= (item.size < small ? parallelSmall : parallel)) return;
      if (item.state === "waiting") this.send(item);
    }
  }

  private send({ id, production, name, url }: UploadItem) {
    this.running.set(id, null);
    this.change(id, { state: "sending" });
    const ended = (end: () => void) => {
      if (!this.running.delete(id)) return; // it was cancelled
      end();
      this.pump();
    };
    const file = this.files.get(id)!;
    const options: tus.UploadOptions = {
      ...sending(production, name),
      uploadUrl: url,
      onProgress: (sent, total) => this.change(id, { progress: total ? sent / total : 0 }),
      onSuccess: () =>
        ended(() => {
          this.drop(id);
          this.onSent(production);
        }),
      onError: (error) =>
        ended(() => {
          this.change(id, { state: answerTo(error) ? "failed" : "interrupted", message: refusal(error) });
        }),
    };
    this.open(file, options).then(
      async (upload) => {
        if (!this.running.has(id)) return; // it was cancelled meanwhile
        this.running.set(id, upload);
        if (url) return upload.start();
        const previous = await upload.findPreviousUploads().catch(() => []);
        if (this.running.get(id) !== upload) return;
        // The same file begun earlier, also before the page was loaded again, goes on where it stopped.
        const same = previous.find((p) => p.metadata.production === production && p.metadata.filename === name);
        if (same) upload.resumeFromPreviousUpload(same);
        upload.start();
      },
      (error: unknown) => options.onError!(error as Error),
    );
  }
}

/** Sends one file and gives the work that takes it in. */
export async function sendWhole(production: string, file: File): Promise<string> {
  const { Upload } = await import("tus-js-client");
  return new Promise((done, fail) => {
    const upload: tus.Upload = new Upload(file, {
      ...sending(production, file.name),
      onSuccess: () => done(upload.url!.replace(/\/+$/, "").split("/").pop()!),
      onError: (error) => fail(new Error(refusal(error))),
    });
    upload.start();
  });
}

/** Where the server waits for an upload. */
const urlOf = (id: string) => `${base}/uploads/${id}`;

const tusHeaders = { "Tus-Resumable": "1.0.0" };
/** Words as the protocol has them in its headers: each by its name, as base64 of UTF-8. */
const metadata = (of: Record<string, string>) =>
  Object.entries(of)
    .map(([name, value]) => `${name} ${btoa(String.fromCharCode(...new TextEncoder().encode(value)))}`)
    .join(",");

async function announceFile(production: string, filename: string, size: number): Promise<string> {
  const headers = { ...tusHeaders, "Upload-Length": String(size), "Upload-Metadata": metadata({ filename, production }) };
  const answer = await fetch(`${base}/uploads/`, { method: "POST", headers });
  const id = answer.headers.get("Location")?.replace(/\/+$/, "").split("/").pop();
  if (!answer.ok || !id) throw new Error("It was not taken");
  return urlOf(id);
}

const forgetFile = (url: string) => fetch(url, { method: "DELETE", headers: tusHeaders });

/** Puts away what the server waits for and nobody sends. */
export const forgetAwaited = (ids: string[]) => Promise.all(ids.map((id) => forgetFile(urlOf(id))));

/** Of what the server waits for, what this page does not send. */
export const unsent = <A extends Awaited>(awaited: A[], items: readonly UploadItem[]): A[] =>
  awaited.filter((a) => !items.some((i) => i.url === urlOf(a.id)));

/** What sends is loaded with the first file. */
export const uploads = new Uploads(
  async (file, options) => new (await import("tus-js-client")).Upload(file, options),
  announceFile,
  forgetFile,
);

if (typeof window !== "undefined")
  window.addEventListener("beforeunload", (e) => {
    if (uploads.busy()) e.preventDefault();
  });

export const useAllUploads = () => useSyncExternalStore(uploads.subscribe, uploads.snapshot);

/** What is on its way into a production. */
export function useUploads(production: string): readonly UploadItem[] {
  const all = useAllUploads();
  return useMemo(() => all.filter((i) => i.production === production), [all, production]);
}
