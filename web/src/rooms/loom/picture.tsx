import { AppWindow, PanelRight, PictureInPicture2, Scaling, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";

import { base, type ReelView, type Take } from "../../api/client";
import { player, usePlayer } from "../../listen/player";
import { tell } from "../../ui/notices";
import { useRemembered } from "../../ui/remembered";
import { Small } from "../../ui/small";
import { labelAt } from "../../ui/timecode";
import { headsWidth } from "./geometry";
import { positionOf, usePosition } from "./shuttleline";
import { usePress, type At } from "../../ui/press";

/** How far the picture may be from the sound while it runs before it is put right, in seconds: a frame and a half at 25. */
const tolerance = 0.06;

/** How wide it may be, in pixels. */
const widths = [216, 340, 560];

/** The picture, floating over the tracks or at the side of them, locked to the shuttle while it plays, steps and is dragged. */
export function PicturePane(p: {
  view: ReelView;
  at: number;
  movies: Take[];
  half: boolean;
  /** At the side, where it takes what room there is and covers nothing. */
  docked?: boolean;
  onDock?: () => void;
  onChoose: (take: Take) => void;
  onClose: () => void;
}) {
  const { view } = p;
  const { sampleRate, frameRate, picture } = view.head;
  const shown = p.movies.find((t) => t.id === picture?.take);
  const video = useRef<HTMLVideoElement>(null);
  const [broken, setBroken] = useState(false);
  const playing = usePlayer((s) => s.playing?.what === "reel" && s.playing.id === view.id);
  const position = usePosition(view.id, p.at);
  const start = picture?.start ?? 0;

  const frame = frameRate.den / frameRate.num;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another movie is another video, which begins anew
  useEffect(() => {
    const v = video.current;
    if (!v || !shown) return;
    if (!playing) {
      v.pause();
      // The middle of the frame, so that rounding never shows the one before.
      v.currentTime = Math.max(0, (p.at - start) / sampleRate + frame / 2);
      return;
    }
    const follow = () => {
      if (v.seeking) return; // where it goes was told already
      const to = (positionOf(view.id, p.at) - start) / sampleRate - player.latency();
      if (to < 0 || to > v.duration) {
        v.pause();
        return;
      }
      const late = to - v.currentTime;
      v.playbackRate = p.half ? 0.5 : 1;
      if (Math.abs(late) > tolerance) v.currentTime = to;
      if (v.paused) void v.play().catch(() => undefined);
    };
    follow();
    return player.subscribe(follow);
  }, [view.id, playing, p.at, start, shown?.id, sampleRate, frame, p.half]);

  const [place, setPlace] = useRemembered("picture place", { x: headsWidth + 8, y: 8 });
  const [width, setWidth] = useRemembered("picture width", widths[0]!);
  const tear = () => {
    const v = video.current;
    if (document.pictureInPictureElement) void document.exitPictureInPicture();
    else v?.requestPictureInPicture?.().catch(() => tell("This browser does not let the picture out of its page.", true));
  };
  const hands = usePress((from, e) => {
    if (p.docked || (e.target as HTMLElement).closest("button, select")) return null;
    const to = (at: At) =>
      setPlace({ x: Math.max(0, place.x + at.clientX - from.clientX), y: Math.max(0, place.y + at.clientY - from.clientY) });
    return { drag: to, drop: to, cancel: () => setPlace(place) };
  });
  return (
    <section
      className={p.docked ? "flex h-full flex-col bg-paper" : "card absolute z-20 max-w-full overflow-hidden"}
      style={p.docked ? undefined : { left: `min(${place.x}px, 100% - 120px)`, top: `min(${place.y}px, 100% - 40px)`, width }}
      aria-label="Picture"
    >
      <div
        className={`flex h-8 shrink-0 items-center gap-2 border-b border-line px-2.5 text-[13px] ${p.docked ? "" : "cursor-move touch-none"}`}
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
        {!p.docked && (
          <Small label="Another size" onClick={() => setWidth(widths[(widths.indexOf(width) + 1) % widths.length]!)}>
            <Scaling size={14} />
          </Small>
        )}
        {p.onDock && (
          <Small label={p.docked ? "Let the picture float over the tracks" : "Put the picture at the side"} onClick={p.onDock}>
            {p.docked ? <AppWindow size={14} /> : <PanelRight size={14} />}
          </Small>
        )}
        {document.pictureInPictureEnabled && (
          <Small label="Tear the picture off into a window of its own" disabled={!shown} onClick={tear}>
            <PictureInPicture2 size={14} />
          </Small>
        )}
        <Small label="Put the picture away" onClick={p.onClose}>
          <X size={15} />
        </Small>
      </div>
      <div className={`relative bg-[#0d0f18] ${p.docked ? "min-h-0 grow" : "aspect-video"}`}>
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
        {shown && (
          <span
            className="tc absolute bottom-1.5 left-1/2 -translate-x-1/2 rounded bg-[#0d0f18cc] px-2 py-0.5 text-[14px] font-bold text-[#f1eadb]"
            role="img"
            aria-label={`The picture is at ${labelAt(position, sampleRate, frameRate)}`}
          >
            {labelAt(position, sampleRate, frameRate)}
          </span>
        )}
      </div>
    </section>
  );
}
