// @vitest-environment jsdom
import { beforeEach, describe, expect, it, vi } from "vitest";

import type { FromSocket } from "./socket.worker";

const told = vi.hoisted(() => vi.fn());
const sent = vi.hoisted(() => ({
  list: [] as { do: string; generation?: number; message?: Record<string, unknown> }[],
  worker: null as { onmessage?: (e: { data: unknown }) => void } | null,
}));
vi.mock("../ui/notices", () => ({ tell: told }));
vi.mock("./worklet?worker&url", () => ({ default: "worklet.js" }));
vi.mock("./socket.worker?worker", () => ({
  default: class {
    onmessage?: (e: { data: unknown }) => void;
    constructor() {
      sent.worker = this;
    }
    postMessage(m: (typeof sent.list)[number]) {
      sent.list.push(m);
    }
  },
}));

class Context {
  state = "running";
  destination = {};
  currentTime = 0;
  createGain = () => ({ gain: { value: 1, setTargetAtTime: () => undefined }, connect: () => undefined, context: this });
  audioWorklet = { addModule: () => Promise.resolve() };
  resume = () => Promise.resolve();
}
class Node {
  port = { postMessage: () => undefined };
  connect() {
    return this;
  }
}

/** A player of its own for each test. */
async function fresh() {
  vi.resetModules();
  sent.list = [];
  vi.stubGlobal("AudioContext", Context);
  vi.stubGlobal("AudioWorkletNode", Node);
  const { player } = await import("./player");
  const worker = (m: FromSocket) => sent.worker!.onmessage!({ data: m });
  const heard = (part: Partial<Extract<FromSocket, { is: "heard" }>["heard"]>) =>
    worker({
      is: "heard",
      heard: { generation: messages().at(-1)!.generation!, position: 0, frames: 128, pace: 1, gaps: 0, drained: false, ...part } as never,
      meters: [],
    });
  return { player, worker, heard };
}

const messages = () => sent.list.filter((m) => m.do === "send");
const manner = { tap: { kind: "stems", id: "" }, solo: [], loop: null, half: false, lane: undefined } as const;

