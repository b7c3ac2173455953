// The player: one thing playing at a time, through a worker that holds the WebSocket and an AudioWorklet that sounds.
// Rooms subscribe to what it says.
import { Clock } from "./clock";
import { useSyncExternalStore } from "react";

import { base, type ChainStep, type Command, type Row } from "../api/client";
import { tell } from "../ui/notices";
import { output } from "./output";
import type { FromSocket, Reading, ToSocket } from "./socket.worker";
import SocketWorker from "./socket.worker?worker";
import workletURL from "./worklet?worker&url";

export type Tap = { kind: "group" | "output" | "pair" | "mix" | "stem" | "strand" | "track" | "stems"; id: string };

/** A way of listening that tells what a pair hides: both sides added up, the one less the other, the front pair of a wide set, the sides
 * changed over, or each speaker around a head. */
export type Check = "" | "mono" | "difference" | "front" | "swap" | "head";

export type Playing = {
  what: "reel" | "take" | "match" | "signal";
  id: string;
  channels: number[];
  /** What of a reel is listened to. */
  tap?: Tap;
  /** It runs backwards. */
  back?: boolean;
};

export type Range = { from: number; to: number };

/** What an output carries, held against what belongs there; on is the output that it belongs on, from 0. */
export type Arrival = { says: "quiet" | "right" | "turned" | "silent" | "wrong" | "other"; on: number; alike: number };

/** What became of a recording of the receiving deck: where it lies at the desk, if anything was kept. */
export type Ended = { receipt?: string; from: number; frames: number; files: number; over?: number[]; trouble?: string };

/** A row of the reel that is looked at. */
export type Watched = { row: Row; id: string };

/** A chain of which something else is heard: what it takes away, or what comes to it, at a gain. */
export type Aside = { row: Row | "clip"; id: string; channel?: number; removed: boolean; gainDB: number };

/** What a reel is compared with while it plays: another, or itself as it was, and whether that is heard now. */
export type Other = { reel: string; revision?: number; heard: boolean };

/** How a reel is played. */
export type Manner = {
  tap: Tap;
  check?: Check;
  solo: string[];
  loop?: Range | null;
  half?: boolean;
  /** Backwards, down to where it is to end. */
  back?: boolean;
  /** Without the corrections of output groups, as loud as with them. */
  matched?: boolean;
  /** Where to end. */
  until?: number;
  /** A command that is heard without being made. */
  trial?: Command;
  /** Rows whose level is told while it plays. */
  watch?: Watched[];
  /** What each output carries is told. */
  wires?: boolean;
  /** What leaves on the outputs is recorded. */
  record?: boolean;
  aside?: Aside;
  other?: Other;
  /** One channel of one clip, alone and in its place; −1 for all its channels. */
  lane?: { clip: string; channel: number };
};

/** A treatment of channels of a take (from 0) that is heard without being kept. */
export type Tried = {
  channels: number[];
  steps: ChainStep[];
  /** With it where nothing is said; the recording, or what is taken away from it. */
  hear?: "plain" | "removed";
  /** By how much the recording is louder than usual, to be as loud as what is made of it. */
  gainDB?: number;
};

export type PlayerState = {
  playing: Playing | null;
  position: number; // reel: samples since midnight; take: frames from its start; match: from the reference's
  meters: number[]; // quasi-peak of each output in dBFS
  rows: number[]; // peaks of the rows that are watched, in dBFS
  wires: Arrival[]; // what each output carries
  shorts: number[]; // and their loudness over the last 3 s, in LUFS
  recorded: number; // frames, of what plays
  tape: (Ended & { reel: string }) | null; // the last recording that has ended
  louder: number | null; // by how many dB what is compared with is turned up, to be as loud
  loudness: Reading | null; // of what is listened to
  gaps: number;
  /** The connection was lost while playing, and is being made again. */
  lost: boolean;
  /** Others play, and there is no room for more yet. */
  waits: boolean;
};

