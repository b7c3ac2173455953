import { Copy } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useEffect, useRef, useState } from "react";

import { api, ok, type Clip, type ChainStep, type Command, type ReelView, type Row, type Take } from "../../../api/client";
import { Add, ChainBody, type Range } from "../../../chain/body";
import { type ChainPlace, freshStep, keyRows, kindsFor } from "../../../chain/chains";
import { asLoud, HearWays, type Way } from "../../../chain/hear";
import { useProcessors } from "../../../chain/heard";
import { dyeName } from "../../../draw/canvas";
import type { Aside } from "../../../listen/player";
import { tell } from "../../../ui/notices";
import { labelsOf } from "../ground/band";
import { useHeard } from "./chainheard";
import { stepsOfClip } from "./chainopener";
import { chainOf, clipOf, groupOf, rowNamed, trackOf } from "../ground/lookup";
import { back } from "../../../ui/focus";

type Props = {
  view: ReelView;
  row: ChainPlace["row"];
  id: string;
  /** Of a clip, where its chain is of one channel alone. */
  channel?: number;
  takes: Map<string, Take>;
  /** Where the playhead stands, in samples. */
  at: number;
  /** What is chosen in time, to learn from. */
  range: Range | null;
  onDo: (c: Command) => Promise<unknown>;
  /** What is being turned, to be heard as it would be; nothing once it is let go of without having been turned. */
  onTurn: (c: Command | null) => void;
  /** What was turned is made. */
  onTurned: (made: Promise<unknown>) => void;
  /** What is heard of it instead of what comes out; nothing for that. */
  onAside: (a: Aside | null) => void;
  onClose: () => void;
};

const ways: [Way, string, string][] = [
  [undefined, "with it", "What comes out, as in every print"],
  ["plain", "without", "What comes to the chain, as loud as what comes out"],
  ["removed", "what goes", "What the chain takes away, alone"],
];

/** The channels of a row. */
const labelsOfRow = (view: ReelView, row: Row | "clip", id: string): string[] =>
  (row === "track"
    ? trackOf(view, id)?.labels
    : row === "group"
      ? groupOf(view, id)?.labels
      : row === "clip"
        ? []
        : labelsOf(view, row, id)) ?? [];

/** A chain as it is shown: what the server has, or what was done since and is on its way to it. */
function useSteps({ view, row, id, channel, onDo, onTurn, onTurned }: Props) {
  const clip = row === "clip" ? clipOf(view, id) : undefined;
  const chain = clip ? { steps: stepsOfClip(clip, channel) ?? [], off: false } : chainOf(view, row, id);
  const [draft, setDraft] = useState<ChainStep[] | null>(null);
  const sent = useRef(0);
  const command = (steps: ChainStep[]): Command =>
    row === "clip"
      ? { kind: "setClipChain", command: { clips: [id], channel, steps } }
      : { kind: "setChain", command: { row, from: id, steps } };
  const keep = (next: ChainStep[]) => {
    setDraft(next); // shown, and gone on from, until the server has the last that was sent
    sent.current++;
    const made = onDo(command(next));
    onTurned(made);
    void made.finally(() => --sent.current === 0 && setDraft(null));
  };
  const turn = (next: ChainStep[] | null) => {
    setDraft(next);
    onTurn(next && command(next));
  };
  return { clip, chain, steps: draft ?? chain?.steps ?? [], turn, keep };
}

/** What a clip is called, or one of its channels. */
const nameOfClip = ({ takes, channel }: Props, clip: Clip) =>
  channel === undefined
    ? clip.name
    : `${takes.get(clip.take)?.channels[clip.channels[channel]!]?.name || `channel ${channel + 1}`} of ${clip.name}`;

