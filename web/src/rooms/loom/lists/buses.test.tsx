// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { ReelView } from "../../../api/client";
import { Buses } from "./buses";

const view = {
  id: "r",
  production: "p",
  head: {},
  speakers: [
    { label: "L", azimuth: 30, elevation: 0 },
    { label: "R", azimuth: -30, elevation: 0 },
    { label: "Ls", azimuth: 110, elevation: 0 },
  ],
  stems: [
    { id: "DX", name: "Dialogue", labels: ["L", "R"], order: 1 },
    { id: "FX", name: "Effects", labels: ["L", "R", "C", "LFE", "Ls", "Rs"], order: 2 },
  ],
  tracks: [
    { id: "t1", name: "Boom", stem: "DX", strand: "Ines" },
    { id: "t2", name: "Lav", stem: "DX" },
    { id: "t3", name: "Winch", stem: "FX" },
  ],
  buses: [],
  chains: [],
  mixes: [
    { id: "mix1", name: "Full mix", labels: ["L", "R"], rest: true, terms: [{ row: "stem", from: "DX", gainDB: -3, out: true }], order: 1 },
  ],
  groups: [
    {
      id: "g1",
      name: "Mix",
      tag: "MIX",
      layout: "5.1",
      labels: ["L", "C", "R", "Ls", "Rs", "LFE"],
      stems: [],
      order: 1,
      feed: { row: "mix", from: "mix1" },
    },
    { id: "g2", name: "Stereo", tag: "", layout: "stereo", labels: ["L", "R"], stems: [], order: 2, feed: { row: "group", from: "g1" } },
  ],
  outputs: [],
} as unknown as ReelView;

describe("stems, mixes and output groups in lists", () => {
  afterEach(cleanup);
  const open = () => {
    const onDo = vi.fn().mockResolvedValue(undefined);
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Buses view={view} onBus={vi.fn()} onDo={onDo} />
      </QueryClientProvider>,
    );
    return onDo;
  };

  it("changes stems: width, order, and where tracks go when one is removed", () => {
    const onDo = open();
    fireEvent.change(screen.getByLabelText("Width of Dialogue"), { target: { value: "5.1" } });
    expect(onDo).toHaveBeenLastCalledWith({ kind: "setStem", command: { stem: "DX", labels: ["L", "R", "C", "LFE", "Ls", "Rs"] } });
    fireEvent.click(screen.getByLabelText("The stem Dialogue down"));
    expect(onDo).toHaveBeenLastCalledWith({ kind: "reorder", command: { row: "stem", ids: ["FX", "DX"] } });
    fireEvent.change(screen.getByLabelText("Tag of a new stem"), { target: { value: "adr" } });
    fireEvent.click(screen.getByText("Add a stem"));
    expect(onDo).toHaveBeenLastCalledWith({ kind: "addStem", command: { tag: "ADR", name: "ADR", labels: ["L", "R"] } });
  });

  it("says what is in a mix, a strand by its stem unless it has a word of its own", () => {
    const onDo = open();
    const on = (name: string) => (screen.getByLabelText(`${name} in Full mix`) as HTMLInputElement).checked;
    expect([on("Dialogue"), on("Ines"), on("Effects")]).toEqual([false, false, true]);
    fireEvent.click(screen.getByLabelText("Ines in Full mix"));
    expect(onDo.mock.lastCall?.[0].command.terms).toEqual([
      { row: "stem", from: "DX", gainDB: -3, out: true },
      { row: "strand", from: "DX/Ines", gainDB: 0, out: false },
    ]);
    fireEvent.click(screen.getByLabelText("Effects in Full mix"));
    expect(onDo.mock.lastCall?.[0].command.terms).toContainEqual({ row: "stem", from: "FX", gainDB: 0, out: true });
  });

  it("feeds output groups, and keeps their channels in the order they stand in", () => {
    const onDo = open();
    fireEvent.change(screen.getByLabelText("What feeds Mix"), { target: { value: "1" } });
    expect(onDo).toHaveBeenLastCalledWith({
      kind: "setGroup",
      command: expect.objectContaining({ id: "g1", layout: "5.1", order: "L,C,R,Ls,Rs,LFE", feed: { row: "stem", from: "DX" } }),
    });
    fireEvent.change(screen.getByLabelText("Channel order of Mix"), { target: { value: "smpte" } });
    expect(onDo.mock.lastCall?.[0].command).toMatchObject({ id: "g1", order: "smpte" });
    const trim = screen.getByLabelText("Trim of Stereo in dB");
    fireEvent.change(trim, { target: { value: "-2" } });
    fireEvent.blur(trim);
    expect(onDo.mock.lastCall?.[0].command.feed).toEqual({
      row: "group",
      from: "g1",
      fold: { centreDB: -3.01, surroundDB: -3.01, monoDB: -6.02, trimDB: -2 },
    });
    fireEvent.click(screen.getByText("Lt/Rt"));
    expect(onDo.mock.lastCall?.[0].command.feed.fold.encoded).toBe(true);
  });

  it("moves a speaker, and keeps those that were moved", () => {
    const onDo = open();
    const field = screen.getByLabelText("Azimuth of Ls");
    fireEvent.change(field, { target: { value: "120" } });
    fireEvent.blur(field);
    expect(onDo).toHaveBeenLastCalledWith({ kind: "setReel", command: { angles: { Ls: { azimuth: 120, elevation: 0 } } } });
  });
});
