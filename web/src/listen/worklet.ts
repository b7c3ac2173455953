// The AudioWorklet: plays the queue and tells what has sounded.
import { FrameQueue } from "./queue";

declare const registerProcessor: (name: string, processor: unknown) => void;
declare class AudioWorkletProcessor {
  port: MessagePort;
}

/** How many frames lie between two reports. */
const reportEvery = 1024;

class LoomPlayer extends AudioWorkletProcessor {
  private queue = new FrameQueue();
  private since = 0;

  constructor() {
    super();
    this.port.onmessage = ({ data }) => {
      switch (data.do) {
        case "start":
          this.queue.start(data.generation);
          break;
        case "stop":
          this.queue.stop();
          break;
        case "block":
          this.queue.push(data);
          break;
        case "end":
          this.queue.end(data.generation);
          break;
      }
    };
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]) {
    const [left, right] = outputs[0]!;
    this.queue.pull(left!, right ?? new Float32Array(left!.length));
    this.since += left!.length;
    if (this.since >= reportEvery) {
      this.since = 0;
      this.port.postMessage(this.queue.report());
    }
    return true;
  }
}

registerProcessor("loom-player", LoomPlayer);
