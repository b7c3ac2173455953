import { expect, test } from "vitest";

import type { Take } from "../../api/client";
import { titlesOf } from "./several";

test("takes of one title are named once, with how many they are", () => {
  const take = (scene: string, n: string) => ({ description: { scene, take: n }, fileName: "x.wav", stream: 0 }) as unknown as Take;
  expect(titlesOf([take("18C", "3"), take("12A", "1"), take("18C", "3"), take("18C", "3")])).toBe("18C, take 3 (3 files); 12A, take 1");
});
