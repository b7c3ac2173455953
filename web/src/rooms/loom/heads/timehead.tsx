import { Check, Clapperboard, ListTree, Magnet, Maximize2, Plus, Rows3, Spline, ZoomIn, ZoomOut } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { useShallow } from "zustand/react/shallow";

import type { Command, ReelView } from "../../../api/client";
import type { ActionID } from "../../../ui/actions";
import { keyOf, keySign } from "../../../ui/keys";
import { allCurves, curveWords, type CurveView } from "../ground/curves";
import { formats } from "../ground/formats";
import { headsWidth } from "../ground/geometry";
import { trackOf } from "../ground/lookup";
import { useLoom, useLoomStore } from "../ground/state";
import { back } from "../../../ui/focus";
import { quiet } from "../../../ui/quiet";
import { nudgeUnits, nudgeWords, type NudgeUnit } from "../ground/nudge";
import { snapKinds, snapWords } from "../ground/snap";

type Acts = Record<"picture" | "lists" | "wider" | "closer" | "whole" | "fit", () => void>;

/** The corner above the heads: what is shown, and how much of it. */
export const TimeHead = quiet(function TimeHead({
  now,
  acts,
  onDo,
}: {
  now: () => ReelView;
  acts: Acts;
  onDo: (c: Command) => Promise<ReelView | undefined>;
}) {
  const store = useLoomStore();
  const { picture, lists, curves, fitted } = useLoom(
    useShallow(({ picture, lists, curves, fitted }) => ({ picture, lists, curves, fitted })),
  );
  return (
    <div className="flex shrink-0 items-end justify-between border-r border-line px-1.5 pb-1.5" style={{ width: headsWidth }}>
      <span className="flex gap-[3px]">
        <AddTrack now={now} onDo={onDo} />
        <Corner action="picture" label="Picture" on={picture} onClick={acts.picture}>
          <Clapperboard size={13} />
        </Corner>
        <Corner action="lists" label="Lists: out of sync, strays, marks, find, history, weave" on={lists !== null} onClick={acts.lists}>
          <ListTree size={13} />
        </Corner>
        <SnapMenu />
        <CurveMenu curves={curves} onCurves={(c) => store.setState({ curves: c })} />
      </span>
      <span className="flex gap-[3px]">
        <Corner action="fit" label="Fit all tracks into the room" on={fitted} onClick={acts.fit}>
          <Rows3 size={13} />
        </Corner>
        <Corner action="wider" label="Zoom out" onClick={acts.wider}>
          <ZoomOut size={13} />
        </Corner>
        <Corner action="closer" label="Zoom in" onClick={acts.closer}>
          <ZoomIn size={13} />
        </Corner>
        <Corner action="whole" label="The whole reel" onClick={acts.whole}>
          <Maximize2 size={12} />
        </Corner>
      </span>
    </div>
  );
});

const round = "flex h-[22px] w-[22px] cursor-pointer items-center justify-center rounded-full border";
const isOn = "border-ink bg-ink text-ground";
const isOff = "border-line bg-paper text-muted hover:text-ink";

function Corner(p: { action: ActionID; label: string; on?: boolean; onClick: () => void; children: ReactNode }) {
  return (
    <button
      className={`${round} ${p.on ? isOn : isOff}`}
      aria-label={p.label}
      aria-pressed={p.on}
      title={`${p.label} (${keySign(keyOf(p.action))})`}
      onClick={p.onClick}
    >
      {p.children}
    </button>
  );
}

