// What is chosen is known by its ID: it is shown where it is there, and where it is gone that is said. Nothing else takes its place without a word.

export type Chosen<T> = { it: T | undefined; gone: boolean };

/**
 * What is chosen of a list; nothing chosen means the first. A list that is not there yet has nothing, and nothing of it is gone. `find` knows it by more than
 * its ID, as where another has taken its place.
 */
export function chosenOf<T>(
  list: readonly T[] | undefined,
  id: string | undefined,
  find: (id: string, list: readonly T[]) => T | undefined = (id, all) => all.find((x) => (x as { id?: string }).id === id),
  usual: (list: readonly T[]) => T | undefined = (all) => all[0],
): Chosen<T> {
  if (!list) return { it: undefined, gone: false };
  if (!id) return { it: usual(list), gone: false };
  const it = find(id, list);
  return { it, gone: it === undefined };
}

/** Says that what somebody came for is gone, and offers a way on. */
export function Gone(p: { what: string; onOn?: () => void; on?: string }) {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-3 px-8 text-center" role="status">
      <h2 className="text-xl font-bold">{p.what} is not here any more</h2>
      <p className="max-w-md text-muted">It was removed, or has become part of something else. Nothing was chosen in its place.</p>
      {p.onOn && (
        <button className="pill-act" onClick={p.onOn}>
          {p.on}
        </button>
      )}
    </div>
  );
}
