// Room tone: which channel of which take it is for, and which quiet it is made of.
import { api, ok, type Clip, type Command, type ReelView } from "../../../api/client";
import { tell, tellError } from "../../../ui/notices";
import { duration } from "../../../ui/timecode";
import type { Choice } from "../ground/choice";
import type { LoomStore } from "../ground/state";

type Bench = {
  view: ReelView;
  choice: Choice;
  clip: Clip | undefined;
  store: LoomStore;
  doIt: (c: Command) => Promise<ReelView | undefined>;
};

/** How long the crossfades at its ends are, in seconds, and the shortest and longest quiet it is made of. */
const fadeSeconds = 0.05;
const least = 0.25;
const most = 10;

const whichChannel = "Choose a range on one channel first: open the clip and drag over the channel.";

/** The clip and the channel that a range is on: of the channel that is chosen, or of the only one of a clip that has one. */
function laneOf({ view, choice, clip }: Pick<Bench, "view" | "choice" | "clip">): { clip: Clip; channel: number } | null {
  const lane = choice.lane ?? (clip && clip.channels.length === 1 ? { clip: clip.id, channel: 0 } : null);
  const of = lane && view.clips.find((c) => c.id === lane.clip);
  return of ? { clip: of, channel: lane.channel } : null;
}

/** The clip that ends where the gap begins which a range on a mono track lies in. */
export function beforeGap(view: ReelView, choice: Choice): Clip | null {
  const r = choice.range;
  const track = r?.tracks.length === 1 ? r.tracks[0] : undefined;
  if (!r || !track) return null;
  const here = view.clips.filter((c) => c.track === track && c.channels.length === 1);
  if (here.some((c) => c.start < r.to && c.start + c.length > r.from)) return null; // it is no gap
  return here.filter((c) => c.start + c.length <= r.from).sort((a, b) => b.start + b.length - a.start - a.length)[0] ?? null;
}

/** The range is the quiet from now on. */
export function keepQuiet(b: Bench) {
  const r = b.choice.range;
  const lane = laneOf(b);
  if (!r || !lane) return tell(whichChannel);
  const { clip, channel } = lane;
  const rate = b.view.head.sampleRate;
  const from = Math.max(r.from, clip.start) - clip.start + clip.offset;
  const to = Math.min(r.to, clip.start + clip.length) - clip.start + clip.offset;
  if (to - from < least * rate || to - from > most * rate)
    return tell(`Room tone is made of ${least} to ${most} seconds of quiet: choose as much.`);
  b.store.setState({ quiet: { take: clip.take, channel: clip.channels[channel]!, from, to } });
  tell(`Room tone is made of these ${duration(to - from, rate)} of ${clip.name} from now on.`);
}

/** Fills the range, or the gap that it is in, with room tone: of the quiet that was kept, else of the quietest of the same microphone. */
export async function fillWithTone(b: Bench) {
  const r = b.choice.range;
  const before = beforeGap(b.view, b.choice);
  const lane = before ? { clip: before, channel: 0 } : laneOf(b);
  if (!r || !lane) return tell(whichChannel);
  const { clip, channel } = lane;
  const taken = clip.channels[channel]!;
  try {
    const kept = b.store.getState().quiet;
    const quiet = kept ?? {
      take: clip.take,
      channel: taken,
      ...(await ok(api.GET("/takes/{take}/quiet", { params: { path: { take: clip.take }, query: { channel: taken + 1 } } }))),
    };
    const tone: Command = {
      kind: "borrow",
      command: {
        clip: clip.id,
        channel,
        from: before ? before.start + before.length : r.from, // all of the gap up to there
        to: r.to,
        take: quiet.take,
        takeChannel: quiet.channel,
        quiet: { from: quiet.from, to: quiet.to },
        fade: { length: Math.round(fadeSeconds * b.view.head.sampleRate), curve: "power" },
      },
    };
    const end = clip.start + clip.length;
    if (!before) await b.doIt(tone);
    else
      await b.doIt({
        kind: "several",
        command: {
          commands: [{ kind: "trimClip", command: { clip: clip.id, edge: "end", by: r.to - end, alone: true } }, tone],
        },
      });
  } catch (e) {
    tellError(e);
  }
}
