import { Check, Link2, Volume2 } from "lucide-react";
import { DropdownMenu, Switch } from "radix-ui";

import type { ChainStep, Channel, ProductionStem, Take } from "../../api/client";
import { useTakeEdit } from "../../api/hooks";
import { player } from "../../listen/player";
import { StemTag } from "../../ui/stem";
import { columns } from "./boardtime";
import { Edited } from "./edited";
import { labelIn, level, relabelled, setName, setOf, stemOf, strandOf, swapped, together, without, otherWays } from "./reading";
import { TreatmentOpener } from "./treatment";
import { helps } from "./treatments";
import { Waveform } from "./waveform";
import { back } from "../../ui/focus";

/** Findings that mean damage, not only something to know. */
const harmed = ["clipped", "dropout", "click", "topped", "hum", "rumble", "dc"];

/** The element that holds the names already used in the production, for completion. */
export const namesList = "channel-names";

/** Plays a channel from a second before what was found on it. */
function HearAt({ take, channel, at }: { take: Take; channel: number; at: number }) {
  const rate = take.description.sampleRate;
  const seconds = (at / rate).toFixed(1);
  return (
    <button
      className="shrink-0 rounded px-1 hover:bg-band"
      aria-label={`Hear channel ${channel} at ${seconds} s`}
      title={`Hear it, from a second before ${seconds} s`}
      onClick={() => void player.playTake(take.id, [channel - 1], Math.max(0, at - rate))}
    >
      <Volume2 size={12} aria-hidden />
    </button>
  );
}

/** One channel of a take: its name, what is on it, its waveform, how it is read, its stem, and whether unravel takes it. */
export function ChannelRow(p: {
  take: Take;
  channel: Channel;
  stems: ProductionStem[];
  marked: boolean;
  onMark: (on: boolean, range: boolean) => void;
  /** Opens the treatment of the channel, with what is suggested against something found on it. */
  onTreat: (suggested?: ChainStep[], at?: number) => void;
}) {
  const { take, channel: c } = p;
  const edit = useTakeEdit(take);
  const set = setOf(take.sets, c.index);
  const group = set ? set.channels : [c.index];
  return (
    <div
      className={`grid min-h-[56px] max-h-32 flex-[1_0_auto] items-center border-t border-line py-1.5 ${columns} ${p.marked ? "bg-band" : ""}`}
      data-channel={c.index}
    >
      <label className="flex cursor-pointer items-center justify-end gap-2">
        <input
          type="checkbox"
          className="accent-act"
          checked={p.marked}
          aria-label={`Mark channel ${c.index}`}
          onChange={() => undefined}
          onClick={(e) => p.onMark(!p.marked, e.shiftKey)}
        />
        <span className="tc w-5 text-right text-muted">{c.index}</span>
      </label>
      <div className="min-w-0">
        <Edited
          className="font-semibold"
          value={c.name}
          label={`Name of channel ${c.index}`}
          empty={`Channel ${c.index}`}
          suggestions={namesList}
          onKeep={(name) => edit.mutate({ channels: [{ index: c.index, name }] })}
        />
        <p className="flex items-center text-[12px] text-muted">
          <span className="min-w-0 truncate">
            {c.empty ? "empty" : c.use === "unknown" ? "use unknown" : c.use}, {level(c.rmsDBFS)}
            {c.fileName !== c.name && c.fileName && ` · in the file: ${c.fileName}`}
          </span>
          {!c.empty && <TreatmentOpener take={take} channel={c.index - 1} onOpen={() => p.onTreat()} />}
        </p>
        {c.findings
          ?.filter((f) => f.kind !== "empty")
          .map((f) => (
            <p
              key={f.kind}
              className={`flex items-center gap-1 text-[12px] ${harmed.includes(f.kind) ? "font-semibold text-wrong" : "text-muted"}`}
              title={f.message}
            >
              <span className="truncate">{f.message}</span>
              {f.at !== undefined && <HearAt take={take} channel={c.index} at={f.at} />}
              {helps(take, c.index - 1, f) && (
                <button
                  className="shrink-0 cursor-pointer underline"
                  title="Hear what would be done against it, and accept it or leave it"
                  onClick={() => p.onTreat(f.remedy, f.at)}
                >
                  treat it…
                </button>
              )}
            </p>
          ))}
      </div>
      <SetMark take={take} channel={c} />
      <Waveform take={take} channel={c} muted={!c.unravelled} />
      <StemChoice
        take={take}
        channel={c}
        stems={p.stems}
        onStem={(stem, strand) => edit.mutate({ channels: group.map((index) => ({ index, stem, strand })) })}
      />
      <Switch.Root
        checked={c.unravelled}
        // A bonded set is never split: its channels are switched together.
        onCheckedChange={(on) => edit.mutate({ channels: group.map((index) => ({ index, on })) })}
        aria-label={`Unravel channel ${c.index}, ${c.name || "unnamed"}`}
        className="h-[18px] w-8 cursor-pointer rounded-full bg-[var(--warp)] data-[state=checked]:bg-lime"
      >
        <Switch.Thumb className="block h-3.5 w-3.5 translate-x-0.5 rounded-full bg-[#fffdf8] transition-transform data-[state=checked]:translate-x-4" />
      </Switch.Root>
    </div>
  );
}

