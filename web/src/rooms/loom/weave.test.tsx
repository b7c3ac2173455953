import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { ReelView } from "../../api/client";
import { cellsOf, columnsIn, GainField, shownGain, WeaveRow } from "./weave";

const view = {
  outputs: [
    { id: "dx/L", group: "dx", label: "L", number: 1 },
    { id: "dx/R", group: "dx", label: "R", number: 2 },
  ],
  groups: [{ id: "dx", name: "Dialogue", labels: ["L", "R"] }],
  stems: [{ id: "DX", name: "Dialogue", labels: ["L", "R"] }],
  tracks: [{ id: "t1", name: "Boom", stem: "DX", labels: ["M"] }],
  knots: [
    { id: "k1", row: "stem", from: "DX", channel: 0, output: "dx/L", gainDB: 0 },
    { id: "k2", row: "track", from: "t1", channel: 0, output: "dx/R", gainDB: -6 },
  ],
  routes: [
    { track: "t1", output: "dx/L", gainDB: -3.01, direct: false, stem: true, twice: false },
    { track: "t1", output: "dx/R", gainDB: -6, direct: true, stem: false, twice: false },
  ],
  findings: [{ rule: "one-sided", track: "t1", output: "dx/R", message: "Boom reaches L but not R" }],
} as unknown as ReelView;

const edits = () => ({ command: vi.fn(() => Promise.resolve(undefined)), tie: vi.fn(), spec: vi.fn(), undo: vi.fn(), redo: vi.fn() });

describe("the weave", () => {
  afterEach(cleanup);

  it("writes gains as people read them", () => {
    expect([0, -3.0103, -6, 2.5, -0.04].map(shownGain)).toEqual(["0", "−3", "−6", "+2.5", "0"]);
  });

  it("knows what is tied, what is reached, and what is odd", () => {
    const [left, right] = cellsOf(view, "track", "t1");
    expect(left).toMatchObject({ knots: [], reach: -3.01, finding: "" });
    expect(right!.knots).toHaveLength(1);
    expect(right!.finding).toContain("not R");
    expect(cellsOf(view, "stem", "DX")[1]).toMatchObject({ knots: [], reach: null });
  });

  it("ties an empty crossing at a press, and says each state in words", () => {
    const e = edits();
    render(<WeaveRow view={view} row="stem" id="DX" name="Dialogue" stem="DX" index={1} edits={e} muted={false} height={42} columns={{ first: 0, end: 2 }} onReach={() => undefined} />);
    fireEvent.click(screen.getByLabelText("Dialogue to Dialogue R: not tied"));
    expect(e.tie).toHaveBeenCalledWith("stem", "DX", "dx/R");
    expect(screen.getByLabelText("Dialogue to Dialogue L: tied at 0 dB")).toBeTruthy();
  });

  it("does not tie what is tied already, and clears by key", () => {
    const e = edits();
    render(<WeaveRow view={view} row="track" id="t1" name="Boom" stem="DX" index={0} edits={e} muted={false} height={42} columns={{ first: 0, end: 2 }} onReach={() => undefined} />);
    const knot = screen.getByLabelText(/^Boom to Dialogue R: tied at −6 dB. Boom reaches L but not R/);
    fireEvent.click(knot);
    expect(e.tie).not.toHaveBeenCalled();
    fireEvent.keyDown(knot, { key: "Delete" });
    expect(e.command).toHaveBeenCalledWith({ kind: "clearKnots", command: { row: "track", from: "t1", output: "dx/R" } });
    fireEvent.keyDown(screen.getByLabelText(/^Boom to Dialogue L: reached at −3 dB/), { key: "Delete" });
    expect(e.command).toHaveBeenCalledTimes(1);
  });

  it("draws the columns that are in view alone, and looks for the others by key", () => {
    const onReach = vi.fn();
    render(<WeaveRow view={view} row="track" id="t1" name="Boom" stem="DX" index={3} edits={edits()} muted={false} height={42} columns={{ first: 1, end: 2 }} onReach={onReach} />);
    expect(screen.getAllByRole("gridcell")).toHaveLength(1);
    fireEvent.keyDown(screen.getByRole("gridcell"), { key: "ArrowLeft" });
    expect(onReach).toHaveBeenCalledWith(3, 0);
    const shown = columnsIn(18 + 30 * 10, 300, undefined);
    expect(shown).toEqual({ first: 8, end: 22 });
    expect(columnsIn(18 + 30 * 10 + 3, 300, shown)).not.toBe(shown); // the last column came into view
    expect(columnsIn(18 + 30 * 10, 300, shown)).toBe(shown);
  });

  it("keeps a gain once, when the field is left, and only if it is a number", () => {
    const onGain = vi.fn();
    render(<GainField knot={view.knots[1]!} onGain={onGain} />);
    const field = screen.getByRole("textbox");
    fireEvent.change(field, { target: { value: "loud" } });
    fireEvent.blur(field);
    fireEvent.change(field, { target: { value: "−4,5" } });
    fireEvent.blur(field);
    fireEvent.blur(field);
    expect(onGain.mock.calls).toEqual([[-4.5]]);
  });
});
