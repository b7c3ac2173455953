import type { ReelInfo } from "../../api/client";

/** Stands for a reel that is yet to be made. */
export const freshReel = "new";

/** Which reel something goes onto; nothing to choose where there is none yet. */
export function ReelSelect({
  reels,
  chosen,
  label,
  onChoose,
}: {
  reels: ReelInfo[] | undefined;
  chosen: string;
  label: string;
  onChoose: (reel: string) => void;
}) {
  if (!reels?.length) return null;
  return (
    <select className="field rounded-full" aria-label={label} value={chosen} onChange={(e) => onChoose(e.target.value)}>
      {chosen === "" && <option value="">it is gone; choose another</option>}
      {reels.map((r) => (
        <option key={r.id} value={r.id}>
          {r.name}
        </option>
      ))}
      <option value={freshReel}>a new reel</option>
    </select>
  );
}
