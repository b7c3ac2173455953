import { PanelBottom, PanelRight, Trash2 } from "lucide-react";
import { useRef, useState, type ReactNode } from "react";

import type { Clip, Command, CommandOf, FrameRate, ReelView, Take, Track } from "../../../api/client";
import { timecodeRates } from "../../../ui/rates";
import type { ActionID } from "../../../ui/actions";
import { keyOf, keySign } from "../../../ui/keys";
import { duration, labelAt, noTimecode, parse } from "../../../ui/timecode";
import type { Choice } from "../ground/choice";
import type { Opened } from "../../../chain/chains";
import { ChainOpener } from "../chains/chainopener";
import { ClipPanel, LanePanel, Line, part } from "./clippanel";
import { parameters } from "../ground/curves";
import { FieldsOf } from "../../../ui/draft";
import { Kept } from "../../../ui/kept";
import { formatName, formats, hasRoom, isField } from "../ground/formats";
import { figure, gains } from "../ground/numbers";
import { PanPad, PanSlider } from "./panpad";
import { Ride } from "../ground/ride";
import { Reaches } from "../weave/reaches";
import { Check } from "../../../ui/check";
import { quiet } from "../../../ui/quiet";
import { useSize } from "../../../ui/size";
import { Explained } from "../../../ui/explained";

/** Gives nothing where the command was refused. */
type Do = (c: Command) => Promise<ReelView | undefined>;

type Props = {
  view: ReelView;
  track: Track | undefined;
  clip: Clip | undefined;
  choice: Choice;
  takes: Map<string, Take>;
  acts: Partial<Record<ActionID, () => void>>;
  /** Where the reel plays, or null while it does not. */
  playingAt: () => number | null;
  onDo: Do;
  onChain: (of: Opened) => void;
  onRemoveTrack: () => void;
  onSettle: () => void;
  /** Where it stands: at the foot its parts are beside each other, at the side one below the other. */
  dock: "foot" | "side";
  onDock: () => void;
};

/** What is chosen: a track with how it goes into its stem, and a clip or one of its channels. */
export const Inspector = quiet(function Inspector(p: Props) {
  const { view, track } = p;
  const section = useRef<HTMLElement>(null);
  const { width } = useSize(section, { width: 2000, height: 0 });
  // Where there is no room for one part beside its name, they stand below each other as they do at the side: then nothing is cut.
  const dock = width < partWidth + 100 ? "side" : p.dock;
  return (
    <section
      ref={section}
      aria-label="What is chosen"
      data-dock={dock}
      className="group/dock @container relative flex h-full gap-x-5 gap-y-2 overflow-auto bg-paper py-2 pl-4 pr-8 data-[dock=side]:flex-col"
    >
      <button
        className="absolute right-1.5 top-1.5 z-10 cursor-pointer rounded p-1 text-muted hover:text-ink"
        aria-label={p.dock === "foot" ? "Put it at the side" : "Put it at the foot"}
        title={`${p.dock === "foot" ? "Put it at the side" : "Put it at the foot"} (${keySign(keyOf("dock"))})`}
        onClick={p.onDock}
      >
        {p.dock === "foot" ? <PanelRight size={14} /> : <PanelBottom size={14} />}
      </button>
      {track ? <Chosen {...p} track={track} width={dock === "foot" ? width : 0} /> : <ReelPanel key={view.id} view={view} onDo={p.onDo} />}
    </section>
  );
});

/** How wide a part of what is chosen is at the foot, in pixels. */
const partWidth = 455;

/** The parts of what is chosen: all of them where there is room, else as many as there is room for, the clip first. width is that of the
 * foot, in pixels; 0 at the side, where they stand below each other. */
function Chosen(p: Props & { track: Track; width: number }) {
  const { view, track, clip, choice } = p;
  const of = `${track.id} ${choice.clips.join()} ${choice.lane?.channel}`; // another choice begins with its usual part
  const [wanted, setWanted] = useState({ of: "", name: "" });
  const parts: [string, () => ReactNode][] = [["Track", () => <TrackPanel {...p} track={track} />]];
  if (!clip || hasRoom(view.stems.find((s) => s.id === track.stem)?.labels ?? []))
    parts.push(["Place", () => <PlacePanel {...p} track={track} />]);
  if (clip && choice.lane) parts.push(["Channel", () => <LanePanel {...p} clip={clip} />]);
  else if (clip) parts.push(["Clip", () => <ClipPanel {...p} clip={clip} />]);
  const all = p.width === 0 || parts.length * partWidth <= p.width;
  const usual = choice.clips.length > 0 || choice.lane ? parts.at(-1)! : parts[0]!;
  const [name] = parts.find(([n]) => wanted.of === of && n === wanted.name) ?? usual;
  const fit = Math.max(1, Math.floor(p.width / partWidth));
  const first = Math.min(
    parts.findIndex(([n]) => n === name),
    parts.length - fit,
  );
  const inView = all ? parts : parts.slice(first, first + fit);
  // What has the focus keeps it where there is more room or less: the parts stand in the same place either way.
  return (
    <>
      {!all && (
        <div className="flex shrink-0 flex-col gap-1" role="group" aria-label="Parts of what is chosen">
          {parts.map(([n]) => {
            const on = inView.some(([x]) => x === n);
            return (
              <button
                key={n}
                aria-pressed={on}
                className={`min-h-6 cursor-pointer rounded-full px-2.5 py-1 text-left text-[12.5px]
                ${on ? "bg-band font-semibold" : "text-muted hover:text-ink"}`}
                onClick={() => setWanted({ of, name: n })}
              >
                {n}
              </button>
            );
          })}
        </div>
      )}
      {inView.map(([n, shown]) => (
        // Where there is less room it is the part that somebody is in that stays.
        // biome-ignore lint/a11y/noStaticElementInteractions: what is done is done to what is in it
        <div key={n} className="contents" onFocus={() => (wanted.of !== of || wanted.name !== n) && setWanted({ of, name: n })}>
          <FieldsOf.Provider value={n === "Channel" ? of : n === "Clip" ? (clip?.id ?? "") : track.id}>{shown()}</FieldsOf.Provider>
        </div>
      ))}
    </>
  );
}

