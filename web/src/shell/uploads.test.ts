import { describe, expect, it, vi } from "vitest";
import * as tus from "tus-js-client";

import { refusal, sendingOf, Uploads, type Sender } from "./uploads";

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

const named = (n: number) => Array.from({ length: n }, (_, i) => new File(["123"], `${i + 1}.wav`));

describe("uploads", () => {
  it("are sent two at a time, stay where rooms change, and go one by one", async () => {
    const { uploads, sent, started } = pretend();
    uploads.onSent = vi.fn();
    uploads.add("p1", named(4));
    await started();
    expect(sent.map((s) => s.file.name)).toEqual(["1.wav", "2.wav"]);
    expect(uploads.busy()).toBe(true);
    sent[0]!.options.onProgress!(1, 2);
    expect(sendingOf(uploads.snapshot())).toEqual({ files: 4, share: 0.125 });
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
    expect(sendingOf(uploads.snapshot())).toBeNull();
    for (const i of uploads.snapshot()) uploads.again(i.id);
    await started();
    expect(sent).toHaveLength(2);
    expect(uploads.snapshot().map((i) => i.state)).toEqual(["sending", "failed"]);
  });
});