/** How often and how long a lost connection is made again, in tries and milliseconds between them. */
const tries = 40;
const between = 500;

const sampleRate = 48000;

const heardAs = (m: Pick<Manner, "tap" | "check">) => ({ ...m.tap, check: m.check ?? "" });

/** How long a browser may take to let sound begin, in milliseconds. Without a sound output it never does. */
const patience = 4000;

function within(done: Promise<unknown>, ms: number): Promise<unknown> {
  const late = new Promise((_, fail) =>
    setTimeout(() => fail(new Error("The browser does not let sound begin. Is there a sound output, and may this page play sound?")), ms),
  );
  return Promise.race([done, late]);
}

class Player {
  private state: PlayerState = {
    playing: null,
    position: 0,
    meters: [],
    rows: [],
    shorts: [],
    wires: [],
    recorded: 0,
    tape: null,
    louder: null,
    loudness: null,
    gaps: 0,
    lost: false,
    waits: false,
  };
  private speakers: string[] | undefined; // where there are more than two
  private recorded = ""; // the reel that is recorded, or was last
  private listeners = new Set<() => void>();
  private clock = new Clock();
  private context: AudioContext | null = null;
  private ready: Promise<void> | null = null;
  private socket: Worker | null = null;
  private generation = 0;
  private last: { playing: Playing; request: object } | null = null; // what plays, to go on with
  private cleared = 0; // dropouts of what plays that have been put away
  private left = 0; // tries to make a connection again
  private lostIn = 0; // the generation whose connection was lost: what was sent of it still sounds

  subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => {
      this.listeners.delete(f);
    };
  };
  snapshot = () => this.state;

  private set(part: Partial<PlayerState>) {
    this.state = { ...this.state, ...part };
    this.listeners.forEach((f) => f());
  }

  /** Gets everything ready that the first sound would wait for. What goes wrong is said when something is played. */
  warm() {
    this.ready ??= this.open();
    this.ready.catch(() => (this.ready = null));
  }

  /** Plays a reel from a sample on. */
  playReel(reel: string, from: number, m: Manner) {
    const { solo, loop, half, back, matched, until, trial, lane, watch, wires, record, aside, other } = m;
    if (record) this.recorded = reel;
    return this.begin({ what: "reel", id: reel, channels: [], tap: m.tap, back }, from, {
      do: "play",
      reel,
      tap: heardAs(m),
      solo,
      loop: loop ?? undefined,
      speed: back ? -1 : half ? 0.5 : undefined,
      matched,
      until,
      trial,
      lane,
      watch,
      wires,
      record,
      aside,
      other,
    });
  }

  /** Sends a tone, or spoken names, to outputs of a reel one after another, until it is stopped. */
  playSignal(reel: string, from: number, outputs: string[], names: boolean, record?: boolean) {
    if (record) this.recorded = reel;
    return this.begin({ what: "signal", id: reel, channels: [] }, from, {
      do: "play",
      reel,
      tap: { kind: "stems", id: "" },
      signal: { outputs, names },
      record,
    });
  }

  /** Plays channels of a take (from 0) from a frame on: as they are treated, or as is tried. */
  playTake(take: string, channels: number[], from: number, until?: number, treat?: Tried) {
    return this.begin({ what: "take", id: take, channels }, from, { do: "take", take, channels, until, treat });
  }

  /** Changes what of a treatment is heard of a take that plays. */
  changeTake(take: string, treat: Tried) {
    const { playing } = this.state;
    if (playing?.what !== "take" || playing.id !== take) return;
    if (this.last) this.last.request = { ...this.last.request, treat };
    this.send({ do: "change", treat });
  }

  /** Plays a take against its reference, from a frame of the reference on; offset is where the take begins in it. */
  playMatch(take: string, reference: string, offset: number, sides: boolean, from: number) {
    return this.begin({ what: "match", id: take, channels: [] }, from, { do: "match", take, reference, offset: Math.round(offset), sides });
  }

  private async begin(playing: Playing, from: number, request: object) {
    const generation = ++this.generation;
    this.last = { playing, request };
    this.left = tries;
    this.cleared = 0;
    this.clock.begin(from);
    this.set({ playing, position: from, recorded: 0, louder: null, loudness: null, gaps: 0, lost: false, waits: false });
    try {
      await this.prepare();
      const to = { speakers: this.speakers };
      if (this.last?.request === request) this.last.request = { ...request, ...to };
      if (generation === this.generation) this.send({ ...request, ...to, from: Math.round(from) });
    } catch (error) {
      if (generation === this.generation) this.fail(error instanceof Error ? error.message : String(error));
    }
  }

  /** Changes what is heard of a playing reel, and reads the reel anew. What is on trial stays so, unless it is named. */
  change(m: Pick<Manner, "tap" | "check" | "solo" | "loop" | "matched" | "trial" | "watch" | "wires" | "record" | "aside" | "other">) {
    const { playing } = this.state;
    if (playing?.what !== "reel") return;
    if (m.record) this.recorded = playing.id;
    if (playing.tap?.kind !== m.tap.kind || playing.tap.id !== m.tap.id) this.set({ playing: { ...playing, tap: m.tap } });
    const loop = m.loop ?? undefined;
    const was = (this.last?.request as { other?: Other } | undefined)?.other;
    if (was?.reel !== m.other?.reel || was?.revision !== m.other?.revision) this.set({ louder: null }); // of another
    const kept = (this.last?.request as { trial?: Command } | undefined)?.trial;
    const now = {
      tap: heardAs(m),
      solo: m.solo,
      loop,
      matched: m.matched,
      watch: m.watch,
      wires: m.wires,
      record: m.record,
      aside: m.aside,
      other: m.other,
      trial: "trial" in m ? m.trial : kept,
    };
    if (this.last) this.last.request = { ...this.last.request, ...now };
    this.send({ do: "change", ...now });
  }

  /** Whether a command is heard that is not made. */
  trying = () => (this.last?.request as { trial?: Command } | undefined)?.trial !== undefined;

  /** Goes on from where the connection was lost. */
  private pickUp() {
    if (!this.state.playing || !this.last) return;
    if (this.left-- <= 0) {
      this.fail("The connection was lost while playing. Press play to go on.");
      return;
    }
    this.set({ lost: true, gaps: this.state.gaps + (this.state.lost ? 0 : 1), meters: [] });
    this.lostIn = this.generation;
    const generation = this.generation;
    setTimeout(() => {
      if (generation !== this.generation || !this.last) return;
      this.generation++;
      this.send({ ...this.last.request, from: Math.round(this.state.position) });
    }, between);
  }

  stop() {
    if (!this.state.playing) return;
    this.generation++;
    this.send({ do: "stop" });
    this.last = null;
    this.set({ playing: null, meters: [], rows: [], wires: [], recorded: 0, lost: false, waits: false });
  }

  /** What each loudspeaker is for, where the browser has as many; else there is a pair. */
  private speakersOf(context: AudioContext): string[] | undefined {
    const { speakers } = output.snapshot();
    this.speakers = speakers && speakers.length <= context.destination.maxChannelCount ? speakers : undefined;
    return this.speakers;
  }

  /** How many loudspeakers the browser has. */
  async most(): Promise<number> {
    this.warm();
    await this.ready;
    return this.context?.destination.maxChannelCount ?? 2;
  }

  /** Sends sound to loudspeakers that are for something else from now on; null is a pair. */
  async toSpeakers(speakers: string[] | null) {
    this.stop();
    output.set({ speakers, mono: false });
    this.socket?.terminate();
    this.socket = null;
    const old = this.context;
    this.context = this.ready = null;
    await old?.close();
    this.warm();
  }

  /** How long what was played takes to be heard, in seconds; what a browser says of it may be far off, or nothing. */
  private latency(): number {
    const c = this.context;
    return c ? Math.min(0.5, (c.baseLatency || 0) + (c.outputLatency || 0)) : 0;
  }

  /** Puts away what was said of dropouts. */
  clearGaps() {
    this.cleared = this.state.gaps + this.cleared;
    this.set({ gaps: 0 });
  }

  private send(message: object) {
    this.socket?.postMessage({ do: "send", generation: this.generation, message } satisfies ToSocket);
  }

  private fail(text: string) {
    this.stop();
    tell(text, true);
  }

  private async prepare() {
    this.ready ??= this.open();
    try {
      await this.ready;
    } catch (error) {
      this.ready = null;
      throw error;
    }
    if (this.context && this.context.state !== "running") await within(this.context.resume(), patience);
  }

  private async open() {
    if (!window.AudioWorkletNode)
      throw new Error("This browser can't play here: it needs AudioWorklet, on a page from this computer or over HTTPS.");
    const context = new AudioContext({ sampleRate, latencyHint: "interactive" });
    await context.audioWorklet.addModule(workletURL);
    const speakers = this.speakersOf(context);
    if (speakers) {
      context.destination.channelCount = speakers.length; // of itself it is a pair, and none where there is no sound output
      context.destination.channelInterpretation = "discrete";
    }
    const node = new AudioWorkletNode(context, "loom-player", { numberOfInputs: 0, outputChannelCount: [speakers?.length ?? 2] });
    output.join(context, node);
    const { port1, port2 } = new MessageChannel();
    node.port.postMessage(port1, [port1]);
    const socket = new SocketWorker();
    socket.onmessage = ({ data }: MessageEvent<FromSocket>) => this.told(data);
    socket.postMessage(
      { do: "connect", url: `${location.origin.replace(/^http/, "ws")}${base}/listen`, worklet: port2 } satisfies ToSocket,
      [port2],
    );
    this.context = context;
    this.socket = socket;
    // A browser lets sound begin only after the user has touched the page: then at once, not with the first sound.
    const touched = () => void context.resume();
    for (const touch of ["pointerdown", "keydown"]) window.addEventListener(touch, touched, { once: true, capture: true });
  }

  private told(m: FromSocket) {
    switch (m.is) {
      case "closed":
        if (!this.state.playing) return;
        if (m.everOpen || this.state.lost) this.pickUp();
        else this.fail("The server can't be reached to listen. Is it running?");
        return;
      case "failed":
        if (!m.generation || m.generation === this.generation) this.fail(m.message);
        return;
      case "waits":
        if (m.generation !== this.generation || !this.state.playing) return;
        this.set({ waits: true });
        tell(m.message);
        return;
      case "recorded":
        this.set({ tape: { ...m.tape, reel: this.recorded } });
        if (m.tape.trouble) tell(m.tape.trouble, true);
        return;
      case "compared":
        if (m.generation === this.generation) this.set({ louder: m.louder });
        return;
      case "measured":
        if (m.generation === this.generation && this.state.playing) this.set({ loudness: m.loudness });
        return;
      case "heard": {
        const h = m.heard;
        if (h.generation !== this.generation || !this.state.playing) return;
        if (h.drained) this.set({ playing: null, position: h.position, meters: [], rows: [], wires: [], recorded: 0 });
        else if (h.frames > 0)
          this.set({
            position: this.clock.heard(h, this.latency() * sampleRate),
            meters: m.meters.length ? m.meters : this.state.meters,
            rows: m.rows ?? this.state.rows,
            shorts: m.shorts ?? this.state.shorts,
            wires: m.wires ?? this.state.wires,
            recorded: m.recorded ?? this.state.recorded,
            gaps: this.state.lost ? this.state.gaps : Math.max(h.gaps - this.cleared, this.state.gaps),
            lost: this.state.lost && h.generation === this.lostIn,
            waits: false,
          });
      }
    }
  }
}

export const player = new Player();

export function usePlayer<T>(select: (s: PlayerState) => T): T {
  return useSyncExternalStore(player.subscribe, () => select(player.snapshot()));
}
