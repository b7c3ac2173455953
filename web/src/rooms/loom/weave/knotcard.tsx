import { Popover } from "radix-ui";
import type { RefObject } from "react";

import type { Knot } from "../../../api/client";
import { Check } from "../../../ui/check";
import { usePlayer } from "../../../listen/player";
import { useDraft } from "../../../ui/draft";
import { labelsOf } from "../ground/band";
import { along, cellOf, columnName, shownGain, type Place } from "../ground/cells";
import { figure, gains } from "../ground/numbers";
import { Ride } from "../ground/ride";
import { positionOf } from "../ground/shuttleline";
import { useLoomStore } from "../ground/state";
import { CurvePoints } from "../lists/tracklist";
import type { Weave } from "./tying";
import { backTo } from "../../../ui/focus";

type Props = {
  weave: Weave;
  places: Place[];
  corners: [Place, Place] | null; // of a block
  anchor: RefObject<HTMLElement | null>;
  onClose: () => void;
};

/** What stands at a crossing, or in a block of them, with what can be done about it. */
export function KnotCard(p: Props) {
  return (
    <Popover.Root open onOpenChange={(open) => !open && p.onClose()}>
      <Popover.Anchor virtualRef={p.anchor as RefObject<HTMLElement>} />
      <Popover.Portal>
        <Popover.Content
          className="card z-50 w-72 p-3.5 text-[13px]"
          aria-label={p.corners ? "Crossings" : "Crossing"}
          sideOffset={-6}
          collisionPadding={10}
          onCloseAutoFocus={backTo(() => p.anchor.current)}
          onPointerDown={(e) => e.stopPropagation()}
          onPointerMove={(e) => e.stopPropagation()}
          onPointerUp={(e) => e.stopPropagation()}
          onKeyDown={(e) => e.stopPropagation()}
        >
          {p.corners ? <OfBlock {...p} corners={p.corners} /> : <OfOne {...p} place={p.places[0]!} />}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function OfOne({ weave, place, onClose }: Props & { place: Place }) {
  const { view, tying } = weave;
  const { line, column } = tying.at(place);
  const cell = cellOf(view, line, column);
  const { finding, knots } = cell;
  const tied = knots.length > 0;
  const both = tying.widened([place]);
  const closing = (f: () => void) => () => {
    f();
    onClose();
  };
  return (
    <>
      <p className="font-bold">
        {line.name} → {columnName(view, column)}
      </p>
      {finding && <p className="mt-1 text-wrong">{finding.message}.</p>}
      {finding?.fix && (
        <button className="pill-act mt-2" onClick={closing(() => void weave.command(finding.fix!.command))}>
          {finding.fix.name}
        </button>
      )}
      {cell.reach !== null && (
        <p className="mt-1 text-muted">
          {column.folded ? `Arrives at ${cell.reached} of ${column.outputs.length} channels, at ` : "Arrives at "}
          <span className="tc text-ink">{shownGain(cell.reach)} dB</span>
          {column.folded
            ? " at most."
            : tied
              ? cell.twice
                ? ", by its stem and by this knot together."
                : "."
              : " through its stem. Change that at the stem's own knot below, or in the track's feed."}
        </p>
      )}
      {cell.fed && (
        <p className="mt-1 text-muted">It feeds {column.group.name}, channel by channel. Change that in the lists, under Weave.</p>
      )}
      {!column.folded && knots.map((k) => <OneKnot key={k.id} knot={k} weave={weave} />)}
      <div className="mt-3 flex flex-wrap gap-2">
        {tied ? (
          <button className="pill" onClick={closing(() => tying.clear([place]))}>
            {knots.length > 1 && column.folded ? `Clear its ${knots.length} knots` : "Clear the knot"}
          </button>
        ) : (
          <button className="pill" onClick={closing(() => tying.tie([place]))}>
            {column.folded ? `Set a knot to ${column.group.name} for this row alone` : "Set a knot here for this row alone"}
          </button>
        )}
        {both.length > 1 && (
          <button className="pill" onClick={closing(() => (tied ? tying.clear(both) : tying.tie(both)))}>
            {tied ? "Clear" : "Set"} all {both.length} chosen tracks here
          </button>
        )}
      </div>
    </>
  );
}

const ridden = ["gain"] as const;

function OneKnot({ knot, weave }: { knot: Knot; weave: Weave }) {
  const { id, curve, ...point } = knot; // whose curve stays as it is by then
  const store = useLoomStore();
  const at = () => positionOf(weave.view.id, store.getState().stands);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === weave.view.id);
  const set = (part: Partial<Knot>) => weave.command({ kind: "setKnots", command: { knots: [{ ...point, ...part }] } });
  return (
    <div>
      <GainField knot={knot} labels={labelsOf(weave.view, knot.row, knot.from)} onGain={(gainDB) => set({ gainDB })} />
      <label className="mt-1 flex cursor-pointer items-center gap-1.5 text-muted">
        <Check on={knot.invert ?? false} onChange={(invert) => set({ invert })} /> polarity turned
      </label>
      <div className="mt-1">
        <Ride of="knot" id={id} parameters={ridden} playingAt={() => (playing ? at() : null)} onDo={weave.command} />
      </div>
      <details className="mt-1" open={(curve?.length ?? 0) > 0}>
        <summary className="cursor-pointer text-muted">
          {curve?.length ? `Its curve, ${curve.length} ${curve.length === 1 ? "point" : "points"}` : "A curve by hand"}
        </summary>
        <div className="mt-1 max-h-56 overflow-y-auto">
          <CurvePoints view={weave.view} at={at} of="knot" id={id} item={{ gain: curve ?? [] }} parameters={ridden} onDo={weave.command} />
        </div>
      </details>
    </div>
  );
}

/** A block: everything in it at once, or along its diagonal. */
function OfBlock({ weave, places, corners, onClose }: Props & { corners: [Place, Place] }) {
  const { tying } = weave;
  const knots = tying.knots(places);
  const free = places.filter((x) => cellOf(weave.view, tying.at(x).line, tying.at(x).column).knots.length === 0);
  const diagonal = along(corners[0], corners[1]);
  const wide = corners[0].line !== corners[1].line && corners[0].column !== corners[1].column;
  const gain = knots.every((k) => k.gainDB === knots[0]!.gainDB) && knots[0] ? knots[0] : { gainDB: 0, channel: 0 };
  const closing = (f: () => void) => () => {
    f();
    onClose();
  };
  return (
    <>
      <p className="font-bold">
        {places.length} crossings, {knots.length === 0 ? "no knot" : knots.length === 1 ? "1 knot" : `${knots.length} knots`}
      </p>
      {knots.length > 0 && (
        <>
          <GainField knot={gain} onGain={(gainDB) => tying.set(places, { gainDB })} />
          <div className="mt-2 flex gap-2">
            <button className="pill" onClick={() => tying.set(places, { invert: true })}>
              Turn polarity
            </button>
            <button className="pill" onClick={() => tying.set(places, { invert: false })}>
              Turn it back
            </button>
          </div>
        </>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        {wide && (
          <button className="pill" onClick={closing(() => tying.tie(diagonal))}>
            Set the {diagonal.length} of the diagonal
          </button>
        )}
        {free.length > 0 && (
          <button className="pill" onClick={closing(() => tying.tie(free))}>
            Set {free.length === places.length ? "all" : `the other ${free.length}`}
          </button>
        )}
        {knots.length > 0 && (
          <button className="pill" onClick={closing(() => tying.clear(places))}>
            Clear {knots.length === 1 ? "the knot" : `all ${knots.length}`}
          </button>
        )}
      </div>
    </>
  );
}

/** A gain in dB that is set when the field is left or Enter is pressed. */
export function GainField(p: { knot: Pick<Knot, "gainDB" | "channel">; labels?: string[]; onGain: (dB: number) => unknown }) {
  const { field, refused } = useDraft(String(Math.round(p.knot.gainDB * 100) / 100), figure(p.onGain, ...gains));
  return (
    <label className="mt-2 flex flex-wrap items-center justify-between gap-x-3">
      <span className="text-muted">Gain{p.labels && p.labels.length > 1 && ` of ${p.labels[p.knot.channel]}`}</span>
      <span className="flex items-center gap-1.5">
        <input className="field tc h-7 w-20 text-right" inputMode="decimal" {...field} />
        dB
      </span>
      {refused && (
        <span role="alert" className="w-full text-[12px] text-wrong">
          {refused}
        </span>
      )}
    </label>
  );
}