/** What things catch at, each by itself, and by how much clips are nudged. */
function SnapMenu() {
  const store = useLoomStore();
  const { snap, snaps, nudge, range } = useLoom(
    useShallow((s) => ({ snap: s.snap, snaps: s.snaps, nudge: s.nudge, range: s.chosen.range })),
  );
  const long = range ? range.to - range.from : 0;
  const stay = (e: Event) => e.preventDefault(); // several are changed in a row
  const box = (on: boolean) => <span className="inline-block w-4">{on && <Check size={13} />}</span>;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`${round} ${snap ? isOn : isOff}`}
        aria-label={`Snap: ${snap ? "on" : "off"}; nudge by ${nudgeWords(nudge)}`}
        title={`Snap (${keySign(keyOf("snap"))}), and nudge by ${nudgeWords(nudge)} (${keySign(keyOf("nudge-unit"))})`}
      >
        <Magnet size={13} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4} align="start">
          <DropdownMenu.CheckboxItem
            className="menu-item font-semibold"
            checked={snap}
            onCheckedChange={(on) => store.setState({ snap: on })}
            onSelect={stay}
          >
            {box(snap)} Snap
          </DropdownMenu.CheckboxItem>
          {snapKinds.map((kind) => (
            <DropdownMenu.CheckboxItem
              key={kind}
              className="menu-item"
              disabled={!snap}
              checked={snaps[kind]}
              onCheckedChange={(on) => store.setState((s) => ({ snaps: { ...s.snaps, [kind]: on } }))}
              onSelect={stay}
            >
              {box(snaps[kind])} {snapWords[kind]}
            </DropdownMenu.CheckboxItem>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Label className="px-3 py-1 text-[12px] text-muted">Nudge and slip by</DropdownMenu.Label>
          <DropdownMenu.RadioGroup
            value={nudge.unit}
            onValueChange={(unit) => store.setState({ nudge: { ...nudge, unit: unit as NudgeUnit } })}
          >
            {nudgeUnits
              .filter((u) => u !== "own" || nudge.own > 0)
              .map((unit) => (
                <DropdownMenu.RadioItem key={unit} className="menu-item" value={unit}>
                  {box(nudge.unit === unit)} {nudgeWords({ ...nudge, unit })}
                </DropdownMenu.RadioItem>
              ))}
          </DropdownMenu.RadioGroup>
          {long > 0 && long !== nudge.own && (
            <DropdownMenu.Item className="menu-item" onSelect={() => store.setState({ nudge: { unit: "own", own: long } })}>
              {box(false)} as long as the range, {long} samples
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Which curves are drawn and can be changed. */
function CurveMenu({ curves, onCurves }: { curves: CurveView; onCurves: (c: CurveView) => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className={`${round} ${curves !== "none" ? isOn : isOff}`}
        aria-label={`Curves: ${curveWords(curves)}`}
        title={`Curves: ${curveWords(curves)} (${keySign(keyOf("curves"))})`}
      >
        <Spline size={13} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu max-h-[70vh] overflow-auto" sideOffset={4}>
          {allCurves.map((c) => (
            <DropdownMenu.Item key={c} className="menu-item" onSelect={() => onCurves(c)}>
              {c === "none" ? "No curves: move and trim" : `Draw ${curveWords(c)}`}{" "}
              {c === curves && <span className="ml-auto text-muted">shown</span>}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const newTracks: [string, string[]][] = [
  ...formats.slice(0, 2),
  ["four monos", ["M", "M", "M", "M"]],
  ...formats.slice(4, 6),
  ...formats.slice(8, 9),
];

/** Makes an empty track below the selected one, in its stem. */
function AddTrack(p: { now: () => ReelView; onDo: (c: Command) => Promise<ReelView | undefined> }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={`${round} ${isOff}`} aria-label="Add a track" title="Add a track">
        <Plus size={14} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4} align="start">
          <NewTracks {...p} />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The reel is as it was when the menu was opened. */
function NewTracks({ now, onDo }: { now: () => ReelView; onDo: (c: Command) => Promise<ReelView | undefined> }) {
  const view = now();
  const beside = trackOf(
    view,
    useLoom((s) => s.chosen.track),
  );
  const add = (labels: string[]) =>
    void onDo({
      kind: "addTrack",
      command: {
        name: `Track ${view.tracks.length + 1}`,
        labels,
        stem: beside?.stem ?? view.stems[0]?.id ?? "",
        folder: beside?.folder ?? "",
        below: beside?.id ?? "",
      },
    });
  return newTracks.map(([name, labels]) => (
    <DropdownMenu.Item key={name} className="menu-item" onSelect={() => add(labels)}>
      A {name} track {beside && <span className="text-muted">below {beside.name}</span>}
    </DropdownMenu.Item>
  ));
}
