// The queue between the network and the sound card: frames of as many loudspeakers as there are in and out, silence where none have come.
// It runs inside the AudioWorklet and is plain code so that tests can reach it.

/** How many frames it takes to fade at a start, a stop or a gap, so that nothing clicks. */
const fadeFrames = 128;

/** How many frames must have come before anything sounds, at the start and after a gap: less would only stutter. */
const startFrames = 2048;

/** Over how many frames what is heard goes over to what takes its place. */
const overFrames = 256;

/** frame is how many frames come before it; a block takes the place of all that came before from there on. Its samples are frame after frame. */
export type Block = { generation: number; position: number; frame: number; samples: Float32Array };

/** What has sounded: so many frames, up to a position that each of them moves on by the pace. */
export type Heard = { generation: number; frames: number; position: number; pace: number; gaps: number; drained: boolean };

export class FrameQueue {
  private blocks: Block[] = []; // one after another without a hole, from what sounds now on
  private at = 0; // frames of the first block that have sounded
  private generation = 0;
  private heard = 0;
  private position = 0;
  private gaps = 0;
  private level = 0; // of the fade, 0 to 1
  private ended = false;
  private running = false;
  private pace = 1; // how far the position moves for each frame
  private last: Float32Array; // the last frame that was played, before its fade
  // What fades away of what was dropped. Nothing is allocated while sound runs.
  private tail: Float32Array;
  private tailAt = fadeFrames;

  /** width is how many loudspeakers there are. */
  constructor(private width = 2) {
    this.last = new Float32Array(width);
    this.tail = new Float32Array(width * fadeFrames);
  }

  /** Begins anew, at a position, which is where it ends too if nothing comes: whatever waits is dropped. */
  start(generation: number, pace = 1, position = 0) {
    this.position = position;
    this.fadeAway();
    this.pace = pace;
    this.blocks = [];
    this.at = 0;
    this.generation = generation;
    this.heard = 0;
    this.gaps = 0;
    this.level = 0;
    this.ended = false;
    this.running = false;
  }

  stop() {
    this.start(0);
  }

  /** What sounds now goes on for a moment, more and more softly; where nothing waits, its last sample does. */
  private fadeAway() {
    if (this.level === 0) return;
    let block = 0;
    let at = this.at;
    for (let i = 0; i < fadeFrames; i++) {
      const level = Math.max(0, this.level - i / fadeFrames);
      const from = this.blocks[block]?.samples;
      for (let c = 0; c < this.width; c++) this.tail[this.width * i + c] = (from ? from[this.width * at + c]! : this.last[c]!) * level;
      if (from && this.width * ++at >= from.length) {
        block++;
        at = 0;
      }
    }
    this.tailAt = 0;
    this.level = 0;
  }

  /** Takes a block; those of an earlier generation came too late and are left out. */
  push(block: Block) {
    if (block.generation !== this.generation || this.generation === 0) return;
    const late = this.heard - block.frame; // frames of it that have sounded as they were before
    const left = block.samples.length / this.width - Math.max(0, late);
    // What is left of it may be too short to go over in: the next one takes its place then.
    if (left <= 0 || (left < overFrames && late > 0 && this.waiting() >= left)) return;
    const now = late > 0 ? this.later(block, late) : block;
    const before = this.cut(now.frame);
    const over = Math.min(before.length, now.samples.length);
    for (let k = 0; k < over; k++) {
      const x = (Math.floor(k / this.width) + 1) / (before.length / this.width + 1);
      now.samples[k] = x * now.samples[k]! + (1 - x) * before[k]!;
    }
    this.blocks.push(now);
  }

  private later(b: Block, frames: number): Block {
    return {
      ...b,
      frame: b.frame + frames,
      position: b.position + Math.floor(frames * this.pace),
      samples: b.samples.subarray(this.width * frames),
    };
  }

  /** Takes away what waits from a frame on, and gives the first of it. */
  private cut(frame: number): Float32Array {
    const first = this.blocks.findIndex((b) => b.frame + b.samples.length / this.width > frame);
    if (first < 0) return new Float32Array();
    const gone = new Float32Array(this.width * overFrames);
    let n = 0;
    const dropped = this.blocks.splice(first);
    for (const b of dropped) {
      const part = b.samples.subarray(this.width * Math.max(0, frame - b.frame));
      const fits = part.subarray(0, gone.length - n);
      gone.set(fits, n);
      n += fits.length;
    }
    const head = dropped[0]!;
    if (frame > head.frame && (first > 0 || frame > this.heard))
      this.blocks.push({ ...head, samples: head.samples.subarray(0, this.width * (frame - head.frame)) });
    else if (first === 0) this.at = 0;
    return gone.subarray(0, n);
  }

  /** No more blocks will come: running dry is the end, not a gap. */
  end(generation: number) {
    if (generation === this.generation) this.ended = true;
  }

  /** Fills what each loudspeaker plays. */
  pull(ears: Float32Array[]) {
    const holds = !this.running && !this.ended && this.waiting() < startFrames;
    for (let i = 0; i < ears[0]!.length; i++) {
      const level = holds ? 0 : this.step();
      const fades = this.tailAt < fadeFrames;
      for (let c = 0; c < ears.length && c < this.width; c++)
        ears[c]![i] = this.last[c]! * level + (fades ? this.tail[this.width * this.tailAt + c]! : 0);
      if (fades) this.tailAt++;
    }
  }

  /** Goes on by a frame, and gives how much of it sounds. */
  private step(): number {
    const block = this.blocks[0];
    if (!block) {
      if (this.running && !this.ended) {
        this.gaps++;
        this.running = false;
      }
      this.fadeAway();
      return 0;
    }
    this.running = true;
    this.level = Math.min(1, this.level + 1 / fadeFrames);
    for (let c = 0; c < this.width; c++) this.last[c] = block.samples[this.width * this.at + c]!;
    this.at++;
    this.heard++;
    this.position = block.position + Math.floor(this.at * this.pace);
    if (this.width * this.at >= block.samples.length) {
      this.blocks.shift();
      this.at = 0;
    }
    return this.level;
  }

  private waiting(): number {
    return this.blocks.reduce((n, b) => n + b.samples.length / this.width, -this.at);
  }

  report(): Heard {
    return {
      generation: this.generation,
      frames: this.heard,
      position: this.position,
      pace: this.pace,
      gaps: this.gaps,
      drained: this.ended && this.blocks.length === 0,
    };
  }
}
