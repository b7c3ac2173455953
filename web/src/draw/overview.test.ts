import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { extent, levelFor, onOverview, Overviews } from "./overview";

/** A server with a two-channel take whose bin n reaches from −n to n+1 on channel 0 with an RMS of 3n, twice that on channel 1. */
function serve() {
  return vi.fn(async (url: string) => {
    const q = new URL(url, "http://x").searchParams;
    const from = Number(q.get("from"));
    const count = Math.min(Number(q.get("count")), Math.max(0, 10000 - from));
    const data = new Int16Array(count * 6);
    for (let i = 0; i < count; i++) {
      const n = from + i;
      data.set([-n, n + 1, 3 * n, -2 * n, 2 * (n + 1), 6 * n], i * 6);
    }
    return { ok: true, arrayBuffer: async () => data.buffer } as unknown as Response;
  });
}

const arrived = () =>
  new Promise<void>((done) => {
    const stop = onOverview(() => {
      stop();
      done();
    });
  });

describe("overviews", () => {
  beforeEach(() => vi.stubGlobal("fetch", serve()));
  afterEach(() => vi.unstubAllGlobals());

  it("takes the coarsest resolution that has a bin for each pixel", () => {
    expect([10, 128, 2047, 2048, 32768, 1e9].map(levelFor)).toEqual([0, 0, 0, 1, 2, 2]);
  });

  it("fetches once, then sums bins up to an extent", async () => {
    expect(extent("a", 2, 0, 0, 0, 128 * 4)).toBeNull();
    expect(extent("a", 2, 1, 0, 0, 128 * 4)).toBeNull();
    await arrived();
    expect(fetch).toHaveBeenCalledTimes(1);
    const { rms, ...peaks } = extent("a", 2, 0, 0, 0, 128 * 4)!;
    expect(peaks).toEqual({ low: -3 / 32767, high: 4 / 32767 });
    expect(rms * 32767).toBeCloseTo(3 * Math.sqrt((0 + 1 + 4 + 9) / 4), 9);
    expect(extent("a", 2, 1, 0, 128, 256)).toEqual({ low: -2 / 32767, high: 4 / 32767, rms: 6 / 32767 });
  });

  it("reads over the edge of a chunk, and ends with the take", async () => {
    const edge = [8191 * 128, 8193 * 128] as const;
    extent("b", 2, 0, 0, ...edge);
    await arrived();
    extent("b", 2, 0, 0, ...edge);
    await arrived();
    expect(extent("b", 2, 0, 0, ...edge)).toMatchObject({ low: -8192 / 32767, high: 8193 / 32767 });
    expect(extent("b", 2, 0, 0, 9999 * 128, 20000 * 128)!.high).toBe(10000 / 32767);
  });
});

describe("what is kept of overviews", () => {
  const kept = (most: number) => {
    let clock = 0;
    const asked: string[] = [];
    const overviews = new Overviews(
      (path) => {
        asked.push(path);
        return Promise.resolve(new ArrayBuffer(1000));
      },
      () => clock,
      most,
    );
    return { overviews, asked, wait: (ms: number) => (clock += ms), settled: () => new Promise((done) => setTimeout(done)) };
  };

  it("fetches what is in view once, however much that is", async () => {
    const { overviews, asked, wait, settled } = kept(100_000); // room for a hundred
    for (let frame = 0; frame < 120; frame++) {
      for (let take = 0; take < 501; take++) overviews.chunk(`t${take}`, 2, 0);
      wait(16);
      await settled();
    }
    expect(asked).toHaveLength(501);
    expect(overviews.chunk("t0", 2, 0)).toBeInstanceOf(Int16Array);
  });

  it("lets go of what was not drawn for longest, and has it again when it is drawn again", async () => {
    const { overviews, asked, wait, settled } = kept(10_000);
    for (let take = 0; take < 10; take++) {
      overviews.chunk(`t${take}`, 0, 0);
      await settled();
      wait(1000);
    }
    overviews.chunk("t0", 0, 0); // drawn again
    overviews.chunk("new", 0, 0);
    await settled();
    expect(asked).toHaveLength(11);
    expect(overviews.chunk("t0", 0, 0)).not.toBeNull();
    expect(overviews.chunk("t1", 0, 0)).toBeNull();
    await settled();
    expect(overviews.chunk("t1", 0, 0)).not.toBeNull();
    expect(asked).toHaveLength(12);
  });

  it("keeps the piece that is asked for again and again, which is not looked up anew each time", async () => {
    const { overviews, asked, wait, settled } = kept(10_000);
    overviews.chunk("drawn", 0, 0);
    await settled();
    for (let take = 0; take < 20; take++) {
      overviews.chunk(`t${take}`, 0, 0);
      await settled();
      wait(3000);
      for (let pixel = 0; pixel < 3; pixel++) expect(overviews.chunk("drawn", 0, 0)).not.toBeNull();
    }
    expect(overviews.chunk("t19", 0, 0)).not.toBeNull();
    expect(overviews.chunk("drawn", 0, 0)).not.toBeNull();
    expect(asked.filter((path) => path.startsWith("/takes/drawn/"))).toHaveLength(1);
    expect(overviews.chunk("t0", 0, 0)).toBeNull();
  });
});
