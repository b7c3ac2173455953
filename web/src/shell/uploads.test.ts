import { describe, expect, it, vi } from "vitest";
import * as tus from "tus-js-client";

import { refusal, unsent, Uploads, type Sender } from "./uploads";

// The library's types hide that its error takes a response.
const Refused = tus.DetailedError as unknown as new (...parts: unknown[]) => tus.DetailedError;
const refused = (status: number, body: string) =>
  new Refused("refused", undefined, undefined, {
    getStatus: () => status,
    getBody: () => body,
    getHeader: () => undefined,
    getUnderlyingObject: () => undefined,
  });

describe("an upload that did not come through", () => {
  it("gives the server's sentence", () => {
    expect(refusal(refused(400, "ERR_REFUSED: Chain.wav is empty\n"))).toBe("Chain.wav is empty");
  });
  it("says what it can where there is none", () => {
    expect(refusal(refused(500, "<html>"))).toContain("500");
  });
  it("tells a broken connection from a refusal", () => {
    expect(refusal(new Error("network"))).toContain("What was sent is kept");
  });
});

/** A server that takes files when it is told to. */
function pretend() {
  const sent: { file: File; options: tus.UploadOptions; abort: ReturnType<typeof vi.fn> }[] = [];
  const uploads = new Uploads(async (file, options) => {
    const abort = vi.fn(() => Promise.resolve());
    return {
      findPreviousUploads: () => Promise.resolve([]),
      resumeFromPreviousUpload: () => undefined,
      start: () => void sent.push({ file, options, abort }),
      abort,
    } as unknown as Sender;
  });
  return { uploads, sent, started: () => new Promise((done) => setTimeout(done)) };
}

const large = new Uint8Array(4 << 20);
const named = (n: number, bytes: BlobPart = large) => Array.from({ length: n }, (_, i) => new File([bytes], `${i + 1}.wav`));

describe("uploads", () => {
  it("are sent two at a time, stay where rooms change, and go one by one", async () => {
    const { uploads, sent, started } = pretend();
    uploads.onSent = vi.fn();
    uploads.add("p1", named(4));
    await started();
    expect(sent.map((s) => s.file.name)).toEqual(["1.wav", "2.wav"]);
    expect(uploads.busy()).toBe(true);
    sent[0]!.options.onProgress!(1, 2);
    expect(uploads.progress()).toEqual({ done: 0, of: 4, share: 0.125, left: null });
    sent[0]!.options.onSuccess!({} as never);
    expect(uploads.onSent).toHaveBeenCalledWith("p1");
    await started();
    expect(sent.map((s) => s.file.name)).toEqual(["1.wav", "2.wav", "3.wav"]);
  });
  it("are cancelled, also while they are sent, and what comes of them later changes nothing", async () => {
    const { uploads, sent, started } = pretend();
    uploads.add("p1", named(3));
    await started();
    const [first, , third] = uploads.snapshot();
    uploads.cancel(third!.id);
    uploads.cancel(first!.id);
    expect(sent[0]!.abort).toHaveBeenCalledWith(true);
    sent[0]!.options.onError!(new Error("aborted"));
    expect(uploads.snapshot().map((i) => [i.name, i.state])).toEqual([["2.wav", "sending"]]);
  });
  it("that broke off are kept, and tried again", async () => {
    const { uploads, sent, started } = pretend();
    uploads.add("p1", [...named(1), new File([], "empty.wav")]);
    await started();
    sent[0]!.options.onError!(new Error("network"));
    expect(uploads.snapshot().map((i) => i.state)).toEqual(["interrupted", "failed"]);
    expect(uploads.busy()).toBe(false);
    expect(uploads.progress()).toBeNull();
    for (const i of uploads.snapshot()) uploads.again(i.id);
    await started();
    expect(sent).toHaveLength(2);
    expect(uploads.snapshot().map((i) => i.state)).toEqual(["sending", "failed"]);
  });
  it("that are small go several at a time: it is the way there and back that takes the time", async () => {
    const { uploads, sent, started } = pretend();
    uploads.add("p1", named(9, "123"));
    await started();
    expect(sent).toHaveLength(6);
  });
  it("are all on the server's list before the first byte of any, and go on where the server has them already", async () => {
    const told: string[] = [];
    const forgotten: string[] = [];
    let go = () => {};
    const hold = new Promise<void>((done) => (go = done));
    const sent: (string | null | undefined)[] = [];
    const open = (file: File, options: tus.UploadOptions) =>
      Promise.resolve({
        start: () => void sent.push(options.uploadUrl ?? file.name),
        abort: () => Promise.resolve(),
        findPreviousUploads: () => Promise.resolve([]),
      } as unknown as Sender);
    const announce = async (_: string, name: string) => {
      told.push(name);
      await hold;
      if (name === "3.wav") throw new Error("no");
      return `/api/v1/uploads/of ${name}`;
    };
    const uploads = new Uploads(open, announce, (url) => (forgotten.push(url), Promise.resolve()));
    const awaited = [
      { id: "w2", title: "2.wav", size: 3 },
      { id: "other", title: "1.wav", size: 4 },
    ];
    uploads.add("p1", named(5, "123"), awaited);
    await new Promise((done) => setTimeout(done));
    expect([told, sent]).toEqual([["1.wav", "3.wav", "4.wav", "5.wav"], []]);
    expect(unsent(awaited, uploads.snapshot())).toEqual([awaited[1]]);
    uploads.cancel(uploads.snapshot()[4]!.id);
    go();
    await new Promise((done) => setTimeout(done, 5));
    expect(forgotten, "what was cancelled meanwhile will not come").toEqual(["/api/v1/uploads/of 5.wav"]);
    expect(sent).toEqual(["/api/v1/uploads/of 1.wav", "/api/v1/uploads/w2", "/api/v1/uploads/of 4.wav", "3.wav"]);
  });
  it("say how many of how many are there, and how long the rest takes", async () => {
    let now = 0;
    const sent: tus.UploadOptions[] = [];
    const open = (_: File, options: tus.UploadOptions) => Promise.resolve({ start: () => void sent.push(options) } as unknown as Sender);
    const begin = (_: string, name: string) => Promise.resolve(`/${name}`);
    const uploads = new Uploads(open, begin, undefined, () => now);
    uploads.add("p1", named(4, "1234"));
    await new Promise((done) => setTimeout(done, 5));
    now = 1000;
    sent[0]!.onSuccess!({} as never);
    expect(uploads.progress(), "too soon to tell").toEqual({ done: 1, of: 4, share: 0.25, left: null });
    now = 10_000;
    sent[1]!.onProgress!(2, 4);
    expect(uploads.progress()).toEqual({ done: 1, of: 4, share: 0.375, left: (10 / 0.375) * 0.625 });
    uploads.add("p1", named(1, "1234"));
    await new Promise((done) => setTimeout(done, 5));
    expect(uploads.progress()).toMatchObject({ done: 1, of: 5 });
    for (const s of sent.slice(1)) s.onSuccess!({} as never);
    expect(uploads.progress()).toBeNull();
  });
});
