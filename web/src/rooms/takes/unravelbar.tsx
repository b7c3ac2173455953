import { useState } from "react";

import { api, ok, type Take } from "../../api/client";
import { useDo, useProduction, useReels } from "../../api/hooks";
import { keysOf } from "../../api/keys";
import { keyOf, keySign, useActions } from "../../ui/keys";
import { tell } from "../../ui/notices";
import { useRemembered } from "../../ui/remembered";
import { labelAt } from "../../ui/timecode";
import { PlaceTable, useLaying } from "./lay";
import { freshReel, ReelSelect } from "./reelselect";
import { singleCount, trackCount } from "./reading";
import { words } from "../../ui/explained";
import { chosenOf } from "../../ui/chosen";

/** The one command that breaks the channels that are on into tracks on a reel. */
export function UnravelBar({ take }: { take: Take }) {
  const reels = useReels(take.production);
  const production = useProduction(take.production);
  const [chosen, setChosen] = useState("");
  const { it: reel, gone } = chosen === freshReel ? { it: undefined, gone: false } : chosenOf(reels.data, chosen);
  const [together, setTogether] = useRemembered("loom.unravel.together", false);
  const [reuse, setReuse] = useRemembered("loom.unravel.reuse", true);
  const [asking, setAsking] = useState(false);
  const singles = singleCount(take);
  const asOne = together && singles > 1;
  const tracks = trackCount(take) - (asOne ? singles - 1 : 0);
  const carry = useDo(
    () => ok(api.POST("/takes/{take}/carry", { params: { path: { take: take.id } } })),
    [keysOf.takes(take.production)],
    ({ changed }) =>
      tell(
        changed === 0
          ? "The other takes have these names already, or other channels."
          : changed === 1
            ? "1 other take has these names now."
            : `${changed} other takes have these names now.`,
      ),
  );
  const laying = { takes: [take.id], how: { plain: true, together: asOne }, reuse };
  const unravel = useLaying(take.production);
  const look = useDo(
    () =>
      ok(
        api.POST("/productions/{production}/lay/look", {
          params: { path: { production: take.production } },
          body: { takes: laying.takes, how: laying.how, ...(reel && { reel: reel.id }) },
        }),
      ),
    [],
    ({ rows }) => {
      if (rows.some((r) => r.place.ask)) setAsking(true);
      else unravel.mutate({ ...laying, ...(reel && { reel: reel.id }), anyway: false });
    },
  );
  const busy = unravel.isPending || look.isPending;
  const run = () => {
    if (gone) tell("The reel that was chosen is not here any more: choose another.", true);
    else if (tracks > 0 && !busy && reels.data) look.mutate(undefined);
  };
  useActions({ unravel: run });
  const where =
    take.tie && take.place !== null
      ? `In sync with ${take.tie.title}, tied together.`
      : take.place !== null && production.data
        ? `At its time stamp, ${labelAt(take.place, take.description.sampleRate, production.data.frameRate)}, tied together.`
        : take.description.wild
          ? "A wild track has no place by the clock: at the start of the reel."
          : "At the start of the reel; nothing tells where it belongs.";
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-2.5 border-t border-line px-6 py-3">
      <button
        className="pill-act"
        disabled={tracks === 0 || busy || !reels.data}
        onClick={run}
        title={`${words.unravel} Key: ${keySign(keyOf("unravel"))}`}
      >
        {tracks === 0 ? "Switch on a channel to unravel" : tracks === 1 ? "Unravel 1 track" : `Unravel ${tracks} tracks`} onto{" "}
        {reel?.name ?? "a new reel"}
      </button>
      <ReelSelect reels={reels.data} chosen={gone ? "" : (reel?.id ?? freshReel)} label="Reel to unravel onto" onChoose={setChosen} />
      {singles > 1 && (
        <select
          className="field rounded-full"
          aria-label="How channels are laid out"
          value={asOne ? "one" : "each"}
          onChange={(e) => setTogether(e.target.value === "one")}
        >
          <option value="each">each channel a track</option>
          <option value="one">{`${singles} channels as one clip`}</option>
        </select>
      )}
      {reel && (
        <label
          className="flex items-center gap-1.5 text-[13px]"
          title="A channel goes on the track of its name and stem where that is free, and on a new one where it is not"
        >
          <input type="checkbox" checked={reuse} onChange={(e) => setReuse(e.target.checked)} /> on tracks of the same name
        </label>
      )}
      {take.description.roll && take.channels.some((c) => c.name) && (
        <button
          className="pill"
          disabled={carry.isPending}
          onClick={() => carry.mutate(undefined)}
          title={`Names, stems and reading for every take of roll ${take.description.roll} that has ${take.channels.length} channels; one undo takes it back`}
        >
          Use these names for all of {take.description.roll}
        </button>
      )}
      <span className="text-[13px] text-muted">{where} The take itself is not changed.</span>
      {asking && <PlaceTable {...laying} reel={reel} production={take.production} onClose={() => setAsking(false)} />}
    </div>
  );
}
