import { describe, expect, it } from "vitest";

import { FrameQueue } from "./queue";

function block(generation: number, position: number, frames: number, value: number, frame = position) {
  return { generation, position, frame, samples: new Float32Array(frames * 2).fill(value) };
}

function pull(q: FrameQueue, n: number) {
  const l = new Float32Array(n);
  const r = new Float32Array(n);
  q.pull([l, r]);
  return [l, r] as const;
}

describe("FrameQueue", () => {
  it("plays blocks in order and counts what sounded", () => {
    const q = new FrameQueue();
    q.start(1);
    q.push(block(1, 1000, 2000, 0.5, 0));
    q.push(block(1, 3000, 200, 0.25, 2000));
    const [l] = pull(q, 2200);
    expect(l[150]).toBe(0.5);
    expect(l[2199]).toBe(0.25);
    expect(q.report()).toMatchObject({ frames: 2200, position: 3200, gaps: 0 });
  });

  it("runs backwards where its pace does, and ends where it began if nothing comes", () => {
    const q = new FrameQueue();
    q.start(1, -1, 9000);
    q.push(block(1, 9000, 2048, 0.5, 0));
    q.push(block(1, 6952, 100, 0.5, 2048));
    pull(q, 2148);
    expect(q.report()).toMatchObject({ frames: 2148, position: 6852 });
    q.start(2, -1, 400);
    q.end(2);
    pull(q, 128);
    expect(q.report()).toMatchObject({ generation: 2, frames: 0, position: 400, drained: true });
  });

  it("waits until enough has come to go on without a stutter", () => {
    const q = new FrameQueue();
    q.start(1);
    q.push(block(1, 0, 1024, 1));
    expect(Math.max(...pull(q, 128)[0])).toBe(0);
    q.push(block(1, 1024, 1024, 1));
    expect(Math.max(...pull(q, 128)[0])).toBeGreaterThan(0.9);
  });

  it("fades in, so that a start does not click", () => {
    const q = new FrameQueue();
    q.start(1);
    q.push(block(1, 0, 2048, 1));
    const [l] = pull(q, 200);
    expect(l[0]).toBeLessThan(0.01);
    expect(l[127]).toBeCloseTo(1, 5);
  });

  it("gives silence where nothing has come, marks the gap once and picks up", () => {
    const q = new FrameQueue();
    q.start(1);
    q.push(block(1, 0, 2048, 1));
    pull(q, 2048);
    pull(q, 128); // fades away
    const [l] = pull(q, 128);
    expect(Math.max(...l)).toBe(0);
    expect(q.report().gaps).toBe(1);
    q.push(block(1, 2048, 2048, 1));
    const [again] = pull(q, 300);
    expect(again[0]).toBeLessThan(0.01);
    expect(again[299]).toBe(1);
    expect(q.report().frames).toBe(2348);
  });

  it("never steps: not at a stop, a seek, a gap, the end, nor at a stop in the middle of a fade", () => {
    const loud = (q: FrameQueue, generation: number, frames: number) => {
      q.start(generation);
      q.push(block(generation, 0, frames, 0.9));
    };
    const cases: Record<string, (q: FrameQueue) => void> = {
      stop: (q) => q.stop(),
      seek: (q) => loud(q, 2, 4096),
      "seek before enough has come": (q) => loud(q, 2, 100),
      gap: () => undefined,
      end: (q) => q.end(1),
    };
    for (const [name, strike] of Object.entries(cases))
      for (const before of [2048, 1500, 60]) {
        const q = new FrameQueue();
        loud(q, 1, before === 1500 ? 8192 : 2048);
        const heard = [...pull(q, before)[0]];
        strike(q);
        for (let i = 0; i < 40; i++) heard.push(...pull(q, 128)[0]);
        const steps = heard.map((x, i) => Math.abs(x - (heard[i - 1] ?? 0)));
        expect(Math.max(...steps), `${name} after ${before} frames`).toBeLessThan(2.1 / 128);
        if (name === "stop") expect(heard.at(-1), name).toBe(0);
      }
  });

  it("goes over to what takes the place of what waits, without a step, from what sounds now on", () => {
    for (const heard of [0, 100, 2048, 2100, 3000, 4095])
      for (const from of [0, 2048, 4096]) {
        const q = new FrameQueue();
        q.start(1);
        for (const at of [0, 2048, 4096, 6144]) q.push(block(1, 7000 + at, 2048, 0.8, at));
        const before = heard ? [...pull(q, heard)[0]] : [];
        for (let at = from; at < 10240; at += 2048) q.push(block(1, 7000 + at, 2048, 0.2, at));
        const name = `${heard} heard, replaced from ${from}`;
        const all = [...before, ...pull(q, 10240 - heard)[0]];
        const over = Math.max(heard, from);
        expect(all[over + 512], name).toBeCloseTo(0.2, 5);
        if (over > 200) expect(all[over - 1], name).toBeCloseTo(0.8, 5);
        expect(Math.max(...all.map((x, i) => Math.abs(x - (all[i - 1] ?? 0)))), name).toBeLessThan(0.01);
        expect(q.report(), name).toMatchObject({ frames: 10240, position: 17240, gaps: 0 });
      }
  });

  it("leaves out what comes too late to take a place", () => {
    const q = new FrameQueue();
    q.start(1);
    q.push(block(1, 0, 4096, 0.8));
    pull(q, 3000);
    q.push(block(1, 1000, 1000, 0.2));
    expect(pull(q, 500)[0][499]).toBeCloseTo(0.8, 5);
    expect(q.report().frames).toBe(3500);
  });

  it("drops what belongs to an earlier start", () => {
    const q = new FrameQueue();
    q.start(2);
    q.push(block(1, 0, 4096, 1));
    expect(Math.max(...pull(q, 128)[0])).toBe(0);
    expect(q.report().frames).toBe(0);
  });

  it("knows the end from a gap, also of something short", () => {
    const q = new FrameQueue();
    q.start(1);
    q.push(block(1, 0, 128, 1));
    q.end(1);
    pull(q, 256);
    expect(q.report()).toMatchObject({ gaps: 0, drained: true, frames: 128 });
  });

  it("plays as many loudspeakers as there are, and goes over in each", () => {
    const q = new FrameQueue(3);
    q.start(1);
    const block = (frame: number, v: number, n = 2048) => ({
      generation: 1,
      position: frame,
      frame,
      samples: Float32Array.from({ length: 3 * n }, (_, k) => v * ((k % 3) + 1)),
    });
    q.push(block(0, 0.1));
    q.push(block(2048, 0.1));
    const ears = (n: number) => {
      const out = [new Float32Array(n), new Float32Array(n), new Float32Array(n)];
      q.pull(out);
      return out;
    };
    const first = ears(1000);
    for (let c = 0; c < 3; c++) expect(first[c]![999]).toBeCloseTo(0.1 * (c + 1), 6);
    q.push(block(1024, -0.1)); // takes the place of what waits from there on
    const then = ears(1000);
    for (let c = 0; c < 3; c++) {
      expect(then[c]![23]).toBeCloseTo(0.1 * (c + 1), 6);
      expect(then[c]![24 + 256]).toBeCloseTo(-0.1 * (c + 1), 6);
      for (let i = 1; i < 1000; i++) expect(Math.abs(then[c]![i]! - then[c]![i - 1]!)).toBeLessThan(0.003 * (c + 1));
    }
    expect(q.report().frames).toBe(2000);
  });
});
