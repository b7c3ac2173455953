import { expect, test } from "vitest";

import { scaleOf, scales } from "./programme";

test("the alignment tone and permitted maximum stand where each scale has them", () => {
  const read = (dBFS: number) => Object.fromEntries(scales.map((s) => [s.id, s.of(dBFS)]));
  expect(read(-18)).toEqual({ IIa: 4, IIb: 0, I: -9 });
  expect(read(-10)).toEqual({ IIa: 6, IIb: 8, I: -1 });
  expect(read(-9)).toMatchObject({ IIb: 9, I: 0 });
  expect(scaleOf("I").moves).toBe("typeI");
  expect(scaleOf("what was kept by a browser of before").id).toBe("IIa");
});
