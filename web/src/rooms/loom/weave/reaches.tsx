import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";

import { useRevision } from "../../../api/hooks";
import { api, ok, type ReelView, type Track } from "../../../api/client";
import { outputName, shownGain } from "../ground/cells";
import { back } from "../../../ui/focus";

/** The level, in dB, at which nothing arrives any more. */
const silent = -140;

/** What each channel of a track brings to each output, as the server works it out from what it prints. */
export function Reaches({ view, track }: { view: ReelView; track: Track }) {
  return (
    <Popover.Root>
      <Popover.Trigger className="pill h-6 px-2.5">Where it goes</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          onCloseAutoFocus={back}
          className="card z-50 max-h-[60vh] w-80 overflow-auto p-3.5 text-[13px]"
          side="top"
          collisionPadding={10}
        >
          <List view={view} track={track} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function List({ view, track }: { view: ReelView; track: Track }) {
  const revision = useRevision(view.id);
  const list = useQuery({
    queryKey: ["effective", view.id, revision, track.id],
    queryFn: () => ok(api.GET("/reels/{reel}/effective", { params: { path: { reel: view.id }, query: { row: "track", id: track.id } } })),
  });
  if (list.isError) return <p className="text-wrong">The server did not say where it goes.</p>;
  if (!list.data) return <p className="text-muted">…</p>;
  if (list.data.length === 0)
    return <p className="text-muted">{track.mute ? "It is muted, so nothing of it goes anywhere." : "Nothing of it reaches an output."}</p>;
  return (
    <table className="w-full">
      <caption className="pb-1 text-left font-bold">{track.name}, from the reel’s start to its end</caption>
      <tbody>
        {list.data.map((e) => (
          <tr key={`${e.channel} ${e.output}`} className="border-t border-line">
            <td className="py-0.5 text-muted">
              {track.labels.length > 1 && (track.labels[e.channel] === "M" ? e.channel + 1 : track.labels[e.channel])}
            </td>
            <td className="py-0.5">{outputName(view, view.outputs.find((o) => o.id === e.output)!)}</td>
            <td className="tc py-0.5 text-right">
              {e.lowDB < e.gainDB - 0.05 && `${e.lowDB <= silent ? "−∞" : shownGain(e.lowDB)} to `}
              {shownGain(e.gainDB)} dB{e.invert && " ø"}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
