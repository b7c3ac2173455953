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
};

/** How many files are sent at once. */
const parallel = 2;
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
  /** Called when a file has come to the server whole, with its production. */
  onSent: (production: string) => void = () => undefined;

  constructor(private open: (file: File, options: tus.UploadOptions) => Promise<Sender>) {}

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

  add(production: string, files: File[]) {
    const fresh = files.map((file): UploadItem => {
      const id = this.next++;
      this.files.set(id, file);
      const item = { id, production, name: file.name, size: file.size, progress: 0, message: "" };
      if (file.size > 0) return { ...item, state: "waiting" };
      return { ...item, state: "failed", message: `${file.name} is empty: it holds no bytes at all` };
    });
    this.set([...this.items, ...fresh]);
    this.pump();
  }

  cancel(id: number) {
    const upload = this.running.get(id);
    this.running.delete(id);
    this.drop(id);
    void upload?.abort(true).catch(() => undefined); // the server drops what it has
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
    for (const item of this.items) {
      if (this.running.size >= parallel) return;
      if (item.state === "waiting") this.send(item);
    }
  }

  private send({ id, production, name }: UploadItem) {
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

/** What sends is loaded with the first file. */
export const uploads = new Uploads(async (file, options) => new (await import("tus-js-client")).Upload(file, options));

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

/** How far all that is being sent has come, by bytes; null where nothing is. */
export function sendingOf(items: readonly UploadItem[]): { files: number; share: number } | null {
  const going = items.filter((i) => i.state === "waiting" || i.state === "sending");
  const bytes = going.reduce((n, i) => n + i.size, 0);
  if (going.length === 0) return null;
  return { files: going.length, share: going.reduce((n, i) => n + i.size * i.progress, 0) / bytes };
}
