// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { ReelView } from "../../../api/client";
import { Lists } from "./lists";
import type { ListName } from "../ground/state";

const clip = (id: string, track: string, part = {}) => ({
  id,
  track,
  name: `12A/${id}`,
  start: 36000 * 48000,
  length: 48000,
  offset: 0,
  channels: [0],
  tie: "",
  ...part,
});
const view = {
  id: "r",
  head: { sampleRate: 48000, frameRate: { num: 25, den: 1, drop: false }, start: 36000 * 48000 },
  tracks: [
    { id: "a", name: "Boom", stem: "DX" },
    { id: "b", name: "Winch", stem: "FX" },
  ],
  clips: [clip("1", "a"), clip("2", "a", { was: "tie1", home: 0 }), clip("3", "b", { stem: "DX", was: "tie1" })],
  adrift: [
    { clip: "1", samples: 5760, words: "3 frames late" },
    { clip: "2", samples: -10, words: "10 samples early" },
  ],
  strays: [{ clip: "3", track: "b", stem: "DX" }],
  marks: [{ id: "m1", name: "Bell", at: 36005 * 48000, note: "too early" }],
} as unknown as ReelView;

function show(list: ListName, with_: Partial<ReelView> = {}) {
  const p = {
    onBus: vi.fn(),
    onShow: vi.fn(),
    onClose: vi.fn(),
    onClip: vi.fn(),
    onGo: vi.fn(),
    onDo: vi.fn().mockResolvedValue(undefined),
    onUndo: vi.fn(),
    onTurn: vi.fn(),
    onRedo: vi.fn(),
  };
  render(<Lists view={{ ...view, ...with_ }} shown={list} {...p} />);
  return p;
}

describe("lists", () => {
  afterEach(cleanup);

  it("name everything that is out of sync, and tie one or all back", () => {
    const p = show("sync");
    expect(screen.getByText("3 frames late")).toBeTruthy();
    expect(screen.getByText(/untied, in sync/)).toBeTruthy();
    fireEvent.click(screen.getByLabelText("Tie 12A/1 back"));
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "tieBack", command: { clips: ["1"] } });
    fireEvent.click(screen.getByText(/Tie all 2 back/));
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "tieBack", command: { clips: ["1", "2"] } });
    fireEvent.click(screen.getAllByTitle("Go there")[0]!);
    expect(p.onGo).toHaveBeenCalledWith(36000 * 48000);
  });

  it("say so when nothing is wrong", () => {
    show("sync", { adrift: [], clips: [] });
    expect(screen.getByText("Everything is in sync.")).toBeTruthy();
    cleanup();
    show("strays", { strays: [] });
    expect(screen.getByText("Every clip lies on a track of its stem.")).toBeTruthy();
  });

  it("move strays, or let one be right where it lies", () => {
    const p = show("strays");
    fireEvent.click(screen.getByText(/Move it to tracks/));
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "moveStrays", command: {} });
    fireEvent.click(screen.getByText("keep it here"));
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "setClip", command: { clip: "3", stem: "FX" } });
  });

  it("keep a mark's name and note when they are left, and not when Escape is pressed", () => {
    const p = show("marks");
    const name = screen.getByLabelText("Name of the mark");
    fireEvent.change(name, { target: { value: "Second bell" } });
    fireEvent.keyDown(name, { key: "Escape" });
    fireEvent.blur(name);
    expect(p.onDo).not.toHaveBeenCalled();
    fireEvent.change(name, { target: { value: " Second bell " } });
    fireEvent.blur(name);
    expect(p.onDo).toHaveBeenCalledWith({ kind: "setMark", command: { ...view.marks[0], length: 0, name: "Second bell" } });
    fireEvent.click(screen.getByLabelText("Remove Bell"));
    expect(p.onDo).toHaveBeenLastCalledWith({ kind: "removeMarks", command: { marks: ["m1"] } });
  });

  it("find clips by their name or their track's, and marks by their note", () => {
    const p = show("find");
    const field = screen.getByLabelText("Find by name");
    fireEvent.change(field, { target: { value: "WINCH" } });
    fireEvent.click(screen.getByText("12A/3"));
    expect(p.onClip).toHaveBeenCalledWith("3");
    fireEvent.change(field, { target: { value: "early" } });
    expect(screen.getByText("Bell")).toBeTruthy();
    fireEvent.change(field, { target: { value: "nothing like it" } });
    expect(screen.getByText("Nothing on this reel is called that.")).toBeTruthy();
  });
});