function ReelPanel({ view, onDo }: { view: ReelView; onDo: Do }) {
  const { start, sampleRate, frameRate, panLaw } = view.head;
  return (
    <div className="flex gap-8 group-data-[dock=side]/dock:flex-col group-data-[dock=side]/dock:gap-3">
      <div>
        <Line name="Reel">
          <Kept
            label="Name of the reel"
            value={view.name}
            onKeep={(name) => void onDo({ kind: "setReel", command: { name } })}
            className="w-56 font-semibold"
          />
        </Line>
        <Line name="Starts">
          <Kept
            label="Timecode at which the reel starts"
            value={labelAt(start, sampleRate, frameRate)}
            onKeep={(t) => {
              const to = parse(t, sampleRate, frameRate);
              if (to === null) return noTimecode;
              void onDo({ kind: "setReel", command: { start: to } });
            }}
            className="tc w-28"
          />
          <select
            className="field h-7"
            aria-label="Frame rate of the reel"
            value={JSON.stringify(frameRate)}
            onChange={(e) => void onDo({ kind: "setReel", command: { frameRate: JSON.parse(e.target.value) as FrameRate } })}
          >
            {timecodeRates.map(([name, r]) => (
              <option key={name} value={JSON.stringify(r)}>
                {name}
              </option>
            ))}
          </select>
        </Line>
        <Line name="Lasts">
          <span className="tc">{duration(view.end - start, sampleRate)}</span>
        </Line>
        <Line name="Pan law">
          <select
            className="field h-7"
            aria-label="What a mono track in the middle of a pair loses on each side"
            value={panLaw}
            onChange={(e) => void onDo({ kind: "setReel", command: { panLaw: Number(e.target.value) } })}
          >
            {[3, 4.5, 6].map((x) => (
              <option key={x} value={x}>
                −{x} dB
              </option>
            ))}
          </select>
          <span className="text-muted">in the middle of a pair</span>
        </Line>
      </div>
      <p className={`hidden max-w-md text-[13px] text-muted @3xl:block ${part}`}>
        Press a clip to choose it, drag it to move it, its edges to trim it, its upper corners to fade it; press and hold to hear it alone
        from there. Drag along the foot of a row for a range. <Explained word="knot">Knots</Explained> are set in the{" "}
        <Explained word="weave">weave</Explained> on the right: press where a row and an output cross.
      </p>
    </div>
  );
}

