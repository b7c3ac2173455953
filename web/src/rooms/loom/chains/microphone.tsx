import type { Clip, Take } from "../../../api/client";
import type { Range } from "../../../chain/body";
import { TreatmentPanel } from "../../takes/treatment";

type Props = {
  clip: Clip;
  takes: Map<string, Take>;
  /** Where the playhead stands, and what is chosen, in samples of the reel. */
  at: number;
  range: Range | null;
  onClose: () => void;
};

/** The treatment of what a clip was recorded with, opened from the clip. Its own undo stands in it, as it is none of the reel's. */
export function Microphone({ clip, takes, at, range, onClose }: Props) {
  const take = takes.get(clip.take);
  if (!take) return <p className="p-4 text-muted">The take is being looked up…</p>;
  const frame = (sample: number) => Math.max(0, Math.min(take.description.frames, sample - clip.start + clip.offset));
  return (
    <TreatmentPanel
      take={take}
      channel={clip.channels[0]!}
      at={frame(at)}
      range={range && { from: frame(range.from), to: frame(range.to) }}
      undo
      onClose={onClose}
    />
  );
}
