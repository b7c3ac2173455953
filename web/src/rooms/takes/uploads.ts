// Uploads in progress: resumable (tus), several at once, cancelled one by one.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import * as tus from "tus-js-client";

import { base } from "../../api/client";
import { keysOf } from "../../api/keys";

export type UploadItem = {
  id: number;
  name: string;
  progress: number;
  state: "waiting" | "sending" | "interrupted" | "failed";
  message: string;
};

/** How many files are sent at once. */
const parallel = 2;
/** Bytes in one request: what a broken connection costs at most. */
const chunk = 8 << 20;

export type Uploads = { items: UploadItem[]; add: (files: File[]) => void; cancel: (id: number) => void; again: (id: number) => void };

/** Reads the sentence of a refused upload. */
export function refusal(error: Error): string {
  const response = error instanceof tus.DetailedError ? error.originalResponse : null;
  if (!response) return "The connection broke off. What was sent is kept; press Try again to go on from there.";
  const body = response.getBody().trim();
  const m = /^ERR_[A-Z_]+: (.*)$/s.exec(body);
  return m?.[1] ?? `The server refused the file (${response.getStatus()})`;
}

let next = 1;

export function useUploads(production: string): Uploads {
  const queries = useQueryClient();
  const [items, setItems] = useState<UploadItem[]>([]);
  const running = useRef(new Map<number, tus.Upload>());
  const waiting = useRef<{ id: number; file: File }[]>([]);
  const files = useRef(new Map<number, File>());

  const change = useCallback(
    (id: number, part: Partial<UploadItem> | null) =>
      setItems((list) => (part ? list.map((i) => (i.id === id ? { ...i, ...part } : i)) : list.filter((i) => i.id !== id))),
    [],
  );

  const pump = useCallback(() => {
    while (running.current.size < parallel && waiting.current.length > 0) {
      const { id, file } = waiting.current.shift()!;
      const upload = new tus.Upload(file, {
        endpoint: `${base}/uploads/`,
        chunkSize: chunk,
        retryDelays: [0, 1000, 3000, 5000],
        metadata: { filename: file.name, production },
        removeFingerprintOnSuccess: true,
        onShouldRetry: (error) =>
          (error as tus.DetailedError).originalResponse == null || ((error as tus.DetailedError).originalResponse?.getStatus() ?? 0) >= 500,
        onProgress: (sent, total) => change(id, { state: "sending", progress: total ? sent / total : 0 }),
        onSuccess: () => {
          running.current.delete(id);
          files.current.delete(id);
          change(id, null);
          void queries.invalidateQueries({ queryKey: keysOf.work(production) });
          pump();
        },
        onError: (error) => {
          running.current.delete(id);
          const interrupted = !(error instanceof tus.DetailedError && error.originalResponse);
          change(id, { state: interrupted ? "interrupted" : "failed", message: refusal(error) });
          pump();
        },
      });
      running.current.set(id, upload);
      change(id, { state: "sending", message: "" });
      void upload.findPreviousUploads().then((previous) => {
        // The same file begun earlier, also before the page was loaded again, goes on where it stopped.
        const same = previous.find((p) => p.metadata.production === production && p.metadata.filename === file.name);
        if (same) upload.resumeFromPreviousUpload(same);
        upload.start();
      });
    }
  }, [change, production, queries]);

  const add = useCallback(
    (list: File[]) => {
      const fresh = list.map((file) => ({ id: next++, file }));
      fresh.forEach(({ id, file }) => files.current.set(id, file));
      setItems((old) => [
        ...old,
        ...fresh.map(({ id, file }) =>
          file.size === 0
            ? ({ id, name: file.name, progress: 0, state: "failed", message: `${file.name} is empty: it holds no bytes at all` } as const)
            : ({ id, name: file.name, progress: 0, state: "waiting", message: "" } as const),
        ),
      ]);
      waiting.current.push(...fresh.filter(({ file }) => file.size > 0));
      pump();
    },
    [pump],
  );

  const cancel = useCallback(
    (id: number) => {
      waiting.current = waiting.current.filter((w) => w.id !== id);
      const upload = running.current.get(id);
      running.current.delete(id);
      files.current.delete(id);
      change(id, null);
      void upload?.abort(true).catch(() => undefined); // the server drops what it has
      pump();
    },
    [change, pump],
  );

  const again = useCallback(
    (id: number) => {
      const file = files.current.get(id);
      if (!file || file.size === 0) return;
      change(id, { state: "waiting", message: "" });
      waiting.current.push({ id, file });
      pump();
    },
    [change, pump],
  );

  useEffect(() => {
    const warn = (e: BeforeUnloadEvent) => {
      if (running.current.size > 0) e.preventDefault();
    };
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, []);

  return { items, add, cancel, again };
}
