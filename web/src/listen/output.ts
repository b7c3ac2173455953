// How loud everything sounds, wherever it comes from: the last step before the loudspeakers.
import { useSyncExternalStore } from "react";

export type OutputState = {
  dB: number; // 0 is as it is
  dim: boolean; // softer by dimDB, to talk over it
  mono: boolean; // both sides added up
  /** What each loudspeaker is for, where there are more than two: a label, or nothing. */
  speakers: string[] | null;
};

export const dimDB = -20;
export const lowestDB = -60;

const store = "loom.sound";

/** What a loudspeaker may be for. */
export const speakerLabels = ["L", "R", "C", "LFE", "Ls", "Rs", "Lss", "Rss", "Lrs", "Rrs", "Ltf", "Rtf", "Ltr", "Rtr"];

/** A label that a loudspeaker may have, once; anything else is nothing. */
const known = (label: unknown, at: number, all: unknown[]) =>
  typeof label === "string" && speakerLabels.includes(label) && all.indexOf(label) === at ? label : "";

function read(): OutputState {
  const usual: OutputState = { dB: 0, dim: false, mono: false, speakers: null };
  try {
    const { dB, speakers } = JSON.parse(localStorage.getItem(store) ?? "{}") as Partial<OutputState>;
    return {
      ...usual,
      dB: typeof dB === "number" && dB >= lowestDB && dB <= 0 ? dB : 0,
      speakers: Array.isArray(speakers) && speakers.length > 1 && speakers.length <= 32 ? speakers.map(known) : null,
    };
  } catch {
    return usual;
  }
}

/** The gain that a state comes to. */
export function gainOf(s: Pick<OutputState, "dB" | "dim">): number {
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

  /** The level and the loudspeakers are remembered by the browser; dim and mono are for the moment. */
  set(part: Partial<OutputState>) {
    this.state = { ...this.state, ...part };
    localStorage.setItem(store, JSON.stringify({ dB: this.state.dB, speakers: this.state.speakers }));
    if (this.node) {
      this.node.gain.setTargetAtTime(gainOf(this.state), this.node.context.currentTime, 0.01); // no click
      this.channels(this.node);
    }
    this.listeners.forEach((f) => f());
  }

  /** Two channels that come to a node with one are added up, each at half. More go on as they are. */
  private channels(node: GainNode) {
    const { mono, speakers } = this.state;
    node.channelCountMode = "explicit";
    node.channelInterpretation = speakers ? "discrete" : "speakers";
    node.channelCount = speakers?.length ?? (mono ? 1 : 2);
  }
}

/** What so many loudspeakers are for as long as nobody says otherwise, in the order of most interfaces. */
export const usualSpeakers = (n: number): string[] => {
  const order = n === 4 ? ["L", "R", "Ls", "Rs"] : ["L", "R", "C", "LFE", "Ls", "Rs", "Lrs", "Rrs"];
  return Array.from({ length: n }, (_, i) => order[i] ?? "");
};

/** What each is for once one is for something: what was for that is for nothing then. */
export const withSpeaker = (list: string[], at: number, label: string) =>
  list.map((was, i) => (i === at ? label : label !== "" && was === label ? "" : was));

export const output = new Output();

export const useOutput = () => useSyncExternalStore(output.subscribe, output.snapshot);
