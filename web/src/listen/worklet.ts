// The AudioWorklet: plays the queue and tells what has sounded. Its blocks come through a port that the page hands over.
import { FrameQueue } from "./queue";

declare const registerProcessor: (name: string, processor: unknown) => void;
declare class AudioWorkletProcessor {
  port: MessagePort;
}

/** How many frames lie between two reports. */
const reportEvery = 1024;

class LoomPlayer extends AudioWorkletProcessor {
  private queue: FrameQueue;
  private since = 0;
  private source: MessagePort | null = null;
  private told = "";

  constructor(options: { outputChannelCount?: number[] }) {
    super();
    this.queue = new FrameQueue(options.outputChannelCount?.[0] ?? 2);
    this.port.onmessage = ({ data }) => {
      this.source = data as MessagePort;
      this.source.onmessage = (e) => this.take(e.data);
    };
  }

  private take(m: { do: string; generation: number; position: number; frame: number; samples: Float32Array; pace: number }) {
    if (m.do === "start") this.queue.start(m.generation, m.pace, m.position);
    else if (m.do === "stop") this.queue.stop();
    else if (m.do === "block") this.queue.push(m);
    else if (m.do === "end") this.queue.end(m.generation);
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]) {
    const ears = outputs[0]!;
    this.queue.pull(ears);
    this.since += ears[0]!.length;
    if (this.since >= reportEvery) {
      this.since = 0;
      const report = this.queue.report();
      const { generation, frames, gaps, drained } = report;
      const now = `${generation} ${frames} ${gaps} ${drained}`;
      if (now === this.told) return true; // where nothing sounds there is nothing to tell, and the page has its time for the hand
      this.told = now;
      this.source?.postMessage(report);
    }
    return true;
  }
}

registerProcessor("loom-player", LoomPlayer);
