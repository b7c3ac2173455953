// The scales that programme meters are read on. How they move is the server's; a scale only says what is written where.

export type Scale = { id: string; title: string; moves: "typeI" | "typeII"; unit: string; places: number; of: (dBFS: number) => number };

/** IEC 60268-10, at the alignment of −18 dBFS; type I stands at 0 where permitted maximum is, 9 dB above. */
export const scales: Scale[] = [
  { id: "IIa", title: "Type IIa: 1 to 7", moves: "typeII", unit: "PPM", places: 1, of: (dBFS) => 4 + (dBFS + 18) / 4 },
  { id: "IIb", title: "Type IIb: −12 to +12 dB", moves: "typeII", unit: "dB", places: 1, of: (dBFS) => dBFS + 18 },
  { id: "I", title: "Type I: −50 to +5 dB", moves: "typeI", unit: "dB", places: 1, of: (dBFS) => dBFS + 9 },
];

export const scaleOf = (id: string): Scale => scales.find((s) => s.id === id) ?? scales[0]!;
