// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Problem, type ReelView, type Command } from "../../../api/client";
import { removal, useConsent } from "./consent";

const refusal = () => new Problem("Boom is tied to 2 other clips. This would put it 3 frames out of sync", "unties");
const move: Command = { kind: "moveClips", command: { clips: ["1"], by: 5760, alone: true } };

function bench(attempt: (c: Command) => Promise<ReelView>, command = move, view?: ReelView) {
  const results: (ReelView | undefined)[] = [];
  function Bench() {
    const { doIt, dialog } = useConsent({ attempt } as never, view);
    return (
      <>
        <button onClick={() => void doIt(command).then((v) => results.push(v))}>move</button>
        {dialog}
      </>
    );
  }
  render(<Bench />);
  fireEvent.click(screen.getByText("move"));
  return results;
}

describe("a command that breaks sync", () => {
  afterEach(cleanup);

  it("says so first, and is done only when that is wanted", async () => {
    const attempt = vi.fn((c: Command) =>
      "untie" in c.command ? Promise.resolve({ revision: 9 } as ReelView) : Promise.reject(refusal()),
    );
    const results = bench(attempt);
    await screen.findByText(/3 frames out of sync/);
    expect(attempt).toHaveBeenCalledTimes(1);
    fireEvent.click(screen.getByText("Do it and untie"));
    await waitFor(() => expect(results).toEqual([{ revision: 9 }]));
    expect(attempt).toHaveBeenLastCalledWith({ kind: "moveClips", command: { ...move.command, untie: true } });
    expect(screen.queryByText(/out of sync/)).toBeNull();
  });

  it("is said of each of several", async () => {
    const attempt = vi.fn((c: Command) =>
      JSON.stringify(c).includes("untie") ? Promise.resolve({ revision: 9 } as ReelView) : Promise.reject(refusal()),
    );
    const gain: Command = { kind: "setClip", command: { clip: "1", gainDB: 3 } };
    bench(attempt, { kind: "several", command: { commands: [move, gain] } });
    fireEvent.click(await screen.findByText("Do it and untie"));
    const untied = { kind: "moveClips", command: { ...move.command, untie: true } };
    await waitFor(() => expect(attempt).toHaveBeenLastCalledWith({ kind: "several", command: { commands: [untied, gain] } }));
  });

  it("asks as well before a route is lost", async () => {
    const wide: Command = { kind: "setStem", command: { stem: "DX", labels: ["L", "R"] } };
    const attempt = vi.fn((c: Command) =>
      JSON.stringify(c).includes("yes")
        ? Promise.resolve({ revision: 3 } as ReelView)
        : Promise.reject(new Problem("Making Dialogue 2 channels wide loses the knot from C to Mix C", "loses")),
    );
    bench(attempt, wide);
    await screen.findByText(/loses the knot from C/);
    fireEvent.click(screen.getByText("Do it all the same"));
    await waitFor(() => expect(attempt).toHaveBeenLastCalledWith({ kind: "setStem", command: { ...wide.command, yes: true } }));
  });

  it("leaves everything as it is otherwise", async () => {
    const attempt = vi.fn(() => Promise.reject(refusal()));
    const results = bench(attempt);
    await screen.findByText("This breaks sync");
    fireEvent.click(screen.getByText("Leave it in sync"));
    await waitFor(() => expect(results).toEqual([undefined]));
    expect(attempt).toHaveBeenCalledTimes(1);
  });

  it("asks nothing where something else is wrong", async () => {
    const results = bench(() => Promise.reject(new Problem("Boom has been changed since", "stale")));
    await waitFor(() => expect(results).toEqual([undefined]));
    expect(screen.queryByText("This breaks sync")).toBeNull();
  });
});

describe("taking tracks away", () => {
  afterEach(cleanup);
  const view = {
    tracks: ["a", "b"].map((id) => ({ id, name: `Track ${id}` })),
    clips: [
      { id: "1", track: "a" },
      { id: "2", track: "a" },
      { id: "3", track: "b" },
    ],
  } as unknown as ReelView;
  const removes = (...tracks: string[]): Command => ({ kind: "removeTracks", command: { tracks } });

  it("asks, and says what goes with them", async () => {
    const attempt = vi.fn(() => Promise.resolve({ revision: 9 } as ReelView));
    const kept = bench(attempt, removes("a"), view);
    await screen.findByText("Remove Track a?");
    expect(screen.getByText("2 clips go with it. Undo brings everything back.")).toBeTruthy();
    fireEvent.click(screen.getByText("Keep it"));
    await waitFor(() => expect(kept).toEqual([undefined]));
    expect(attempt).not.toHaveBeenCalled();
    fireEvent.click(screen.getByText("move"));
    fireEvent.click(await screen.findByText("Remove it"));
    await waitFor(() => expect(kept).toEqual([undefined, { revision: 9 }]));
  });

  it("is said of one, of several, and of none that is there", () => {
    expect(removal(view, removes("b"))).toEqual({ title: "Remove Track b?", about: "One clip goes with it. Undo brings everything back." });
    expect(removal(view, removes("a", "b"))).toMatchObject({
      title: "Remove 2 tracks?",
      about: expect.stringContaining("3 clips go with them"),
    });
    expect(removal({ ...view, clips: [] }, removes("a"))).toMatchObject({ about: "Nothing is on it. Undo brings everything back." });
    expect(removal(view, removes("gone"))).toBeNull();
    expect(removal(view, move)).toBeNull();
    expect(removal(undefined, removes("a"))).toBeNull();
  });
});
