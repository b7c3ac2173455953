// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useRef } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { ReelView } from "../../../api/client";
import { along, block, cellLabel, cellOf, shownGain, type Line } from "../ground/cells";
import { columnAt, columnsIn, layColumns } from "../ground/columns";
import { GainField } from "./knotcard";
import { layRows } from "../ground/rows";
import { LoomState, loomStore, type LoomStore } from "../ground/state";
import { useWeave, WeavePart } from "./weave";

const view = {
  id: "reel",
  head: { start: 0 },
  outputs: [
    { id: "dx/L", group: "dx", label: "L", number: 1 },
    { id: "dx/R", group: "dx", label: "R", number: 2 },
    { id: "mx/L", group: "mx", label: "L", number: 3 },
    { id: "mx/R", group: "mx", label: "R", number: 4 },
  ],
  groups: [
    { id: "dx", name: "Dialogue", labels: ["L", "R"] },
    { id: "mx", name: "Music", labels: ["L", "R"] },
  ],
  stems: [{ id: "DX", name: "Dialogue", labels: ["L", "R"] }],
  mixes: [],
  clips: [],
  tracks: [
    { id: "t1", name: "Boom", stem: "DX", labels: ["M"], mute: false },
    { id: "t2", name: "Lav", stem: "DX", labels: ["M"], mute: false },
    { id: "t3", name: "Radio", stem: "DX", labels: ["M"], mute: false },
  ],
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

const columns = layColumns(view, new Set());
const line = (id: string): Line => ({ row: "track", id, name: "Boom", stem: "DX", muted: false, y: 0, height: 42 });

describe("the weave", () => {
  it("writes gains as people read them", () => {
    expect([0, -3.0103, -6, 2.5, -0.04].map(shownGain)).toEqual(["0", "−3", "−6", "+2.5", "0"]);
  });

  it("knows what is tied, what is reached, and what is odd", () => {
    expect(cellOf(view, line("t1"), columns.list[0]!)).toMatchObject({ knots: [], reach: -3.01, finding: undefined });
    const right = cellOf(view, line("t1"), columns.list[1]!);
    expect(right.knots).toHaveLength(1);
    expect(cellLabel(view, line("t1"), columns.list[1]!, right)).toBe("Boom to Dialogue R: knot at −6 dB. Boom reaches L but not R");
  });

  it("says of a folded group how many of its channels are reached", () => {
    const folded = layColumns(view, new Set(["dx"]));
    expect(folded.list.map((c) => c.key)).toEqual(["dx", "mx/L", "mx/R"]);
    const cell = cellOf(view, line("t1"), folded.list[0]!);
    expect(cell).toMatchObject({ reached: 2, reach: -3.01 });
    expect(cellLabel(view, line("t1"), folded.list[0]!, cell)).toContain("Boom to Dialogue: knots to 1 of 2 channels");
  });

  it("finds columns by their place", () => {
    for (const folded of [new Set<string>(), new Set(["dx"]), new Set(["dx", "mx"])]) {
      const c = layColumns(view, folded);
      c.list.forEach((x, i) => expect(columnAt(c, x.x + x.width / 2)).toBe(i));
      expect(columnsIn(c, 0, c.width)).toEqual([0, c.list.length]);
      expect(columnsIn(c, c.list[1]!.x + 1, c.list[1]!.x + 2)).toEqual([1, 2]);
    }
    expect(columnAt(layColumns({ groups: [], outputs: [] }, new Set()), 10)).toBe(-1);
  });

  it("drags along rows, columns and diagonals, and chooses blocks", () => {
    const at = (line: number, column: number) => ({ line, column });
    expect(along(at(1, 1), at(1, 3))).toEqual([at(1, 1), at(1, 2), at(1, 3)]);
    expect(along(at(3, 0), at(1, 0))).toEqual([at(3, 0), at(2, 0), at(1, 0)]);
    expect(along(at(2, 2), at(0, 0))).toEqual([at(2, 2), at(1, 1), at(0, 0)]);
    expect(along(at(0, 0), at(2, 5))).toHaveLength(3); // no further than the shorter side
    expect(block(at(2, 1), at(1, 2))).toEqual([at(1, 1), at(1, 2), at(2, 1), at(2, 2)]);
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
    cleanup();
  });
});

describe("a part of the weave", () => {
  const edits = { command: vi.fn(() => Promise.resolve(undefined)), tie: vi.fn(() => Promise.resolve(undefined)) };
  let store: LoomStore;

  function Part({ chosen = new Set<string>() }: { chosen?: ReadonlySet<string> }) {
    const rows = layRows(view, new Set(), new Set());
    const weave = useWeave(view, rows, [{ row: "stem", id: "DX", name: "Dialogue", stem: "DX", strands: 0 }], 30, chosen, edits);
    const scroller = useRef<HTMLDivElement>(null);
    return (
      <div ref={scroller}>
        <WeavePart
          weave={weave}
          part="tracks"
          label="The weave"
          shown={300}
          height={rows.height}
          scroller={scroller}
          onReach={() => undefined}
        />
        <WeavePart weave={weave} part="band" label="Stems" shown={300} height={30} onReach={() => undefined} />
      </div>
    );
  }
  const open = (chosen?: ReadonlySet<string>) => render(<LoomState value={store}>{<Part chosen={chosen} />}</LoomState>);
  const grid = () => screen.getByRole("grid", { name: "The weave" });
  /** What a pointer does from one crossing to another: lines are 42 px high, the first columns begin at 18 px and are 30 wide. */
  const point = (line: number, column: number, more = {}) => ({
    clientX: columns.list[column]!.x + 15,
    clientY: line * 42 + 20,
    button: 0,
    pointerId: 1,
    ...more,
  });
  const drag = (from: [number, number], to: [number, number], more = {}) => {
    fireEvent.pointerDown(grid(), point(...from, more));
    fireEvent.pointerMove(grid(), point(...to, more));
    fireEvent.pointerUp(grid(), point(...to, more));
  };
  const focused = () => document.querySelector<HTMLElement>("[role=gridcell][tabindex='0']")!;

  beforeEach(() => {
    vi.stubGlobal(
      "ResizeObserver",
      class {
        observe() {}
        disconnect() {}
      },
    );
    localStorage.clear();
    store = loomStore(view);
    HTMLElement.prototype.setPointerCapture = () => undefined;
    HTMLCanvasElement.prototype.getContext = () => null; // what is painted is not looked at here
  });
  afterEach(() => {
    cleanup();
    vi.unstubAllGlobals();
    vi.clearAllMocks();
  });

  it("has one stop for the tab key, and arrows walk over both parts", () => {
    open();
    expect(document.querySelectorAll("[role=gridcell][tabindex='0']")).toHaveLength(1);
    for (const key of ["ArrowRight", "ArrowDown", "ArrowDown", "ArrowDown"]) fireEvent.keyDown(focused(), { key });
    expect(focused().getAttribute("aria-label")).toBe("Dialogue to Dialogue R: no knot");
    expect(document.activeElement).toBe(focused());
    fireEvent.keyDown(focused(), { key: "End" });
    expect(focused().getAttribute("aria-label")).toBe("Dialogue to Music R: no knot");
    expect(document.querySelectorAll("[role=gridcell][tabindex='0']")).toHaveLength(1);
  });

  it("ties an empty crossing at a press, and shows what is there at another", () => {
    open();
    drag([1, 0], [1, 0]);
    expect(edits.tie).toHaveBeenCalledWith([{ row: "track", from: "t2", output: "dx/L" }]);
    drag([0, 1], [0, 1]);
    expect(edits.tie).toHaveBeenCalledTimes(1);
    expect(screen.getByRole("dialog").textContent).toContain("Boom reaches L but not R");
  });

  it("ties along a drag, and clears along one that begins at a knot", () => {
    open();
    drag([0, 2], [2, 3]);
    expect(edits.tie.mock.calls[0]).toEqual([
      [
        { row: "track", from: "t1", output: "mx/L" },
        { row: "track", from: "t2", output: "mx/R" },
      ],
    ]);
    drag([0, 1], [2, 1]);
    expect(edits.command.mock.calls[0]).toEqual([{ kind: "clearKnots", command: { at: [{ row: "track", from: "t1", output: "dx/R" }] } }]);
  });

  it("ties all chosen tracks at once", () => {
    open(new Set(["t1", "t3"]));
    drag([2, 2], [2, 2]);
    expect(edits.tie.mock.calls[0]).toEqual([
      [
        { row: "track", from: "t1", output: "mx/L" },
        { row: "track", from: "t3", output: "mx/L" },
      ],
    ]);
  });

  it("chooses a block by keys and by Shift, and sets, turns and clears all of it", () => {
    open();
    fireEvent.keyDown(focused(), { key: "ArrowRight", shiftKey: true });
    fireEvent.keyDown(focused(), { key: "ArrowDown", shiftKey: true });
    expect(focused().getAttribute("aria-label")).toContain("4 crossings are chosen");
    fireEvent.keyDown(focused(), { key: "Delete" });
    expect(edits.command.mock.calls[0]).toEqual([{ kind: "clearKnots", command: { at: [{ row: "track", from: "t1", output: "dx/R" }] } }]);
    fireEvent.keyDown(focused(), { key: "Enter" });
    expect(screen.getByRole("dialog").textContent).toContain("4 crossings, 1 knot");
    fireEvent.click(screen.getByText("Turn polarity"));
    expect(edits.command.mock.calls[1]).toMatchObject([
      { kind: "setKnots", command: { knots: [{ output: "dx/R", gainDB: -6, invert: true }] } },
    ]);
    fireEvent.click(screen.getByText("Set the 2 of the diagonal"));
    expect(edits.tie.mock.calls[0]).toEqual([
      [
        { row: "track", from: "t1", output: "dx/L" },
        { row: "track", from: "t2", output: "dx/R" },
      ],
    ]);
    expect(screen.queryByRole("dialog")).toBeNull();
  });

  it("goes on when what is pointed at and chosen folds away", () => {
    open();
    fireEvent.pointerMove(grid(), point(1, 3));
    fireEvent.keyDown(focused(), { key: "End" });
    fireEvent.keyDown(focused(), { key: "ArrowLeft", shiftKey: true });
    act(() => store.setState({ foldedGroups: ["dx", "mx"] }));
    expect(focused().getAttribute("aria-label")).toContain("to Music: ");
    fireEvent.keyDown(focused(), { key: "Delete" });
    fireEvent.pointerDown(grid(), point(0, 1));
    act(() => store.setState({ foldedGroups: [] }));
    fireEvent.pointerUp(grid(), point(0, 1));
  });
});
