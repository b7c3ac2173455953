import { Fragment, useEffect, useRef, type ReactNode } from "react";
import { Group, Panel, Separator, useDefaultLayout, usePanelRef } from "react-resizable-panels";

/** How high the foot is while what is chosen stands in it, and while it has but meters and the reel's strip, in pixels. */
const high = 138;
const low = 84;
/** How high it is while a chain stands in it. */
const tall = 300;

/** The parts of the room beside each other: the room itself, and at its side what is docked there. Their sizes are remembered. */
export function Docked(p: {
  tall: boolean;
  /** The picture stands in the foot. */
  pictured: boolean;
  room: ReactNode;
  foot: ReactNode;
  picture: ReactNode;
  side: ReactNode;
  below: ReactNode;
}) {
  const { foot, side, below, room } = p;
  const beside: [string, ReactNode, string][] = (
    [
      ["picture", p.picture, "How high the picture is"],
      ["chosen", side, "How high what is chosen is"],
      ["lists", below, ""],
    ] as [string, ReactNode, string][]
  ).filter(([, shown]) => shown);
  const parts = beside.map(([id]) => id);
  const across = useDefaultLayout({ id: "loom.across", panelIds: parts.length > 0 ? ["room", "side"] : ["room"] });
  const down = useDefaultLayout({ id: "loom.down", panelIds: ["work", "foot"] });
  const atSide = useDefaultLayout({ id: "loom.side", panelIds: parts });
  const footPanel = usePanelRef();
  const wanted = p.tall ? tall : side && !p.pictured ? low : high;
  const was = useRef(wanted);
  useEffect(() => {
    if (was.current !== wanted) footPanel.current?.resize(wanted);
    was.current = wanted;
  }, [wanted, footPanel]);
  return (
    <Group orientation="horizontal" className="min-h-0 grow" {...across}>
      <Panel id="room" minSize={320}>
        <Group orientation="vertical" {...down}>
          <Panel id="work" minSize={160}>
            {room}
          </Panel>
          <Edge label="How high the foot of the room is" />
          <Panel id="foot" panelRef={footPanel} defaultSize={wanted} minSize={56} maxSize="60" groupResizeBehavior="preserve-pixel-size">
            {foot}
          </Panel>
        </Group>
      </Panel>
      {parts.length > 0 && <Edge label="How wide the side of the room is" upright />}
      {parts.length > 0 && (
        <Panel id="side" defaultSize={below ? 400 : 330} minSize={240} maxSize="60" groupResizeBehavior="preserve-pixel-size">
          <Group key={parts.join()} orientation="vertical" {...atSide}>
            {beside.map(([id, shown, edge], i) => (
              <Fragment key={id}>
                <Panel id={id} minSize={120} defaultSize={id === "picture" && parts.length > 1 ? 240 : undefined}>
                  {shown}
                </Panel>
                {i < beside.length - 1 && <Edge label={edge} />}
              </Fragment>
            ))}
          </Group>
        </Panel>
      )}
    </Group>
  );
}

function Edge({ label, upright = false }: { label: string; upright?: boolean }) {
  return (
    <Separator
      aria-label={label}
      className={`shrink-0 bg-line transition-colors hover:bg-zest focus-visible:bg-zest data-[separator=active]:bg-zest ${upright ? "w-[3px]" : "h-[3px]"}`}
    />
  );
}
