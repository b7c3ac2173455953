import { ChevronDown, Mic } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState, type ReactNode } from "react";

import type { Clip, Command, CommandOf, Fade, ReelView, Take } from "../../../api/client";
import type { ActionID } from "../../../ui/actions";
import { keyOf, keySign } from "../../../ui/keys";
import { duration, labelAt, noTimecode, parseNear } from "../../../ui/timecode";
import { isTreated, micNames, treatmentOf } from "../../takes/treatments";
import { ChainOpener } from "../chains/chainopener";
import type { Opened } from "../../../chain/chains";
import { ClipChannels } from "./channels";
import { slipOf, slipSign, type Choice } from "../ground/choice";
import { tiedTo } from "../ground/lookup";
import { Kept } from "../../../ui/kept";
import { figure, gains } from "../ground/numbers";
import { replacements } from "./replace";
import { Explained, words as meanings } from "../../../ui/explained";
import { back } from "../../../ui/focus";

/** A part of what is chosen beside, or below, another. */
export const part =
  "border-line group-data-[dock=foot]/dock:border-l group-data-[dock=foot]/dock:pl-5 group-data-[dock=side]/dock:border-t group-data-[dock=side]/dock:pt-2";

export function Line({ name, children }: { name: string; children: ReactNode }) {
  return (
    <div className="flex items-start gap-2 whitespace-nowrap text-[13px] group-data-[dock=side]/dock:mb-1">
      <span className="flex h-[30px] w-14 shrink-0 items-center text-muted">{name}</span>
      <span className="flex min-h-[30px] min-w-0 items-center gap-x-2 gap-y-1 [&>*]:shrink-0 group-data-[dock=side]/dock:flex-wrap">
        {children}
      </span>
    </div>
  );
}

const curves: [NonNullable<Fade["curve"]>, string][] = [
  ["linear", "linear"],
  ["power", "equal power"],
  ["s", "S"],
];

