import { quiet } from "../../../ui/quiet";
import { AppWindow, PanelBottom, PanelRight, PictureInPicture2, X } from "lucide-react";
import { useRef, useState, type RefObject } from "react";

import { base, type ReelView, type Take } from "../../../api/client";
import { player, usePlayer } from "../../../listen/player";
import { useFollowing, useFrameShown } from "../../../ui/following";
import { tell } from "../../../ui/notices";
import { usePress, type At } from "../../../ui/press";
import { useRemembered } from "../../../ui/remembered";
import { Small } from "../../../ui/small";
import { labelAt } from "../../../ui/timecode";
import { headsWidth } from "../ground/geometry";
import { positionOf } from "../ground/shuttleline";

/** How wide it may be, in pixels. */
const narrowest = 160;
const widest = 960;

/** Where the picture stands: at the foot or at the side, where it covers nothing, or over the tracks. */
export type PicturePlace = "below" | "side" | "over";
const places = [
  ["below", "Put the picture at the foot", PanelBottom],
  ["side", "Put the picture at the side", PanelRight],
  ["over", "Let the picture float over the tracks", AppWindow],
] as const;

/** The picture, locked to what is heard while it plays, and to the playhead while that is stepped and dragged. */
export const PicturePane = quiet(function PicturePane(p: {
  view: ReelView;
  at: number;
  movies: Take[];
  half: boolean;
  /** Without a way to put it elsewhere it floats. */
  place?: PicturePlace;
  onPlace?: (place: PicturePlace) => void;
  onChoose: (take: Take) => void;
  onClose: () => void;
}) {
  const { view, place = "over" } = p;
  const { sampleRate, frameRate, picture } = view.head;
  const shown = p.movies.find((t) => t.id === picture?.take);
  const video = useRef<HTMLVideoElement>(null);
  const [broken, setBroken] = useState(false);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  const back = usePlayer((s) => s.playing?.back);
  const start = picture?.start ?? 0;
  const frame = frameRate.den / frameRate.num;
  useFollowing(video, {
    movie: shown?.id,
    playing,
    pace: back ? -1 : p.half ? 0.5 : 1,
    rest: (p.at - start) / sampleRate + frame / 2, // the middle of the frame, so that rounding never shows the one before
    now: () => (positionOf(view.id, p.at) - start) / sampleRate,
    subscribe: player.subscribe,
  });

  const [corner, setCorner] = useRemembered("picture corner", { x: headsWidth + 8, y: 8 });
  const [width, setWidth] = useRemembered(`picture width ${place}`, place === "over" ? 216 : 200);
  const tear = () => {
    const v = video.current;
    if (document.pictureInPictureElement) void document.exitPictureInPicture();
    else v?.requestPictureInPicture?.().catch(() => tell("This browser does not let the picture out of its page.", true));
  };
  const hands = usePress((from, e) => {
    if (place !== "over" || (e.target as HTMLElement).closest("button, select")) return null;
    const to = (at: At) =>
      setCorner({ x: Math.max(0, corner.x + at.clientX - from.clientX), y: Math.max(0, corner.y + at.clientY - from.clientY) });
    return { drag: to, drop: to, cancel: () => setCorner(corner) };
  });
  return (
    <section
      className={
        place === "over"
          ? "card absolute z-20 max-w-full overflow-hidden"
          : `relative flex h-full shrink-0 flex-col bg-paper ${place === "below" ? "border-l border-line" : ""}`
      }
      style={
        place === "over"
          ? { left: `min(${corner.x}px, 100% - 120px)`, top: `min(${corner.y}px, 100% - 40px)`, width }
          : place === "below"
            ? { width }
            : undefined
      }
      aria-label="Picture"
    >
      <div
        className={`flex h-8 shrink-0 items-center gap-2 border-b border-line px-2.5 text-[13px] ${place === "over" ? "cursor-move touch-none" : ""}`}
        {...hands}
      >
        <select
          className="min-w-0 grow cursor-pointer truncate bg-transparent font-semibold"
          aria-label="Movie that the reel is cut to"
          value={shown?.id ?? ""}
          onChange={(e) => {
            const t = p.movies.find((x) => x.id === e.target.value);
            if (t) p.onChoose(t);
          }}
        >
          {!shown && <option value="">Choose the picture…</option>}
          {p.movies.map((t) => (
            <option key={t.id} value={t.id}>
              {t.fileName}
            </option>
          ))}
        </select>
        {p.onPlace &&
          places
            .filter(([to]) => to !== place)
            .map(([to, label, Sign]) => (
              <Small key={to} label={label} onClick={() => p.onPlace!(to)}>
                <Sign size={14} />
              </Small>
            ))}
        {document.pictureInPictureEnabled && (
          <Small label="Tear the picture off into a window of its own" disabled={!shown} onClick={tear}>
            <PictureInPicture2 size={14} />
          </Small>
        )}
        <Small label="Put the picture away" onClick={p.onClose}>
          <X size={15} />
        </Small>
      </div>
      <div className={`relative bg-[#0d0f18] ${place === "over" ? "aspect-video" : "min-h-0 grow"}`}>
        {shown ? (
          <video
            ref={video}
            key={shown.id}
            className="h-full w-full"
            muted
            playsInline
            preload="auto"
            src={`${base}/takes/${shown.id}/picture`}
            onError={() => setBroken(true)}
            onLoadedData={() => setBroken(false)}
          />
        ) : (
          <p className="flex h-full items-center px-6 text-center text-[13px] text-[#f1eadb]">
            {p.movies.length
              ? "Choose the movie that this reel is cut to. The playhead moves it."
              : "No movie is in this production yet. Bring one in under Takes."}
          </p>
        )}
        {broken && (
          <p className="absolute inset-0 flex items-center px-6 text-center text-[13px] text-[#f1eadb]">The picture can’t be shown here.</p>
        )}
        {shown && <FrameLabel video={video} movie={shown.id} view={view} at={p.at} playing={playing} />}
      </div>
      {place !== "side" && <WidthEdge left={place === "below"} width={width} onWidth={setWidth} />}
    </section>
  );
});