describe("the player", () => {
  beforeEach(() => {
    told.mockClear();
    vi.useRealTimers();
  });

  it("asks for a reel as it is to be heard, and knows where it is by what has sounded", async () => {
    const { player, heard } = await fresh();
    await player.playReel("r1", 1000.4, { ...manner, half: true, loop: { from: 1, to: 9 } } as never);
    expect(messages()).toHaveLength(1);
    expect(messages()[0]!.message).toMatchObject({ do: "play", reel: "r1", from: 1000, speed: 0.5, loop: { from: 1, to: 9 } });
    await player.playReel("r1", 5000, { ...manner, back: true, until: 400 } as never);
    expect(messages().at(-1)!.message).toMatchObject({ do: "play", from: 5000, speed: -1, until: 400 });
    expect(player.snapshot().playing).toMatchObject({ back: true });
    await player.playReel("r1", 1000.4, { ...manner, half: true, loop: { from: 1, to: 9 } } as never);
    heard({ position: 5000 });
    expect(player.snapshot()).toMatchObject({ position: 5000, playing: { what: "reel", id: "r1" }, lost: false });
    heard({ position: 6000, drained: true });
    expect(player.snapshot().playing).toBeNull();
  });

  it("does not listen to what was asked for before", async () => {
    const { player, worker } = await fresh();
    await player.playReel("r1", 0, manner as never);
    const old = messages()[0]!.generation!;
    await player.playReel("r2", 0, manner as never);
    worker({ is: "heard", heard: { generation: old, position: 777, frames: 128, pace: 1, gaps: 0, drained: true } as never, meters: [] });
    worker({ is: "failed", generation: old, message: "too late" });
    expect(player.snapshot()).toMatchObject({ position: 0, playing: { id: "r2" } });
    expect(told).not.toHaveBeenCalled();
  });

  it("gives silence and a mark when the connection is lost, and goes on from there", async () => {
    const { player, worker, heard } = await fresh();
    await player.playReel("r1", 0, manner as never);
    heard({ position: 48000 });
    vi.useFakeTimers();
    worker({ is: "closed", everOpen: true });
    expect(player.snapshot()).toMatchObject({ lost: true, gaps: 1 });
    heard({ position: 48900 }); // what was on its way still sounds
    expect(player.snapshot()).toMatchObject({ lost: true, position: 48900 });
    vi.advanceTimersByTime(600);
    worker({ is: "closed", everOpen: false }); // the server is not back yet
    expect(player.snapshot()).toMatchObject({ lost: true, gaps: 1 });
    expect(told).not.toHaveBeenCalled();
    vi.advanceTimersByTime(1000);
    expect(messages().at(-1)!.message).toMatchObject({ do: "play", reel: "r1", from: 48900 });
    expect(messages().at(-1)!.generation).toBeGreaterThan(messages()[0]!.generation!);
    heard({ position: 49000 });
    expect(player.snapshot()).toMatchObject({ lost: false, gaps: 1, position: 49000 });
  });

  it("gives up in words when the server stays away", async () => {
    const { player, worker, heard } = await fresh();
    await player.playReel("r1", 0, manner as never);
    heard({ position: 10 });
    vi.useFakeTimers();
    for (let i = 0; i < 60 && player.snapshot().playing; i++) {
      worker({ is: "closed", everOpen: true });
      vi.advanceTimersByTime(600);
    }
    expect(player.snapshot().playing).toBeNull();
    expect(told).toHaveBeenCalledWith("The connection was lost while playing. Press play to go on.", true);
  });

  it("says that it waits for room, and begins by itself", async () => {
    const { player, worker, heard } = await fresh();
    await player.playReel("r1", 0, manner as never);
    const generation = messages().at(-1)!.generation!;
    worker({ is: "waits", generation: generation - 1, message: "too late" });
    expect(player.snapshot().waits).toBe(false);
    worker({ is: "waits", generation, message: "The server plays for 50 already" });
    expect(player.snapshot()).toMatchObject({ waits: true, playing: { id: "r1" } });
    expect(told).toHaveBeenCalledExactlyOnceWith("The server plays for 50 already");
    heard({ position: 1024 });
    expect(player.snapshot()).toMatchObject({ waits: false, position: 1024 });
    worker({ is: "waits", generation, message: "again" });
    player.stop();
    expect(player.snapshot()).toMatchObject({ waits: false, playing: null });
  });

  it("says when there is no server at all, and what the server refuses", async () => {
    const { player, worker } = await fresh();
    await player.playReel("r1", 0, manner as never);
    worker({ is: "closed", everOpen: false });
    expect(told).toHaveBeenCalledWith(expect.stringContaining("Is it running?"), true);
    await player.playReel("r1", 0, manner as never);
    worker({ is: "failed", generation: messages().at(-1)!.generation!, message: "There is nothing to hear" });
    expect(told).toHaveBeenLastCalledWith("There is nothing to hear", true);
    expect(player.snapshot().playing).toBeNull();
  });

  it("says when the browser can't play, and tries anew later", async () => {
    const { player } = await fresh();
    vi.stubGlobal("AudioWorkletNode", undefined);
    await player.playReel("r1", 0, manner as never);
    expect(told).toHaveBeenCalledWith(expect.stringContaining("AudioWorklet"), true);
    vi.stubGlobal("AudioWorkletNode", Node);
    await player.playReel("r1", 0, manner as never);
    expect(messages()).not.toHaveLength(0);
  });

  it("says when sound never begins, as without a sound output", async () => {
    vi.useFakeTimers();
    const { player } = await fresh();
    class Mute extends Context {
      state = "suspended";
      resume = () => new Promise<void>(() => undefined);
    }
    vi.stubGlobal("AudioContext", Mute);
    const played = player.playReel("r1", 0, manner as never);
    await vi.advanceTimersByTimeAsync(5000);
    await played;
    expect(told).toHaveBeenCalledWith(expect.stringContaining("sound output"), true);
    expect(player.snapshot().playing).toBeNull();
    expect(messages().map((m) => m.message!.do)).not.toContain("play");
  });

  it("changes what is heard without starting again, but only of what plays", async () => {
    const { player } = await fresh();
    player.change({ tap: { kind: "stem", id: "DX" }, solo: [], loop: null });
    expect(messages()).toHaveLength(0);
    await player.playReel("r1", 0, manner as never);
    player.change({ tap: { kind: "stem", id: "DX" }, solo: ["t1"], loop: null });
    expect(messages().at(-1)).toMatchObject({
      generation: messages()[0]!.generation,
      message: { do: "change", tap: { kind: "stem", id: "DX" }, solo: ["t1"] },
    });
    player.stop();
    expect(messages().at(-1)!.message).toEqual({ do: "stop" });
  });
});