/** One fade: how long, in milliseconds, and its curve. */
function FadeField(p: { label: string; fade: Fade | undefined; sampleRate: number; onKeep: (f: Fade) => void }) {
  const length = p.fade?.length ?? 0;
  const curve = p.fade?.curve ?? "linear";
  return (
    <>
      <Kept
        label={`${p.label} in milliseconds`}
        value={String(Math.round((length / p.sampleRate) * 10000) / 10)}
        onKeep={figure((ms) => p.onKeep({ length: Math.round((ms * p.sampleRate) / 1000), curve }), 0)}
        className="tc w-14 text-right"
      />
      <select
        className="field h-7 w-[92px] px-1 text-[12px]"
        aria-label={`Curve of the ${p.label.toLowerCase()}`}
        value={curve}
        onChange={(e) => p.onKeep({ length, curve: e.target.value as NonNullable<Fade["curve"]> })}
      >
        {curves.map(([id, name]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </select>
    </>
  );
}

/** What a key does, as a button that names it. */
function Act(p: { id: ActionID; onDo: () => void; children: ReactNode; disabled?: boolean }) {
  return (
    <button className="pill h-6 px-2.5" disabled={p.disabled} title={keySign(keyOf(p.id))} onClick={p.onDo}>
      {p.children}
    </button>
  );
}

type Props = {
  view: ReelView;
  clip: Clip;
  choice: Choice;
  takes: Map<string, Take>;
  acts: Partial<Record<ActionID, () => void>>;
  onDo: (c: Command) => void;
  onSettle: () => void;
  onChain: (of: Opened) => void;
};

const widthOf = (view: ReelView, track: string) => view.tracks.find((t) => t.id === track)?.labels.length;

/** A clip's own settings, and what can be put under its edits. */
export function ClipPanel(p: Props) {
  const { view, clip, acts } = p;
  const { sampleRate, frameRate } = view.head;
  const set = (part: Partial<CommandOf<"setClip">>) => p.onDo({ kind: "setClip", command: { clip: clip.id, ...part } });
  const tied = tiedTo(view, clip);
  const slip = slipOf(clip);
  const take = p.takes.get(clip.take);
  const [channelsOf, setChannelsOf] = useState(""); // the clip whose channels are set
  const sync = [
    tied > 0 && `tied to ${tied} other ${tied === 1 ? "clip" : "clips"}`,
    clip.picture && slip === 0 && "in sync with the picture",
    clip.was && !clip.tie && "untied",
    slip !== 0 && `${slipSign(view, slip)} out of sync`,
  ].filter(Boolean);
  return (
    <div className={`group-data-[dock=foot]/dock:min-w-[430px] ${part}`}>
      <Line name="Clip">
        <Kept label="Name of the clip" value={clip.name} onKeep={(name) => set({ name })} className="w-40 font-semibold" />
        <ChainOpener view={view} row="clip" id={clip.id} name={clip.name} onOpen={() => p.onChain({ row: "clip", id: clip.id })} />
        {take && take.channels.length > 0 && (
          <MicrophoneOpener take={take} clip={clip} onOpen={() => p.onChain({ row: "microphone", id: clip.id })} />
        )}
        <More {...p} onChannels={() => setChannelsOf(clip.id)} />
      </Line>
      {channelsOf === clip.id && take && (
        <ClipChannels
          clip={clip}
          take={take}
          track={view.tracks.find((t) => t.id === clip.track)!}
          alike={view.clips.filter(
            (c) =>
              c.id !== clip.id &&
              p.choice.clips.includes(c.id) &&
              p.takes.get(c.take)?.channels.length === take.channels.length &&
              widthOf(view, c.track) === widthOf(view, clip.track),
          )}
          onDo={p.onDo}
          onClose={() => setChannelsOf("")}
        />
      )}
      <Line name="Starts">
        <Kept
          label="Timecode at which the clip starts"
          value={labelAt(clip.start, sampleRate, frameRate)}
          onKeep={(t) => {
            const to = parseNear(t, clip.start, sampleRate, frameRate);
            if (to === null) return noTimecode;
            p.onDo({ kind: "moveClips", command: { clips: [clip.id], by: to - clip.start } });
          }}
          className="tc w-28"
        />
        <span className="text-muted">lasts</span> <span className="tc">{duration(clip.length, sampleRate)}</span>
        <span className="text-muted">gain</span>
        <Kept
          label="Gain of the clip in dB"
          value={String(clip.gainDB)}
          onKeep={figure((gainDB) => set({ gainDB }), ...gains)}
          className="tc w-14 text-right"
        />{" "}
        dB
      </Line>
      <Line name="Fades">
        <span className="text-muted">in</span>
        <FadeField label="Fade in" fade={clip.fadeIn} sampleRate={sampleRate} onKeep={(fadeIn) => set({ fadeIn })} />
        <span className="text-muted">out</span>
        <FadeField label="Fade out" fade={clip.fadeOut} sampleRate={sampleRate} onKeep={(fadeOut) => set({ fadeOut })} />
      </Line>
      <Line name="Sync">
        <span className={`max-w-72 truncate ${slip !== 0 ? "font-semibold text-wrong" : ""}`} title={sync.join(", ")}>
          {sync.length > 0 ? sync.join(", ") : "tied to nothing"}
        </span>
        {(slip !== 0 || (clip.was && !clip.tie)) && (
          <Act id="tie-back" onDo={() => acts["tie-back"]?.()}>
            Tie back
          </Act>
        )}
        {clip.tie && (
          <Act id="untie" onDo={() => acts.untie?.()}>
            Untie
          </Act>
        )}
      </Line>
    </div>
  );
}

/** The way to the treatment of what a clip was recorded with. */
function MicrophoneOpener({ take, clip, onOpen }: { take: Take; clip: Clip; onOpen: () => void }) {
  const n = clip.channels.flatMap((c) => treatmentOf(take, c)?.steps ?? []).length;
  return (
    <button
      className="pill h-6 shrink-0 gap-1 px-2 text-[12px]"
      title={
        `What ${micNames(take, clip.channels)} is treated with: every clip of it, in every reel, has it` +
        (clip.untreated ? ", and this one has none of it" : "")
      }
      aria-label={`Treatment${clip.untreated ? " none here" : n > 0 ? ` ${n}` : ""}`}
      onClick={onOpen}
    >
      <Mic size={12} /> {clip.untreated ? <span className="line-through">{n}</span> : n > 0 && <span className="tc">{n}</span>}
    </button>
  );
}

/** What can be done to a clip as a whole, in a menu. */
function More(p: Props & { onChannels: () => void }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="pill h-6 px-2.5" aria-label={`More for ${p.clip.name}`}>
        More <ChevronDown size={13} />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu max-h-[70vh] overflow-auto" sideOffset={4} side="top">
          <MoreActs {...p} />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function MoreActs({ view, clip, choice, takes, acts, onDo, onSettle, onChannels }: Props & { onChannels: () => void }) {
  const take = takes.get(clip.take);
  const width = clip.channels.length;
  const others = replacements(clip, [...takes.values()], view.head.sampleRate);
  const item = (words: string, run: () => void, disabled = false, title?: string) => (
    <DropdownMenu.Item className="menu-item" disabled={disabled} onSelect={run} title={title}>
      {words}
    </DropdownMenu.Item>
  );
  return (
    <>
      {item(clip.mute ? "Unmute the clip" : "Mute the clip", () => acts["mute-clip"]?.())}
      {width > 1 && item("Open into its channels, or fold up", () => acts.open?.())}
      {width > 1 &&
        !clip.sum &&
        item(`Split into ${width} mono tracks`, () =>
          onDo({ kind: "splitClip", command: { clip: clip.id, names: clip.channels.map((c) => take?.channels[c]?.name ?? "") } }),
        )}
      {width > 2 &&
        width % 2 === 0 &&
        !clip.sum &&
        item(`Split into ${width / 2} pairs`, () => onDo({ kind: "splitClip", command: { clip: clip.id, pairs: true } }))}
      {item("Join the chosen clips into one", () => onDo({ kind: "joinClips", command: { clips: choice.clips } }), choice.clips.length < 2)}
      {item("Tie it to the picture as it lies", () => onDo({ kind: "tieClips", command: { clips: [clip.id], picture: true } }))}
      {(clip.untreated || isTreated(clip, take)) &&
        item(clip.untreated ? "Have the treatment of its microphone" : "Sound as recorded, without the treatment of its microphone", () =>
          onDo({ kind: "setClip", command: { clip: clip.id, untreated: !clip.untreated } }),
        )}
      {item("Settle to a new take", onSettle, false, meanings.settle)}
      {(clip.settled?.length ?? 0) > 0 &&
        item("Bring back what it was settled from", () => onDo({ kind: "unsettle", command: { clip: clip.id } }))}
      {take && item("Its channels at gains of their own…", onChannels)}
      {take && take.channels.length > width && !clip.sum && (
        <DropdownMenu.Sub>
          <DropdownMenu.SubTrigger className="menu-item">Use other channels of its take ▸</DropdownMenu.SubTrigger>
          <DropdownMenu.Portal>
            <DropdownMenu.SubContent className="menu max-h-96 overflow-auto">
              {take.channels.slice(0, take.channels.length - width + 1).map((ch, i) => (
                <DropdownMenu.Item
                  key={i}
                  className="menu-item"
                  disabled={clip.channels[0] === i}
                  onSelect={() => onDo({ kind: "readChannels", command: { clip: clip.id, channels: clip.channels.map((_, n) => i + n) } })}
                >
                  <span className="tc text-muted">{width === 1 ? i + 1 : `${i + 1}–${i + width}`}</span>{" "}
                  {width === 1
                    ? ch.name || "no name"
                    : take.channels
                        .slice(i, i + width)
                        .map((x) => x.name || "–")
                        .join(", ")}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.SubContent>
          </DropdownMenu.Portal>
        </DropdownMenu.Sub>
      )}
      {others.length > 0 && (
        <DropdownMenu.Sub>
          <DropdownMenu.SubTrigger className="menu-item">Replace the take, keep its edits ▸</DropdownMenu.SubTrigger>
          <DropdownMenu.Portal>
            <DropdownMenu.SubContent className="menu max-h-96 overflow-auto">
              {others.slice(0, 60).map(({ take: t, command, note }) => (
                <DropdownMenu.Item key={t.id} className="menu-item" disabled={!command} onSelect={() => command && onDo(command)}>
                  {t.description.scene ? `${t.description.scene}/${t.description.take}` : t.fileName}
                  {note && <span className="pl-2 text-[12px] text-muted">{note}</span>}
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.SubContent>
          </DropdownMenu.Portal>
        </DropdownMenu.Sub>
      )}
    </>
  );
}

/** The settings of one channel of an opened clip, and what is done to a range of it. */
export function LanePanel({ view, clip, choice, takes, acts, onDo, onChain }: Props) {
  const channel = choice.lane!.channel;
  const lane = clip.lanes?.[channel] ?? {};
  const { sampleRate } = view.head;
  const name = takes.get(clip.take)?.channels[clip.channels[channel]!]?.name || `channel ${channel + 1}`;
  const set = (part: Partial<CommandOf<"setLane">>) => onDo({ kind: "setLane", command: { clip: clip.id, channel, ...part } });
  const r = choice.range;
  return (
    <div className={`group-data-[dock=foot]/dock:min-w-[430px] ${part}`}>
      <Line name="Channel">
        <b className="font-semibold">{name}</b> <span className="text-muted">of {clip.name}</span>
        <button
          className={`pill h-6 px-2.5 ${lane.off ? "border-ink bg-ink text-ground" : ""}`}
          aria-pressed={lane.off ?? false}
          onClick={() => set({ off: !lane.off })}
        >
          off
        </button>
        <button
          className={`pill h-6 px-2.5 ${lane.invert ? "border-ink bg-ink text-ground" : ""}`}
          aria-pressed={lane.invert ?? false}
          title="Turns the polarity"
          onClick={() => set({ invert: !lane.invert })}
        >
          polarity
        </button>
        {clip.channels.length > 1 && (
          <ChainOpener
            view={view}
            row="clip"
            id={clip.id}
            channel={channel}
            name={name}
            onOpen={() => onChain({ row: "clip", id: clip.id, channel })}
          />
        )}
      </Line>
      <Line name="Gain">
        <Kept
          label="Gain of the channel in dB"
          value={String(lane.gainDB ?? 0)}
          onKeep={figure((gainDB) => set({ gainDB }), ...gains)}
          className="tc w-16 text-right"
        />{" "}
        dB
        <span className="text-muted">delay</span>
        <Kept
          label="Delay of the channel in samples"
          value={String(lane.delay ?? 0)}
          onKeep={figure((n) => set({ delay: Math.round(n) }))}
          className="tc w-20 text-right"
        />{" "}
        samples
      </Line>
      <Line name="Fades">
        <span className="text-muted">in</span>
        <FadeField label="Fade in of the channel" fade={lane.fadeIn} sampleRate={sampleRate} onKeep={(fadeIn) => set({ fadeIn })} />
        <span className="text-muted">out</span>
        <FadeField label="Fade out of the channel" fade={lane.fadeOut} sampleRate={sampleRate} onKeep={(fadeOut) => set({ fadeOut })} />
      </Line>
      <Line name="Range">
        {r ? (
          <>
            <span className="tc">{duration(r.to - r.from, sampleRate)}</span>
            {(["hush", "dip", "borrow", "tone", "restore"] as const).map((id) => (
              <Act key={id} id={id} onDo={() => acts[id]?.()}>
                {{ hush: "Hush", dip: "Dip", borrow: "Borrow…", tone: "Room tone", restore: "Restore" }[id]}
              </Act>
            ))}
          </>
        ) : (
          <span className="text-muted">
            drag over the channel to <Explained word="hush">hush</Explained>, <Explained word="dip">dip</Explained> or{" "}
            <Explained word="borrow">borrow</Explained>
          </span>
        )}
      </Line>
    </div>
  );
}
