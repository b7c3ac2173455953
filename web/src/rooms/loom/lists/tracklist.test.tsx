// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Clip, ReelView, Track } from "../../../api/client";
import { TrackList } from "./tracklist";

const second = (n: number) => (36000 + n) * 48000;
const view = {
  head: { sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false }, start: second(0) },
  stems: [
    { id: "DX", name: "Dialogue", labels: ["L", "R"] },
    { id: "AX", name: "Ambience", labels: ["L", "R", "C", "LFE", "Ls", "Rs"] },
  ],
  tracks: [{ stem: "DX", strand: "Ines" }],
  mixes: [],
  groups: [{ id: "g", name: "Full mix", labels: ["M"] }],
  chains: [],
  buses: [{ id: "stem DX", row: "stem", from: "DX", gainDB: -2, curves: { pan: [{ at: second(1), value: 0.5 }] } }],
} as unknown as ReelView;
const track = {
  id: "t",
  name: "Boom",
  feed: { pan: 0, front: 1 },
  curves: {
    front: [
      { at: second(1), value: 1 },
      { at: second(3), value: -1 },
    ],
  },
} as unknown as Track;
const clips = ["1", "2", "3"].map((id, i) => ({ id, name: `12A/${id}`, start: second(i), offset: 0, length: 24000 })) as unknown as Clip[];

function show(part: Partial<Parameters<typeof TrackList>[0]> = {}) {
  const p = { onClip: vi.fn(), onDo: vi.fn(), onBus: vi.fn(), onChain: vi.fn() };
  render(
    <TrackList
      view={view}
      track={track}
      bus={null}
      playingAt={() => null}
      clips={clips}
      chosen={["2"]}
      at={() => second(2)}
      {...p}
      {...part}
    />,
  );
  return p;
}

describe("what lies on a track, in words", () => {
  afterEach(cleanup);

  it("is walked by arrow keys, with one stop for the tab key", () => {
    const p = show();
    const list = screen.getByRole("listbox", { name: "Clips on Boom" });
    expect([...list.querySelectorAll<HTMLElement>("[role=option]")].map((o) => o.tabIndex)).toEqual([-1, 0, -1]);
    fireEvent.keyDown(list, { key: "ArrowDown" });
    expect(p.onClip).toHaveBeenLastCalledWith("3");
    expect(document.activeElement?.textContent).toContain("12A/3");
    fireEvent.keyDown(list, { key: "ArrowUp", altKey: true }); // that is the room's: to the track above
    expect(p.onClip).toHaveBeenCalledTimes(1);
    fireEvent.keyDown(list, { key: "Home" });
    expect(p.onClip).toHaveBeenLastCalledWith("1");
  });

  it("has the points of the curve that moves, each with its time and value", () => {
    const p = show({ chosen: [] });
    expect((screen.getByLabelText("Which curve") as HTMLSelectElement).value).toBe("front");
    const value = screen.getByLabelText("Value of point 2");
    fireEvent.change(value, { target: { value: "3" } });
    fireEvent.blur(value);
    expect(p.onDo).not.toHaveBeenCalled();
    expect(screen.getByText("It lies between −1 and 1")).toBeTruthy();
    fireEvent.change(value, { target: { value: "-0.5" } });
    fireEvent.blur(value);
    expect(p.onDo).toHaveBeenLastCalledWith({
      kind: "setCurve",
      command: {
        of: "track",
        id: "t",
        what: "front",
        points: [
          { at: second(1), value: 1 },
          { at: second(3), value: -0.5 },
        ],
      },
    });
    fireEvent.click(screen.getByText("at the playhead"));
    expect(p.onDo.mock.lastCall![0].command.points[1]).toEqual({ at: second(2), value: 0 });
    const time = screen.getByLabelText("Time of point 1");
    fireEvent.change(time, { target: { value: "10:00:04:00" } });
    fireEvent.blur(time);
    expect(p.onDo.mock.lastCall![0].command.points).toEqual([
      { at: second(3), value: -1 },
      { at: second(4), value: 1 },
    ]);
    fireEvent.click(screen.getByLabelText("Take point 1 away"));
    expect(p.onDo.mock.lastCall![0].command.points).toEqual([{ at: second(3), value: -1 }]);
  });

  it("has the curve of the chosen clip too, on the clock of the reel", () => {
    const moved = [{ ...clips[1]!, offset: 48000, gain: [{ at: 48000 + 24000, value: -3 }] }];
    const p = show({ clips: moved });
    const curve = screen.getByRole("region", { name: "Curve of the clip" });
    const time = curve.querySelector<HTMLInputElement>('[aria-label="Time of point 1"]')!;
    expect(time.value).toBe("10:00:01:12"); // half a second into the clip, which begins a second in
    const value = curve.querySelector<HTMLInputElement>('[aria-label="Value of point 1"]')!;
    fireEvent.change(value, { target: { value: "-9" } });
    fireEvent.blur(value);
    expect(p.onDo).toHaveBeenLastCalledWith({
      kind: "setCurve",
      command: { of: "clip", id: "2", what: "gain", points: [{ at: second(1) + 24000, value: -9 }] },
    });
  });

  it("is about a stem, mix or output group as well, with what such a row can do", () => {
    const p = show({ bus: { row: "stem", id: "DX" } });
    expect(screen.queryByRole("listbox")).toBeNull();
    const rows = [...screen.getByLabelText("Which row").querySelectorAll("option")].map((o) => o.textContent);
    expect(rows).toEqual([
      "Track: Boom",
      "Stem: Dialogue (−2 dB, moves: pan)",
      "Strand: Dialogue, Ines",
      "Stem: Ambience",
      "Output group: Full mix",
    ]);
    const level = screen.getByLabelText("Level of the row in dB");
    fireEvent.change(level, { target: { value: "-6" } });
    fireEvent.blur(level);
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "setBus", command: { row: "stem", from: "DX", gainDB: -6 } });
    expect((screen.getByLabelText("Which curve") as HTMLSelectElement).value).toBe("pan");
    fireEvent.click(screen.getByText("curve ×"));
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "setBus", command: { row: "stem", from: "DX", pan: 0 } });
    fireEvent.click(screen.getByText("at the playhead"));
    expect(p.onDo).toHaveBeenLastCalledWith({
      kind: "setCurve",
      command: {
        of: "stem",
        id: "DX",
        what: "pan",
        points: [
          { at: second(1), value: 0.5 },
          { at: second(2), value: 0.5 },
        ],
      },
    });
    fireEvent.change(screen.getByLabelText("Which row"), { target: { value: "2" } });
    expect(p.onBus).toHaveBeenLastCalledWith(expect.objectContaining({ row: "stem", id: "AX" }));
  });

  it("offers a mono a level alone, and a room that it is turned", () => {
    const offered = () => [...screen.getByLabelText("Which curve").querySelectorAll("option")].map((o) => o.textContent);
    show({ bus: { row: "group", id: "g" } });
    expect(offered()).toEqual(["gain"]);
    cleanup();
    show({ bus: { row: "stem", id: "AX" } });
    expect(offered()).toEqual(["gain", "pan", "turn", "narrow"]);
  });

  it("begins a curve where the track stands", () => {
    const p = show({ chosen: [], track: { ...track, curves: undefined } });
    fireEvent.change(screen.getByLabelText("Which curve"), { target: { value: "front" } });
    fireEvent.click(screen.getByText("at the playhead"));
    expect(p.onDo).toHaveBeenLastCalledWith({
      kind: "setCurve",
      command: { of: "track", id: "t", what: "front", points: [{ at: second(2), value: 1 }] },
    });
  });
});
