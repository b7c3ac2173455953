// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { ReelView, Track } from "../../../api/client";
import { player } from "../../../listen/player";
import { PanPad, placeAt, speakerSpot, spotOf, standing } from "./panpad";

const track = { id: "t", name: "Winch", stem: "FX", labels: ["M"], feed: { pan: 0.5, front: 1, placed: true } } as unknown as Track;
const view = {
  head: { start: 0 },
  stems: [{ id: "FX", name: "Effects", labels: ["L", "R", "C", "LFE", "Ls", "Rs"] }],
  tracks: [track],
  speakers: [
    { label: "L", azimuth: 30, elevation: 0 },
    { label: "Ls", azimuth: 110, elevation: 0 },
  ],
} as unknown as ReelView;

describe("the pad", () => {
  afterEach(cleanup);

  it("has the front above and left at the left, there and back", () => {
    expect(spotOf(-1, 1, 200).x).toBeCloseTo(14);
    expect(placeAt(0, 200, 200)).toEqual({ x: -1, y: -1 });
    expect(placeAt(102, 99, 200)).toEqual({ x: 0, y: 0 }); // nearly the middle
    for (const [x, y] of [
      [0.5, -0.25],
      [-1, 1],
      [0.11, 0.93],
    ] as const) {
      const at = spotOf(x, y, 280);
      expect(placeAt(at.x, at.y, 280)).toEqual({ x, y });
    }
    const left = speakerSpot({ azimuth: 90, elevation: 0 }, 200);
    expect(left.x).toBeCloseTo(14);
    expect(left.y).toBeCloseTo(100);
    expect(speakerSpot({ azimuth: 90, elevation: 60 }, 200).x).toBeCloseTo(57); // higher is further in
  });

  it("shows where a track stands, by its curves where it has some", () => {
    const moving = {
      ...track,
      pan: [
        { at: 0, value: -1 },
        { at: 100, value: 1 },
      ],
      curves: { front: [{ at: 0, value: 0.5 }] },
    } as unknown as Track;
    expect(standing(track, 50)).toEqual({ x: 0.5, y: 1 });
    expect(standing(moving, 75)).toEqual({ x: 0.5, y: 0.5 });
  });

  it("goes along a track's curves while its reel plays", () => {
    const moving = { ...track, pan: [0, 100].map((at) => ({ at, value: at === 0 ? -1 : 1 })), curves: {} } as unknown as Track;
    const plays = (position: number) =>
      vi.spyOn(player, "snapshot").mockReturnValue({
        ...player.snapshot(),
        playing: { what: "reel", id: "r", channels: [] },
        position,
      });
    const spy = plays(75);
    render(<PanPad view={{ ...view, id: "r" }} track={moving} playingAt={() => 75} onDo={vi.fn()} />);
    fireEvent.click(screen.getByLabelText("Place Winch in the room"));
    expect(screen.getByLabelText("Place of Winch").getAttribute("aria-valuetext")).toBe("50 right, 100 front");
    spy.mockRestore();
    expect(standing(moving, 25).x).toBe(-0.5);
  });

  it("is moved by arrow keys, and put to the front by Home", () => {
    const onDo = vi.fn().mockResolvedValue(undefined);
    render(<PanPad view={view} track={track} playingAt={() => null} onDo={onDo} />);
    fireEvent.click(screen.getByLabelText("Place Winch in the room"));
    const pad = screen.getByLabelText("Place of Winch");
    expect(pad.getAttribute("aria-valuetext")).toBe("50 right, 100 front");
    fireEvent.keyDown(pad, { key: "ArrowLeft" });
    expect(onDo).toHaveBeenLastCalledWith({ kind: "setTrack", command: { track: "t", pan: 0.45, front: 1 } });
    fireEvent.keyDown(pad, { key: "ArrowDown", shiftKey: true });
    expect(onDo.mock.lastCall![0].command.front).toBeCloseTo(0.99);
    fireEvent.keyDown(pad, { key: "Home" });
    expect(onDo).toHaveBeenLastCalledWith({ kind: "setTrack", command: { track: "t", pan: 0, front: 1 } });
  });
});
