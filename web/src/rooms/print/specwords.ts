// What a delivery spec says, in the words and figures that lists show.
import type { ListedSpec, Plan, Spec } from "../../api/client";

type File = Spec["files"][number];
type Planned = Plan["files"][number];

const containerNames: Record<string, string> = {
  wave: "WAVE",
  bw64: "BW64",
  flac: "FLAC",
  mov: "MOV",
  mp4: "MP4",
  mkv: "Matroska",
  mxf: "MXF",
};
export const containerName = (c: string) => containerNames[c] ?? c;

const codecNames: Record<string, string> = { pcm: "PCM", flac: "FLAC", alac: "ALAC" };

const knownPackings: Record<string, string> = { interleaved: "one interleaved file", "per-group": "one file a group" };
/** A way of packing, as a person reads it. */
export const packingWords = (p: string) => knownPackings[p] ?? p.replaceAll("-", " ");

const depthWords = (bits: number | undefined) => (bits === 32 ? "32 bit float" : `${bits ?? 24} bit`);

const each: Record<string, string> = { channel: "a file for each channel", group: "a file for each group" };

/** A file of a spec in a few words: MOV with the picture, 24 bit. */
function fileWords(f: File): string {
  return [
    [containerName(f.container), f.picture === "reference" && "with the picture"].filter(Boolean).join(" "),
    f.each && each[f.each],
    f.rate && `${f.rate / 1000} kHz`,
    depthWords(f.depth),
  ]
    .filter(Boolean)
    .join(", ");
}

/** What a spec writes, each form once. */
export const specFiles = (s: Spec): string[] => [...new Set(s.files.map(fileWords))];

/** The strictest of a spec's limits of a kind; null where it has none. */
export function strictest(s: Spec | undefined, what: "truePeak" | "ppmMax"): number | null {
  const known: Record<string, number> = { r128: -1, a85: -2, streaming: -2 };
  const all = (s?.limits ?? []).flatMap((l) => l[what] ?? (what === "truePeak" && l.profile ? (known[l.profile] ?? []) : []));
  return all.length > 0 ? Math.min(...all) : null;
}

/** What a file that is planned is, in a few words. */
export function plannedWords(f: Planned): string {
  const count = f.channels.length === 1 ? "1 channel" : `${f.channels.length} channels`;
  const streams = f.streams.length > 1 ? `${count} in ${f.streams.length} streams` : count;
  return [
    [containerName(f.container), f.codec !== "pcm" && `(${codecNames[f.codec] ?? f.codec})`].filter(Boolean).join(" "),
    f.picture && "with the picture",
    streams,
    `${f.rate / 1000} kHz`,
    depthWords(f.depth),
    f.adm && `described as ${f.adm}`,
    size(f.bytes),
  ]
    .filter(Boolean)
    .join(", ");
}

export const size = (bytes: number) => (bytes > 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(1)} MB`);

const languages: Record<string, string> = { eng: "English", por: "Portuguese" };
export const languageName = (code: string) => languages[code] ?? code;

/** Whose a spec is, in words; nothing where it ships. */
export const keptWords = (s: Pick<ListedSpec, "kept" | "version">) =>
  s.kept === "shipped"
    ? ""
    : `${s.kept === "inProduction" ? "yours, in this production" : "yours, in all productions"}, version ${s.version}`;

/** Where specs are kept: for a production, or for all where none is named. */
export const specsPath = (production: string) => `/specs${production ? `?production=${production}` : ""}`;

/** Whether a spec has all words that are sought, anywhere in what it says of itself. */
export function hasWords(s: ListedSpec, sought: string): boolean {
  const said = [
    s.id,
    s.title,
    s.receiver,
    s.about,
    keptWords(s),
    ...s.groups.flatMap((g) => [g.name, g.tag, g.layout]),
    ...specFiles(s),
    ...s.files.map((f) => f.container),
  ]
    .join(" ")
    .toLowerCase();
  return sought
    .toLowerCase()
    .split(/\s+/)
    .every((word) => said.includes(word));
}

/** How long something takes, about: 40 s, 3 min. */
export const aboutTime = (seconds: number) =>
  seconds < 50 ? `${Math.max(5, Math.ceil(seconds / 5) * 5)} s` : `${Math.ceil(seconds / 60)} min`;

/** What must add up among the groups of a plan, in words. */
export function sumsInWords(plan: Pick<Plan, "sums"> & { files: Pick<Planned, "channels">[] }): string[] {
  const all = plan.files.flatMap((f) => f.channels);
  const labels = (id: string) => new Set(all.filter((c) => c.group === id).map((c) => c.label));
  const name = (id: string) => {
    const c = all.find((c) => c.group === id);
    if (!c) return id;
    // The name of a channel of a set ends with its label.
    return c.name.endsWith(` ${c.label}`) ? c.name.slice(0, -c.label.length - 1) : c.name;
  };
  return (plan.sums ?? []).map((s) => {
    const parts = s.parts.map((p) => name(p.id));
    if (parts.length > 1) return `${parts.join(" + ")} add up to ${name(s.whole)}`;
    return labels(s.parts[0]!.id).size === labels(s.whole).size
      ? `${name(s.whole)} is the same as ${parts[0]}`
      : `${name(s.whole)} is the fold-down of ${parts[0]}`;
  });
}
