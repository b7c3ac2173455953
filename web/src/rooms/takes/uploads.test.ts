import { describe, expect, it } from "vitest";
import * as tus from "tus-js-client";

import { refusal } from "./uploads";

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
