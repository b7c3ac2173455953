// A movie that goes along with what is heard: while that plays it is kept within a fraction of a frame of it, and where that stands it shows that frame.
import { useEffect, useRef, type RefObject } from "react";

/** From how far off it goes there at once, in seconds; from nearer it runs a little faster or slower until it is there. */
const jumpFrom = 0.3;
/** By how much of its pace it may run faster or slower. */
const most = 0.25;

/** How fast a movie is to run that is so many seconds late, where what it follows runs at a pace. */
export const paceFor = (late: number, pace: number) => pace * (1 + Math.max(-most, Math.min(most, late * 4)));

/**
 * Has a video follow. `now` gives where what is heard stands, in seconds of the movie; `subscribe` tells when that has changed. While nothing plays
 * it shows `rest`. `movie` is which movie it is.
 */
export function useFollowing(
  video: RefObject<HTMLVideoElement | null>,
  of: {
    movie: string | undefined;
    playing: boolean;
    pace: number;
    rest: number;
    now: () => number;
    subscribe: (f: () => void) => () => void;
  },
) {
  const { movie, playing, pace, rest } = of;
  // biome-ignore lint/correctness/useExhaustiveDependencies: where it stands is asked for each time; another movie begins anew
  useEffect(() => {
    const v = video.current;
    if (!v || !movie) return;
    if (!playing) {
      v.pause();
      v.currentTime = Math.max(0, rest);
      return;
    }
    const follow = () => {
      if (v.seeking) return; // where it goes was told already
      const to = of.now();
      if (to < 0 || to > v.duration) return v.pause();
      if (pace < 0) {
        v.pause(); // no browser runs a movie backwards
        v.currentTime = to;
        return;
      }
      const late = to - v.currentTime;
      v.playbackRate = paceFor(late, pace);
      if (Math.abs(late) > jumpFrom) v.currentTime = to;
      if (v.paused) void v.play().catch(() => undefined);
    };
    follow();
    return of.subscribe(follow);
  }, [movie, playing, pace, rest]);
}

type Shown = { mediaTime: number; expectedDisplayTime: number };
type Frames = {
  requestVideoFrameCallback?: (f: (now: number, of: Shown) => void) => number;
  cancelVideoFrameCallback?: (id: number) => void;
};

/** How long it takes from here until what is drawn is on the screen, in milliseconds: the next picture, at sixty a second. */
const onScreen = 20;

/** Where in the movie a video is that shows a frame since some time and runs on at a pace, at another time; times in milliseconds, places in seconds. */
export const runsOnTo = (shown: Shown, pace: number, at: number) =>
  shown.mediaTime + (Math.max(0, at - shown.expectedDisplayTime) / 1000) * pace;

/**
 * Tells where in the movie a video will be, in seconds, when what is drawn now is on the screen, with each picture while it runs: by the frame that it says it
 * shows, and when that came. Moving pictures do not wait for the page: who writes what was shown last is a frame late most of the time.
 */
export function useFrameShown(video: RefObject<HTMLVideoElement | null>, movie: string, tell: (seconds: number) => void) {
  const latest = useRef(tell);
  latest.current = tell;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another movie is another video
  useEffect(() => {
    const v = video.current as (HTMLVideoElement & Frames) | null;
    if (!v?.requestVideoFrameCallback) return;
    let frame = 0;
    let picture = 0;
    let shown: Shown | null = null;
    const next = () => {
      frame = v.requestVideoFrameCallback!((_, of) => {
        shown = of;
        if (v.paused) latest.current(of.mediaTime); // it is taken from frame to frame, as backwards
        next();
      });
    };
    const draw = () => {
      picture = v.paused ? 0 : requestAnimationFrame(draw);
      if (shown && !v.paused) latest.current(runsOnTo(shown, v.playbackRate, performance.now() + onScreen));
    };
    const begin = () => {
      if (!picture) picture = requestAnimationFrame(draw); // while it stands nothing is asked of the page
    };
    next();
    if (!v.paused) begin();
    v.addEventListener("play", begin);
    return () => {
      v.removeEventListener("play", begin);
      v.cancelVideoFrameCallback?.(frame);
      cancelAnimationFrame(picture);
    };
  }, [movie]);
}