function TrackPanel({ view, track, playingAt, onDo, onChain, onRemoveTrack }: Props & { track: Track }) {
  const set = (command: Partial<CommandOf<"setTrack">>) => onDo({ kind: "setTrack", command: { track: track.id, ...command } });
  const stem = view.stems.find((s) => s.id === track.stem);
  const toPair = (track.labels.length === 1 || track.labels.every((l) => l === "M")) && (stem?.labels.length ?? 0) === 2;
  const own = formatName(track.labels);
  return (
    <div className="min-w-0 shrink-0">
      <Line name="Track">
        <Kept label="Name of the track" value={track.name} onKeep={(name) => set({ name })} className="w-40 font-semibold" />
        <select
          className="field h-7 px-1"
          aria-label="Width of the track"
          value={own}
          onChange={(e) => set({ labels: formats.find(([n]) => n === e.target.value)![1] })}
        >
          {!formats.some(([n]) => n === own) && <option>{own}</option>}
          {formats.map(([n]) => (
            <option key={n}>{n}</option>
          ))}
        </select>
        <ChainOpener view={view} row="track" id={track.id} name={track.name} onOpen={() => onChain({ row: "track", id: track.id })} />
        <button
          className="cursor-pointer rounded p-1 text-muted hover:text-wrong"
          aria-label={`Take ${track.name} off the reel`}
          title="Take it off the reel with its clips"
          onClick={onRemoveTrack}
        >
          <Trash2 size={15} />
        </button>
      </Line>
      <Line name="Gain">
        <Kept
          label="Gain of the track in dB"
          value={String(track.gainDB)}
          onKeep={figure((gainDB) => set({ gainDB }), ...gains)}
          className="tc w-16 text-right"
        />{" "}
        dB
        <Ride of="track" id={track.id} parameters={parameters} playingAt={playingAt} onDo={onDo} />
      </Line>
      <Line name={track.labels.length === 1 || track.labels[0] === "M" ? "Pan" : "Balance"}>
        {toPair && track.feed.dual ? (
          <span>unity on both sides</span>
        ) : track.pan?.length ? (
          <>
            <span className="text-muted">by its curve</span>
            <button className="pill h-6 px-2.5" onClick={() => set({ pan: 0 })}>
              take the curve off
            </button>
          </>
        ) : (
          <PanSlider key={track.id} pan={track.feed.pan} onPan={(pan) => set({ pan })} />
        )}
        {toPair && (
          <label
            className="flex cursor-pointer items-center gap-1.5"
            title={`At unity on both sides; else the pan law, −${view.head.panLaw} dB in the middle`}
          >
            <Check key={track.id} on={track.feed.dual} onChange={(dual) => set({ dual })} /> dual mono
          </label>
        )}
      </Line>
      <Line name="Strand">
        <Kept
          label="Strand of the track"
          value={track.strand ?? ""}
          placeholder="none"
          onKeep={(strand) => set({ strand })}
          className="w-28"
        />
        <span className="text-muted">folder</span>
        <Kept
          label="Folder of the track"
          value={track.folder ?? ""}
          placeholder="none"
          onKeep={(folder) => set({ folder })}
          className="w-28"
        />
        <Reaches view={view} track={track} />
      </Line>
    </div>
  );
}

/** Where a track stands in the room of a wide stem, how a set or sound field is turned in it, and a second stem. */
function PlacePanel({ view, track, playingAt, onDo }: Props & { track: Track }) {
  const set = (command: Partial<CommandOf<"setTrack">>) => onDo({ kind: "setTrack", command: { track: track.id, ...command } });
  const stem = view.stems.find((s) => s.id === track.stem);
  const { feed } = track;
  const single = track.labels.length === 1 || track.labels.every((l) => l === "M");
  const field = isField(track.labels);
  const room = hasRoom(stem?.labels ?? []);
  const numbers: [Placing, string, number, number, number][] = field
    ? [
        ["turn", "turn °", feed.turn ?? 0, -360, 360],
        ["pitch", "pitch °", feed.pitch ?? 0, -180, 180],
        ["roll", "roll °", feed.roll ?? 0, -180, 180],
      ]
    : [
        ["turn", "turn °", feed.turn ?? 0, -360, 360],
        ["narrow", "narrow", feed.narrow ?? 0, 0, 1],
      ];
  const shown = single ? room && feed.placed : field || room;
  return (
    <div className={`flex min-w-0 shrink-0 gap-4 group-data-[dock=side]/dock:flex-col ${part}`}>
      {single && shown && <PanPad key={track.id} view={view} track={track} playingAt={playingAt} onDo={onDo} />}
      <div>
        <Line name="Also into">
          <select
            className="field h-7 px-1"
            aria-label="Second stem of the track"
            value={track.second ?? ""}
            disabled={!track.stem}
            onChange={(e) => void set({ second: e.target.value })}
          >
            <option value="">no second stem</option>
            {view.stems
              .filter((s) => s.id !== track.stem)
              .map((s) => (
                <option key={s.id} value={s.id}>
                  {s.name}
                </option>
              ))}
          </select>
        </Line>
        {single && room && (
          <Line name="Place">
            <label
              className="flex cursor-pointer items-center gap-1.5"
              title="Where it is placed in the room, instead of between the front left and right"
            >
              <Check
                key={track.id}
                on={feed.placed ?? false}
                onChange={(placed) => set(placed && feed.front === undefined ? { placed, front: 1 } : { placed })}
              />{" "}
              in the room of {stem!.name}
            </label>
          </Line>
        )}
        {shown && !single && (
          <Line name="Turned">
            {numbers.map(([what, called, value, least, most]) => (
              <label key={what} className="flex items-center gap-1 text-muted">
                {called}
                {track.curves?.[what] ? (
                  <button className="pill h-6 px-2" title="It moves by its curve" onClick={() => void set({ [what]: value })}>
                    curve ×
                  </button>
                ) : (
                  <Kept
                    label={`${called} of the track`}
                    value={String(value)}
                    onKeep={figure((v) => set({ [what]: v }), least, most)}
                    className="tc h-6 w-12 text-right text-ink"
                  />
                )}
              </label>
            ))}
          </Line>
        )}
      </div>
    </div>
  );
}

type Placing = "front" | "up" | "spread" | "turn" | "pitch" | "roll" | "narrow";
