// The one clock: where what is heard stands. What is put out is heard a while later, so that is where it stood that while ago; playhead, timecode and picture
// go by it alike.
type Told = { frames: number; position: number; pace: number };

export class Clock {
  private told: Told[] = [];

  /** It is to play from there. */
  begin(position: number) {
    this.told = [{ frames: 0, position, pace: 0 }];
  }

  /**
   * What has been put out, counted in frames, stands there; `late` is how many frames later it is heard. Gives where what is heard now stands, in the
   * units of the position; pace is how many of them each frame goes on.
   */
  heard(now: Told, late: number): number {
    this.told.push(now);
    const frames = Math.max(0, now.frames - Math.max(0, late));
    while (this.told.length > 1 && this.told[1]!.frames <= frames) this.told.shift();
    const [was, next] = this.told as [Told, Told | undefined];
    const on = was.position + Math.floor((frames - was.frames) * was.pace);
    // Where it goes back, as a loop does, nobody knows where in between.
    return next && next.position >= was.position ? Math.min(on, next.position) : on;
  }
}