/** A frame's time may be a little before its first sample, in seconds. */
const sooner = 0.002;

/** The timecode of the frame that is shown, as the video itself says, so that it is never that of another. */
function FrameLabel(p: { video: RefObject<HTMLVideoElement | null>; movie: string; view: ReelView; at: number; playing: boolean }) {
  const { sampleRate, frameRate, picture } = p.view.head;
  const label = useRef<HTMLSpanElement>(null);
  const labelled = (at: number) => labelAt(at, sampleRate, frameRate);
  // Written by itself, with the picture: by way of React it would come later.
  useFrameShown(p.video, p.movie, (seconds) => {
    if (!label.current || !p.playing) return;
    const now = labelled(Math.round((picture?.start ?? 0) + (seconds + sooner) * sampleRate));
    if (label.current.textContent === now) return;
    label.current.textContent = now;
    label.current.setAttribute("aria-label", saying(now));
  });
  const stands = labelled(p.at);
  return (
    <span
      key={String(p.playing)}
      ref={label}
      className="tc absolute bottom-1.5 left-1/2 -translate-x-1/2 rounded bg-[#0d0f18cc] px-2 py-0.5 text-[14px] font-bold text-[#f1eadb]"
      role="img"
      aria-label={saying(stands)}
    >
      {stands}
    </span>
  );
}

const saying = (timecode: string) => `The picture is at ${timecode}`;

/** The edge that makes the picture wider, by dragging or by keys. */
function WidthEdge(p: { left: boolean; width: number; onWidth: (width: number) => void }) {
  const within = (w: number) => Math.max(narrowest, Math.min(widest, w));
  const sign = p.left ? -1 : 1;
  const hands = usePress((from) => {
    const to = (at: At) => p.onWidth(within(p.width + sign * (at.clientX - from.clientX)));
    return { slack: 1, drag: to, drop: to, cancel: () => p.onWidth(p.width) };
  });
  return (
    <div
      className={`absolute inset-y-0 w-[6px] cursor-ew-resize touch-none hover:bg-zest focus-visible:bg-zest ${p.left ? "-left-[3px]" : "right-0"}`}
      role="separator"
      aria-orientation="vertical"
      aria-label="How wide the picture is"
      aria-valuenow={Math.round(p.width)}
      aria-valuemin={narrowest}
      aria-valuemax={widest}
      tabIndex={0}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -16, ArrowRight: 16 }[e.key];
        if (!by) return;
        e.preventDefault();
        e.stopPropagation();
        p.onWidth(within(p.width + sign * by));
      }}
      {...hands}
    />
  );
}
