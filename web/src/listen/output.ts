// How loud everything sounds, wherever it comes from: the last step before the loudspeakers.
import { useSyncExternalStore } from "react";

export type OutputState = {
  dB: number; // 0 is as it is
  dim: boolean; // softer by dimDB, to talk over it
  mono: boolean; // both sides added up
};

export const dimDB = -20;
export const lowestDB = -60;

const store = "loom.sound";

function read(): OutputState {
  const usual = { dB: 0, dim: false, mono: false };
  try {
    const kept = (JSON.parse(localStorage.getItem(store) ?? "{}") as Partial<OutputState>).dB;
    return typeof kept === "number" && kept >= lowestDB && kept <= 0 ? { ...usual, dB: kept } : usual;
  } catch {
    return usual;
  }
}

/** The gain that a state comes to. */
export function gainOf(s: OutputState): number {
  return s.dB <= lowestDB ? 0 : 10 ** ((s.dB + (s.dim ? dimDB : 0)) / 20);
}

class Output {
  private state = read();
  private node: GainNode | null = null;
  private listeners = new Set<() => void>();

  subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => {
      this.listeners.delete(f);
    };
  };
  snapshot = () => this.state;

  /** Puts a gain between what plays and the loudspeakers. */
  join(context: AudioContext, from: AudioNode) {
    this.node = context.createGain();
    this.node.gain.value = gainOf(this.state);
    this.channels(this.node);
    from.connect(this.node);
    this.node.connect(context.destination);
  }

  /** The level is remembered by the browser; dim and mono are for the moment. */
  set(part: Partial<OutputState>) {
    this.state = { ...this.state, ...part };
    localStorage.setItem(store, JSON.stringify({ dB: this.state.dB }));
    if (this.node) {
      this.node.gain.setTargetAtTime(gainOf(this.state), this.node.context.currentTime, 0.01); // no click
      this.channels(this.node);
    }
    this.listeners.forEach((f) => f());
  }

  /** Two channels that come to a node with one are added up, each at half. */
  private channels(node: GainNode) {
    node.channelCountMode = "explicit";
    node.channelCount = this.state.mono ? 1 : 2;
  }
}

export const output = new Output();

export const useOutput = () => useSyncExternalStore(output.subscribe, output.snapshot);
