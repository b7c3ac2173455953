// The player: one WebSocket, one AudioWorklet, one thing playing at a time. Rooms subscribe to what it says.
import { useSyncExternalStore } from "react";

import { base } from "../api/client";
import { tell } from "../ui/notices";
import type { Heard } from "./queue";
import workletURL from "./worklet?worker&url";

export type Tap = { kind: "group" | "output" | "stem" | "track" | "stems"; id: string };

export type Playing = { what: "reel" | "take"; id: string; channels: number[] };

export type PlayerState = {
  playing: Playing | null;
  position: number; // reel: samples since midnight; take: frames from its start
  meters: number[]; // quasi-peak of each output in dBFS
  gaps: number;
  firstSound: number; // ms from the press to the first sound
};

const sampleRate = 48000;
const headBytes = 12;

class Player {
  private state: PlayerState = { playing: null, position: 0, meters: [], gaps: 0, firstSound: 0 };
  private listeners = new Set<() => void>();
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  private socket: WebSocket | null = null;
  private generation = 0;
  private pressed = 0;
  private readings: { position: number; meters: number[] }[] = [];

  subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => this.listeners.delete(f);
  };
  snapshot = () => this.state;

  private set(part: Partial<PlayerState>) {
    this.state = { ...this.state, ...part };
    this.listeners.forEach((f) => f());
  }

  /** Plays a reel from a sample on. */
  playReel(reel: string, from: number, tap: Tap, solo: string[]) {
    return this.begin({ what: "reel", id: reel, channels: [] }, from, { do: "play", reel, tap, solo });
  }

  /** Plays channels of a take (from 0) from a frame on. */
  playTake(take: string, channels: number[], from: number) {
    return this.begin({ what: "take", id: take, channels }, from, { do: "take", take, channels });
  }

  private async begin(playing: Playing, from: number, request: object) {
    this.pressed = performance.now();
    const generation = ++this.generation;
    this.readings = [];
    this.set({ playing, position: from, gaps: 0, firstSound: 0 });
    try {
      const [node, socket] = await Promise.all([this.audio(), this.connect()]);
      if (generation !== this.generation) return;
      node.port.postMessage({ do: "start", generation });
      socket.send(JSON.stringify({ ...request, generation, from: Math.round(from) }));
    } catch (error) {
      if (generation === this.generation) this.fail(error instanceof Error ? error.message : String(error));
    }
  }

  /** Changes what is heard of a playing reel, and reads the reel anew. */
  change(tap: Tap, solo: string[]) {
    if (this.state.playing?.what === "reel") this.send({ do: "change", generation: this.generation, tap, solo });
  }

  stop() {
    if (!this.state.playing) return;
    this.generation++;
    this.node?.port.postMessage({ do: "stop" });
    this.send({ do: "stop" });
    this.set({ playing: null, meters: [] });
  }

  private send(message: object) {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }

  private fail(text: string) {
    this.stop();
    tell(text, true);
  }

  private async audio(): Promise<AudioWorkletNode> {
    if (!this.context) {
      this.context = new AudioContext({ sampleRate, latencyHint: "interactive" });
      await this.context.audioWorklet.addModule(workletURL);
      this.node = new AudioWorkletNode(this.context, "loom-player", { numberOfInputs: 0, outputChannelCount: [2] });
      this.node.connect(this.context.destination);
      this.node.port.onmessage = ({ data }) => this.heard(data as Heard);
    }
    if (this.context.state === "suspended") await this.context.resume();
    if (!this.node) throw new Error("The sound could not be started. Reload the page.");
    return this.node;
  }

  private connect(): Promise<WebSocket> {
    if (this.socket?.readyState === WebSocket.OPEN) return Promise.resolve(this.socket);
    return new Promise((resolve, reject) => {
      const socket = new WebSocket(`${location.origin.replace(/^http/, "ws")}${base}/listen`);
      socket.binaryType = "arraybuffer";
      socket.onopen = () => resolve(socket);
      socket.onerror = () => reject(new Error("The server can't be reached to listen. Is it running?"));
      socket.onclose = () => {
        if (this.socket === socket && this.state.playing) this.fail("The connection was lost while playing. Press play to go on.");
      };
      socket.onmessage = ({ data }) => (typeof data === "string" ? this.told(JSON.parse(data)) : this.block(data));
      this.socket = socket;
    });
  }

  private block(data: ArrayBuffer) {
    const view = new DataView(data);
    const generation = view.getUint32(0, true);
    if (generation !== this.generation) return;
    const position = Number(view.getBigInt64(4, true));
    const samples = new Float32Array(data.slice(headBytes));
    this.node?.port.postMessage({ do: "block", generation, position, samples }, [samples.buffer]);
  }

  private told(m: { generation: number; position: number; meters?: number[]; ended?: boolean; error?: string }) {
    if (m.error && (m.generation === this.generation || !m.generation)) return this.fail(m.error);
    if (m.generation !== this.generation) return;
    if (m.meters) this.readings.push({ position: m.position, meters: m.meters });
    if (m.ended) this.node?.port.postMessage({ do: "end", generation: m.generation });
  }

  private heard(h: Heard) {
    if (h.generation !== this.generation || !this.state.playing) return;
    this.send({ do: "played", generation: h.generation, frames: h.frames });
    if (h.drained) {
      this.set({ playing: null, position: h.position, meters: [] });
      return;
    }
    if (h.frames === 0) return;
    let meters = this.state.meters;
    while (this.readings[0] && this.readings[0].position <= h.position) meters = this.readings.shift()!.meters;
    this.set({ position: h.position, meters, gaps: h.gaps, firstSound: this.state.firstSound || performance.now() - this.pressed });
  }
}

export const player = new Player();

export function usePlayer<T>(select: (s: PlayerState) => T): T {
  return useSyncExternalStore(player.subscribe, () => select(player.snapshot()));
}
