// What is dropped onto the page: files, or folders with all that lies in them, as a recorder's card.

/** Files that may be taken in, by the ends of their names. */
export const takenIn = [".wav", ".wave", ".bwf", ".rf64", ".aif", ".aiff", ".aifc", ".flac", ".mov", ".mp4", ".m4v", ".mkv", ".mxf"];

const sounds = (name: string) => !name.startsWith(".") && takenIn.some((end) => name.toLowerCase().endsWith(end));

/** The part of the browser's file system entries that is used. */
export type Entry = {
  isFile: boolean;
  name: string;
  file?: (ok: (f: File) => void, failed: (e: unknown) => void) => void;
  createReader?: () => { readEntries: (ok: (list: Entry[]) => void, failed: (e: unknown) => void) => void };
};

export type Dropped = { files: File[]; left: number; unread: number };

/** Reads what was dropped. left counts files in folders that are neither sound nor movie, unread what could not be read. */
export async function readDropped(entries: readonly Entry[]): Promise<Dropped> {
  const out: Dropped = { files: [], left: 0, unread: 0 };
  const walk = async (e: Entry, inside: boolean): Promise<void> => {
    try {
      if (!e.isFile) {
        for (const child of await listed(e)) await walk(child, true);
      } else if (inside && !sounds(e.name)) out.left++;
      else out.files.push(await new Promise<File>((ok, failed) => e.file!(ok, failed)));
    } catch {
      out.unread++;
    }
  };
  for (const e of entries) await walk(e, false);
  return out;
}

/** All that lies in a folder: a browser gives it in parts, and an empty one at the end. */
async function listed(folder: Entry): Promise<Entry[]> {
  const reader = folder.createReader!();
  const all: Entry[] = [];
  for (;;) {
    const some = await new Promise<Entry[]>((ok, failed) => reader.readEntries(ok, failed));
    if (some.length === 0) return all.sort((a, b) => a.name.localeCompare(b.name, "en", { numeric: true }));
    all.push(...some);
  }
}

/** The entries of a drop, which the browser forgets once the event is over. */
export const entriesOf = (data: DataTransfer): Entry[] =>
  [...data.items].flatMap((i) => {
    const e = i.webkitGetAsEntry();
    return e ? [e as unknown as Entry] : [];
  });

/** Files that were chosen as a folder: those that may be taken in. */
export function fromFolder(files: File[]): Dropped {
  const taken = files.filter((f) => sounds(f.name));
  return { files: taken, left: files.length - taken.length, unread: 0 };
}

/** What is to be said of a drop; empty where all of it comes in. */
export function droppedWords(d: Dropped): string {
  const n = (k: number) => (k === 1 ? "1 file" : `${k} files`);
  const parts = [
    d.files.length === 0 && d.left + d.unread > 0 && "Nothing of it is a sound or a movie that can be taken in.",
    d.files.length > 0 && d.left > 0 && `${n(d.left)} that are neither sound nor movie stay where they are.`,
    d.unread > 0 && `${n(d.unread)} could not be read.`,
  ];
  return parts.filter(Boolean).join(" ");
}