/** Which channel of a set this is; pressing it says how else it can be read. A channel alone can be paired with the next. */
function SetMark({ take, channel: c }: { take: Take; channel: Channel }) {
  const edit = useTakeEdit(take);
  const set = setOf(take.sets, c.index);
  const read = (sets: Take["sets"]) => edit.mutate({ sets });
  if (!set) {
    const next = take.channels[c.index];
    if (!next || setOf(take.sets, next.index)) return <span />;
    return (
      <button
        className="justify-self-center cursor-pointer rounded p-1 text-muted hover:text-ink"
        aria-label={`Pair channel ${c.index} with ${next.index}`}
        title={`Read ${c.index} and ${next.index} as one bonded stereo pair`}
        onClick={() =>
          edit.mutate({
            sets: together(take.sets, { kind: "bonded", channels: [c.index, next.index], labels: ["L", "R"] }),
            channels: [c.index, next.index].map((index) => ({ index, on: true })),
          })
        }
      >
        <Link2 size={15} />
      </button>
    );
  }
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="pill h-6 justify-self-center border-ink px-1.5 text-[12px] font-semibold"
        aria-label={`Channel ${c.index} is ${labelIn(set, c.index)} of a ${setName(set)}`}
        title={`${labelIn(set, c.index)} of a ${setName(set)}; press to read it differently`}
      >
        {set.kind === "bonded" && set.channels.length === 2 && <Link2 size={12} />}
        {labelIn(set, c.index)}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu" sideOffset={4}>
          <DropdownMenu.Label className="px-2.5 py-1 text-[12px] text-muted">
            Channels {set.channels.join(", ")} are a {setName(set)}
          </DropdownMenu.Label>
          <DropdownMenu.Item className="menu-item" onSelect={() => read(without(take.sets, [c.index]))}>
            Read each channel by itself
          </DropdownMenu.Item>
          {set.channels.length > 2 &&
            otherWays(set).map((w) => (
              <DropdownMenu.Item key={w.name} className="menu-item" onSelect={() => read(together(take.sets, ...w.sets))}>
                Read them as {w.name}
              </DropdownMenu.Item>
            ))}
          {set.channels.length === 2 && set.kind === "bonded" && (
            <>
              <DropdownMenu.Item className="menu-item" onSelect={() => read(together(take.sets, swapped(set)))}>
                Change the sides over
              </DropdownMenu.Item>
              <DropdownMenu.Item
                className="menu-item"
                onSelect={() => read(together(take.sets, { kind: "sum", channels: set.channels, labels: ["M"] }))}
              >
                Use the sum, each side at −6 dB
              </DropdownMenu.Item>
              {set.channels.map((only, i) => (
                <DropdownMenu.Item
                  key={only}
                  className="menu-item"
                  onSelect={() =>
                    edit.mutate({
                      sets: without(take.sets, [c.index]),
                      channels: set.channels.map((index) => ({ index, on: index === only })),
                    })
                  }
                >
                  Use one side alone: {i === 0 ? "left" : "right"}, channel {only}
                </DropdownMenu.Item>
              ))}
            </>
          )}
          {set.kind === "bonded" &&
            set.channels.length > 2 &&
            set.labels
              .filter((label) => label !== labelIn(set, c.index))
              .map((label) => (
                <DropdownMenu.Item
                  key={label}
                  className="menu-item"
                  onSelect={() => read(together(take.sets, relabelled(set, c.index, label)))}
                >
                  It is {label}; change it over with that one
                </DropdownMenu.Item>
              ))}
          {set.kind === "sum" && set.channels.length === 2 && (
            <DropdownMenu.Item
              className="menu-item"
              onSelect={() => read(together(take.sets, { kind: "bonded", channels: set.channels, labels: ["L", "R"] }))}
            >
              Read them as a stereo pair
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The stem and strand of a channel: a suggestion is dashed and says so, a decision is filled. */
function StemChoice(p: { take: Take; channel: Channel; stems: ProductionStem[]; onStem: (stem: string, strand: string) => void }) {
  const c = p.channel;
  const strand = strandOf(c);
  const decided = !!c.stem;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        className="flex min-w-0 cursor-pointer items-center gap-1.5 rounded px-1 py-0.5 text-left text-[13px] text-muted hover:bg-band"
        aria-label={`Stem of channel ${c.index}: ${stemOf(c)}${strand && `, ${strand}`}${decided ? "" : ", suggested"}`}
      >
        <StemTag stem={stemOf(c)} suggested={!decided} />
        <span className="min-w-0 truncate">
          {strand && <span className="text-ink">{strand} </span>}
          {!decided && !strand && (c.unravelled ? "suggested" : "left out")}
          {decided && !strand && p.stems.find((s) => s.id === c.stem)?.name}
        </span>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu max-h-[60vh] overflow-auto" sideOffset={4}>
          {!decided && (
            <DropdownMenu.Item className="menu-item" onSelect={() => p.onStem(c.suggested, c.suggestedStrand)}>
              <Check size={14} /> Keep the suggestion, {c.suggested}
            </DropdownMenu.Item>
          )}
          {p.stems.map((s) => (
            <div key={s.id}>
              <DropdownMenu.Item className="menu-item" onSelect={() => p.onStem(s.id, "")}>
                <StemTag stem={s.id} /> {s.name}
              </DropdownMenu.Item>
              {s.strands.map((strand) => (
                <DropdownMenu.Item key={strand} className="menu-item pl-10" onSelect={() => p.onStem(s.id, strand)}>
                  {strand}
                </DropdownMenu.Item>
              ))}
            </div>
          ))}
          {decided && (
            <DropdownMenu.Item className="menu-item border-t border-line" onSelect={() => p.onStem("", "")}>
              Leave it to the rules again
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
