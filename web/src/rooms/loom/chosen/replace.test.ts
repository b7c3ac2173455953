import { expect, it } from "vitest";

import type { Clip, Take } from "../../../api/client";
import { replacements } from "./replace";

const take = (id: string, scene: string, channels: number, part: Partial<Take["description"]> = {}, kind: Take["kind"] = "recording") =>
  ({
    id,
    kind,
    channels: Array.from({ length: channels }, (_, i) => ({ index: i + 1 })),
    description: { scene, take: id, roll: "LF03", sampleRate: 48000, frames: 480_000, ...part },
  }) as unknown as Take;

const clip = { id: "c", take: "own", channels: [3], offset: 96_000, length: 96_000, start: 0, tie: "" } as unknown as Clip;

it("lists what fits first, likely ones before others, and says of the rest why not or what it takes", () => {
  const list = replacements(
    clip,
    [
      take("own", "12A", 6),
      take("44.1", "12A", 6, { sampleRate: 44_100 }),
      take("narrow", "12A", 2),
      take("music", "", 6, { roll: "" }, "music"),
      take("short", "12A", 6, { frames: 144_000 }),
      take("gone", "12A", 6, { frames: 90_000 }),
      take("next", "12A", 6),
      take("other", "14", 6),
    ],
    48_000,
  );
  expect(list.map((r) => r.take.id)).toEqual(["next", "other", "music", "short", "narrow", "44.1", "gone"]);
  const of = (id: string) => list.find((r) => r.take.id === id)!;
  expect(of("next")).toMatchObject({ note: "", command: { kind: "swapTake" } });
  expect(of("short").note).toMatch(/^0:01\.0 shorter/);
  expect(of("short").command).toMatchObject({ kind: "several" });
  expect(of("narrow").note).toBe("its channel 1");
  expect(of("44.1")).toMatchObject({ command: null, note: "at 44.1 kHz: resample it under Takes" });
  expect(of("gone").command).toBeNull();
  expect(replacements({ ...clip, tie: "t" }, [take("own", "12A", 6), take("narrow", "12A", 2)], 48_000)[0]).toMatchObject({
    command: null,
    note: "has 2 channels, and channel 4 is used",
  });
});
