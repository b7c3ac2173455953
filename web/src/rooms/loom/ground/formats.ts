// The widths that tracks, stems, mixes and output groups are offered in. What they mean is the server's.
const surround = ["L", "R", "C", "LFE", "Ls", "Rs"];
const seven = ["L", "R", "C", "LFE", "Lss", "Rss", "Lrs", "Rrs"];
const heights = ["Ltf", "Rtf", "Ltr", "Rtr"];
const field = (order: number) => Array.from({ length: (order + 1) ** 2 }, (_, i) => `ACN${i}`);

const fuma = ["W", "X", "Y", "Z", "R", "S", "T", "U", "V", "K", "L", "M", "N", "O", "P", "Q"];

/** The order of a sound field's layout; 0 where it is none. */
export const fieldOrder = (layout: string) => ({ foa: 1, hoa2: 2, hoa3: 3 })[layout] ?? 0;

/** The ways in which a sound field of an order is written, with their labels. */
export const norms = (order: number): [string, string[]][] => [
  ["ACN, SN3D", field(order)],
  ["ACN, N3D", field(order).map((l) => l.replace("ACN", "N3D"))],
  ["FuMa", fuma.slice(0, (order + 1) ** 2)],
];

/** Channel labels by the name of their format. */
export const formats: [string, string[]][] = [
  ["mono", ["M"]],
  ["stereo", ["L", "R"]],
  ["LCR", ["L", "R", "C"]],
  ["5.0", ["L", "R", "C", "Ls", "Rs"]],
  ["5.1", surround],
  ["7.1", seven],
  ["5.1.4", [...surround, ...heights]],
  ["7.1.4", [...seven, ...heights]],
  ["sound field 1", field(1)],
  ["sound field 2", field(2)],
  ["sound field 3", field(3)],
];

/** The name of a format; where it is none of the usual, how wide it is. */
export function formatName(labels: string[]): string {
  const known = formats.find(([, l]) => l.join() === labels.join());
  if (known) return known[0];
  return labels.every((l) => l === "M") ? `${labels.length} monos` : `${labels.length} channels`;
}

/** Whether a stem has a room to stand in: speakers other than a pair, or a sound field. */
export const hasRoom = (labels: string[]) => labels.length > 2;

export const isField = (labels: string[]) => labels[0] === "ACN0" || labels[0] === "W" || labels[0] === "N3D0";

/** The layouts of output groups, as specs write them, by what they are called, with how many channels they have; a discrete group says. */
const named: [string, string, number][] = [
  ["mono", "mono", 1],
  ["dual mono", "dual mono", 2],
  ["stereo", "stereo", 2],
  ["lcr", "LCR", 3],
  ["5.0", "5.0", 5],
  ["5.1", "5.1", 6],
  ["7.1", "7.1", 8],
  ["5.1.4", "5.1.4", 10],
  ["7.1.4", "7.1.4", 12],
  ["foa", "sound field 1", 4],
  ["hoa2", "sound field 2", 9],
  ["hoa3", "sound field 3", 16],
  ["discrete", "discrete", 1],
];
export const layouts = named.map(([layout, name]): [string, string] => [layout, name]);

/** How many channels a layout has. */
export const widthOf = (layout: string): number => named.find(([l]) => l === layout)?.[2] ?? 1;