/** The chain of a row, of a clip or of a channel of it, opened. */
export function ChainPanel(p: Props) {
  const { view, row, id } = p;
  const kinds = useProcessors().data ?? [];
  const { clip, chain, steps, turn, keep } = useSteps(p);
  const heard = useHeard(view, p, p.at, steps.length > 0);
  const [hear, setHear] = useState<Way>();
  const said = JSON.stringify(
    hear ? { row, id, channel: p.channel, removed: hear === "removed", gainDB: hear === "plain" ? asLoud(heard?.loudness) : 0 } : null,
  );
  const { onAside } = p;
  // biome-ignore lint/correctness/useExhaustiveDependencies: whoever hears it is told of what is said alone
  useEffect(() => {
    onAside(JSON.parse(said) as Aside | null);
    return () => onAside(null);
  }, [said]);
  const name = clip ? nameOfClip(p, clip) : rowNamed(view, row, id);
  const track = trackOf(view, clip?.track ?? (row === "track" ? id : ""));
  const off = chain?.off ?? false;
  const all = clip ? (p.channel === undefined ? "this clip" : "this channel of the clip") : "all that is on this row";
  const channels = p.channel !== undefined ? 1 : (clip?.channels.length ?? labelsOfRow(view, row, id).length);
  const learn = (step: ChainStep, span: Range, like?: Range) =>
    ok(
      api.POST("/reels/{reel}/chain/learn", {
        params: { path: { reel: view.id } },
        body: {
          row,
          from: id,
          channel: p.channel,
          step: step.id,
          span: { from: span.from, to: span.to },
          ...(like ? { like: { from: like.from, to: like.to } } : {}),
        },
      }),
    );
  return (
    <ChainBody
      title={`Chain of ${name}`}
      about={
        clip
          ? p.channel === undefined
            ? "What the sound of its take goes through, before anything else"
            : "What this channel goes through by itself, before the clip's own chain"
          : `What all that is on ${name} goes through, before its level`
      }
      production={view.production}
      name={name}
      hear={
        <div className="flex shrink-0 items-center gap-2 whitespace-nowrap border-b border-line px-3 py-1.5 text-[12px]">
          <HearWays hear={hear} onHear={setHear} words={ways} />
          <span className="min-w-0 truncate text-muted">while the reel plays</span>
        </div>
      }
      rate={view.head.sampleRate}
      dye={`var(${dyeName(track?.stem ?? (row === "stem" ? id : id.split("/")[0]!))})`}
      kinds={kinds}
      steps={steps}
      off={off}
      heard={heard}
      keys={row === "clip" ? undefined : keyRows(view, row, id)}
      range={p.range}
      onLearn={learn}
      onDraft={turn}
      onKeep={keep}
      onClose={p.onClose}
      fresh={freshStep}
      empty={
        `Nothing is done to the sound of ${name} yet. Add a processor: ${all} ` +
        "goes through it, in every print, and no recording is changed."
      }
      foot={(add) => (
        <>
          <Add kinds={kindsFor(kinds, channels)} onAdd={add} />
          {steps.length > 0 && row !== "clip" && (
            <button
              className="pill h-6 px-2 text-[12px]"
              aria-pressed={off}
              title="To hear it without: everything stays, and does nothing, in prints too"
              onClick={() => void p.onDo({ kind: "setChain", command: { row, from: id, off: !off } })}
            >
              {off ? "All left out" : "Leave all out"}
            </button>
          )}
          {clip ? p.channel === undefined && <OnAllClips {...p} clip={clip} steps={steps} /> : <CopyTo {...p} steps={steps} />}
        </>
      )}
    />
  );
}

/** Puts the same processors on every clip of the track. */
function OnAllClips({ view, clip, steps, onDo }: Props & { clip: Clip; steps: ChainStep[] }) {
  const others = view.clips.filter((c) => c.track === clip.track);
  if (others.length < 2) return null;
  return (
    <button
      className="pill h-6 gap-1 px-2 text-[12px]"
      title="Every clip of this track goes through the same, each from the beginning of its take"
      onClick={() =>
        void onDo({ kind: "setClipChain", command: { clips: others.map((c) => c.id), steps } }).then(() =>
          tell(`All ${others.length} clips of the track go through it now`),
        )
      }
    >
      <Copy size={12} /> On all clips of the track
    </button>
  );
}

/** Puts the same processors on other rows, in place of what they have. */
function CopyTo({ view, row, id, steps, onDo }: Props & { steps: ChainStep[] }) {
  const rows: { row: Row; from: string; name: string }[] = [
    ...keyRows(view, row, id),
    ...view.groups
      .filter((g) => row !== "group" || g.id !== id)
      .map((g) => ({ row: "group" as const, from: g.id, name: `Outputs: ${g.name}` })),
  ];
  if (steps.length === 0) return null;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="pill h-6 gap-1 px-2 text-[12px]" title="Put the same processors on another row">
        <Copy size={12} /> Copy to…
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content onCloseAutoFocus={back} className="menu max-h-[60vh] overflow-y-auto" sideOffset={4} side="top">
          {rows.map((r) => (
            <DropdownMenu.Item
              key={`${r.row} ${r.from}`}
              className="menu-item"
              onSelect={() =>
                void onDo({ kind: "setChain", command: { row: r.row, from: r.from, steps } }).then(() =>
                  tell(`The chain is on ${r.name} now`),
                )
              }
            >
              {r.name}
              {chainOf(view, r.row, r.from) && <span className="ml-auto pl-3 text-[11px] text-muted">in place of its own</span>}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
