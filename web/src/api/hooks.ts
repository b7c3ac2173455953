// Server state, as rooms use it. What changes on the server is followed in follow.ts.
import { useMutation, useQueries, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef } from "react";

import { useSame } from "../ui/parts";

import type { Asked, KnownTake } from "../ahead/edits";
import { hand } from "../ahead/hand";

import { tellError } from "../ui/notices";
import {
  api,
  author,
  ok,
  Problem,
  type Command,
  type Crossing,
  type Match,
  type ReelView,
  type Take,
  type TakeEdit,
  type TakeList,
  type Work,
} from "./client";
import { keysOf } from "./keys";
import type { components } from "./schema.gen";
import { askOfMet } from "./met";
import { knownTakes, takesNow, type EditOfTake, withEdit, withWaiting } from "./takes";

export const useProductions = () => useQuery({ queryKey: keysOf.productions, queryFn: () => ok(api.GET("/productions")) });

export const useProduction = (production: string) =>
  useQuery({
    queryKey: keysOf.production(production),
    queryFn: () => ok(api.GET("/productions/{production}", { params: { path: { production } } })),
  });

const editing = ["take edit"];

/** The edits of takes that have been asked for and not answered, in their order. */
const waitingTakes = (queries: QueryClient, production: string) =>
  queries
    .getMutationCache()
    .findAll({ mutationKey: [...editing, production], status: "pending" })
    .map((m) => m.state.variables as EditOfTake);

export const useTakes = (production: string) =>
  useQuery({
    queryKey: keysOf.takes(production),
    queryFn: ({ client }) =>
      takesNow(client.getQueryData<TakeList>(keysOf.takes(production)), (query) =>
        ok(api.GET("/productions/{production}/takes", { params: { path: { production }, query } })),
      ).then((list) => withWaiting(list, waitingTakes(client, production))),
  });

export const useStems = (production: string) =>
  useQuery({
    queryKey: keysOf.stems(production),
    queryFn: () => ok(api.GET("/productions/{production}/stems", { params: { path: { production } } })),
  });

export const useMatches = (production: string) =>
  useQuery({
    queryKey: keysOf.matches(production),
    queryFn: async () => {
      const all: Match[] = [];
      for (let page: Match[]; ; ) {
        const query = { limit: 500, after: all.at(-1)?.id };
        page = await ok(api.GET("/productions/{production}/matches", { params: { path: { production }, query } }));
        all.push(...page);
        if (page.length < 500) return all;
      }
    },
  });

/**
 * The takes that a reel uses, by ID: those of the list, and those that are no longer in it because they were taken apart
 * or resampled since. The reel keeps what it was made of.
 */
export function useTakesOf(view: ReelView): Map<string, Take> {
  const listed = useTakes(view.production).data?.takes;
  const inList = useMemo(() => new Map(listed?.map((t) => [t.id, t])), [listed]);
  const named = useMemo(() => [...new Set(view.clips.map((c) => c.take))], [view.clips]);
  const missing = listed ? named.filter((id) => !inList.has(id)) : [];
  const others = useQueries({
    queries: missing.map((take) => ({
      queryKey: ["take", take],
      queryFn: () => ok(api.GET("/takes/{take}", { params: { path: { take } } })),
    })),
  });
  const found = useSame(others.flatMap((q) => q.data ?? []));
  const byID = useMemo(() => (found.length > 0 ? new Map([...inList, ...found.map((t) => [t.id, t] as const)]) : inList), [inList, found]);
  const used = named.filter((id) => byID.has(id));
  // biome-ignore lint/correctness/useExhaustiveDependencies: once for each that is used
  useEffect(() => hand.know(view.id, knownTakes(used.map((id) => byID.get(id)!))), [view.id, used.join(" ")]);
  return byID;
}

/** Undo and redo of what is done to takes, as the header shows it. Ties are part of it. */
export function useTakeHistory(production: string) {
  const queries = useQueryClient();
  const takes = useTakes(production).data;
  const key = keysOf.takes(production);
  // Who presses before an edit is answered means that edit: the turn waits for it, and for what came of it.
  const turn = useMutation({
    mutationKey: [turning],
    scope: { id: `${turning} ${production}` },
    mutationFn: async (way: "undo" | "redo") => {
      await edited(queries);
      await queries.refetchQueries({ queryKey: key });
      const now = queries.getQueryData<TakeList>(key);
      if (!now?.[way]) return;
      const about = { params: { path: { production } }, body: { revision: now.revision } };
      if (way === "undo") await ok(api.POST("/productions/{production}/takes/undo", about));
      else await ok(api.POST("/productions/{production}/takes/redo", about));
      await Promise.all([key, keysOf.matches(production)].map((queryKey) => queries.invalidateQueries({ queryKey })));
    },
    onError: tellError,
  });
  return takes && { undo: takes.undo, redo: takes.redo, onUndo: () => turn.mutate("undo"), onRedo: () => turn.mutate("redo") };
}

const turning = "turn of takes";

/** Waits until nothing is being changed any more, but for turns themselves. */
async function edited(queries: QueryClient) {
  const open = () => queries.isMutating({ predicate: (m) => m.options.mutationKey?.[0] !== turning }) > 0;
  if (!open()) return;
  await new Promise<void>((done) => {
    const end = queries.getMutationCache().subscribe(() => {
      if (open()) return;
      end();
      done();
    });
  });
}

export const isOpen = (w: Work) => w.state === "queued" || w.state === "running";

export const useWork = (production: string) =>
  useQuery({
    queryKey: keysOf.work(production),
    queryFn: () => ok(api.GET("/productions/{production}/work", { params: { path: { production } } })),
  });

export const useReels = (production: string) =>
  useQuery({
    queryKey: keysOf.reels(production),
    queryFn: () => ok(api.GET("/productions/{production}/reels", { params: { path: { production } } })),
    refetchInterval: (q) => (q.state.data?.length === 0 ? 5000 : false), // somebody else may make the first one
  });

/** A reel as it is shown: as the server has it, with what has been edited and waits for the server. */
export function useReel(reel: string) {
  const found = useQuery({
    queryKey: keysOf.reel(reel),
    enabled: reel !== "",
    queryFn: async ({ client }) => {
      const have = client.getQueryData<ReelView>(keysOf.reel(reel));
      // The first picture comes straight from the server.
      if (!have) return ok(api.GET("/reels/{reel}", { params: { path: { reel } } }));
      return (await hand.look(reel, have.revision, author())) ?? client.getQueryData<ReelView>(keysOf.reel(reel)) ?? have;
    },
  });
  const queries = useQueryClient();
  const there = found.data !== undefined;
  useEffect(() => {
    const view = queries.getQueryData<ReelView>(keysOf.reel(reel));
    if (there && view) void hand.open(reel, view.revision, author());
  }, [there, reel, queries]);
  return found;
}

/** A reel as it is known here by now; it is not asked for. */
export const useReelNow = (reel: string) => useQuery<ReelView>({ queryKey: keysOf.reel(reel), enabled: false }).data;

/** Its revision alone, for whoever asks the server for what goes by it: with an edit that is confirmed as it was shown nothing else changes. */
export const useRevision = (reel: string): number =>
  useQuery({ queryKey: keysOf.reel(reel), enabled: false, select: (v: ReelView) => v.revision }).data ?? 0;

/** Calls back when a reel has another revision. */
export function useOnRevision(reel: string, then: () => void) {
  const queries = useQueryClient();
  const latest = useRef(then);
  latest.current = then;
  useEffect(() => {
    const revision = () => queries.getQueryData<ReelView>(keysOf.reel(reel))?.revision;
    let was = revision();
    return queries.getQueryCache().subscribe(() => {
      const now = revision();
      if (now === was) return;
      was = now;
      latest.current();
    });
  }, [queries, reel]);
}

export const useSpecs = (production: string) =>
  useQuery({
    queryKey: [...keysOf.specs, production],
    enabled: production !== "",
    queryFn: () => ok(api.GET("/specs", { params: { query: { production } } })),
  });

export const usePatterns = () => useQuery({ queryKey: keysOf.patterns, queryFn: () => ok(api.GET("/patterns")) });

export const usePrints = (reel: string) =>
  useQuery({
    queryKey: keysOf.prints(reel),
    enabled: reel !== "",
    queryFn: () => ok(api.GET("/reels/{reel}/prints", { params: { path: { reel } } })),
  });

export const usePrint = (reel: string, print: string) =>
  useQuery({
    queryKey: keysOf.print(reel, print),
    enabled: print !== "",
    queryFn: () => ok(api.GET("/prints/{print}", { params: { path: { print } } })),
  });

/**
 * A mutation that tells its error and loads these queries again; it is under way until they are there, so that what it shows meanwhile
 * does not flicker back.
 */
export function useDo<V, R>(run: (v: V) => Promise<R>, again: readonly (readonly unknown[])[] = [], done?: (r: R, v: V) => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: run,
    onSuccess: (r, v) => {
      const fresh = Promise.all(again.map((queryKey) => queries.invalidateQueries({ queryKey })));
      done?.(r, v);
      return fresh;
    },
    onError: tellError,
  });
}

/** Edits takes of a production. What is asked for is shown at once, also over what the server has made of those before. */
export function useTakesEdit(production: string) {
  const queries = useQueryClient();
  const key = keysOf.takes(production);
  const show = (id: string, of: (t: Take) => Take) =>
    queries.setQueryData<TakeList>(key, (list) => list && { ...list, takes: list.takes.map((t) => (t.id === id ? of(t) : t)) });
  return useMutation({
    mutationKey: [...editing, production],
    mutationFn: ({ take, edit }: EditOfTake) => ok(api.PATCH("/takes/{take}", { params: { path: { take } }, body: edit })),
    onMutate: ({ take, edit }) => void show(take, (t) => withEdit(t, edit)),
    onSuccess: (now) => {
      const others = waitingTakes(queries, production).filter((e) => e.take === now.id);
      show(now.id, () => withWaiting({ takes: [now] }, others.slice(1)).takes[0]!); // the first is this one
      void queries.invalidateQueries({ queryKey: key });
    },
    onError: async (error, { take }) => {
      tellError(error);
      // Of what has changed since it is no part, so it is asked for itself.
      const now = await ok(api.GET("/takes/{take}", { params: { path: { take } } })).catch(() => undefined);
      if (now) show(take, () => now);
    },
  });
}

/** Edits one take. */
export function useTakeEdit(take: Take) {
  const { mutate } = useTakesEdit(take.production);
  return { mutate: (edit: TakeEdit) => mutate({ take: take.id, edit }) };
}

type PatternApplied = Omit<components["schemas"]["PatternApplied"], "revision">;

type Way = "undo" | "redo";
type Turning = components["schemas"]["Turning"];

/** The takes that an edit names, as far as they are known here. */
function takesIn(body: object, known: Take[]): Record<string, KnownTake> {
  const named = new Set([...JSON.stringify(body).matchAll(/"take":"([^"]+)"/g)].map((m) => m[1]));
  return named.size === 0 ? {} : knownTakes(known.filter((t) => named.has(t.id)));
}

/** How many edits of this page have not been answered yet, by reel: what is on the screen has been. */
const asking = new Map<string, number>();
/** Ends when what was done last to a reel is on the screen. */
const last = new Map<string, Promise<unknown>>();

/** A command, or one that follows from the reel as it is once all that was done before it is on the screen. */
export type Wanted = Command | ((view: ReelView) => Command);

/** What can be done to a reel. */
export function reelEdits(reel: string, queries: QueryClient) {
  const key = keysOf.reel(reel);
  const shown = () => queries.getQueryData<ReelView>(key);
  const quiet = () => undefined;
  const edit = (path: string, asked: Asked): Promise<ReelView> => {
    const done = ask(path, asked);
    last.set(reel, done.catch(quiet));
    return done;
  };
  const ask = async (path: string, asked: Asked): Promise<ReelView> => {
    const view = shown();
    const takes = view && queries.getQueryData<TakeList>(keysOf.takes(view.production));
    asking.set(reel, (asking.get(reel) ?? 0) + 1);
    const { refused } = await hand
      .do({ ...asked, path, reel, seen: view?.revision ?? 0, author: author(), page: hand.page }, takesIn(asked.body, takes?.takes ?? []))
      .finally(() => asking.set(reel, (asking.get(reel) ?? 1) - 1));
    if (!refused) return shown()!; // who edits a reel shows it
    const problem = new Problem(refused.sentence, refused.kind, refused);
    if (!["unties", "loses", "met"].includes(refused.kind)) {
      // what these ask is asked by whoever asked for the edit
      tellError(problem);
      void queries.invalidateQueries({ queryKey: key }); // it may have been refused for what this page has not seen
    }
    throw problem;
  };
  const turn = async (way: Way, how: Turning = {}): Promise<void> => {
    const plain = Object.keys(how).length === 0;
    const idle = (asking.get(reel) ?? 0) === 0; // else it is what is under way that is meant
    if (plain && idle && !shown()?.[way]) return;
    try {
      await edit(way, { kind: plain ? way : "other", body: how });
    } catch (error) {
      if (error instanceof Problem && error.kind === "met") askOfMet(way, error, (again) => void turn(way, again));
    }
  };
  return {
    /** Throws the problem where it was refused: what a command asks about is asked by useConsent, through which all of them go. */
    attempt: async (c: Wanted) => {
      if (typeof c === "function") await last.get(reel); // what it is made of is what those before it have made
      const view = shown();
      const body = typeof c !== "function" ? c : view && c(view);
      return body ? edit("commands", { kind: "command", body }) : view!;
    },
    /** Ties rows to outputs, or to whole groups where their IDs are given. */
    tie: (at: Crossing[]) => edit("ties", { kind: "ties", body: { at } }).catch(quiet),
    /** Throws the problem where routes would be lost and nobody has said yes. */
    spec: (spec: string, yes: boolean) => edit("spec", { kind: "other", body: { spec, yes } }),
    /** Makes the reel as a pattern, or another reel, has it. Throws the problem where something would be lost. */
    pattern: (of: PatternApplied) => edit("pattern/apply", { kind: "other", body: of }),
    /** Has the reel follow a cut list that was read at a revision. */
    cutList: (name: string, text: string, read: number) =>
      edit("cutlist", { kind: "other", body: { name, text, revision: read } }).catch(quiet),
    undo: (how?: Turning) => turn("undo", how),
    redo: (how?: Turning) => turn("redo", how),
  };
}

/** Everything that changes a reel. It goes to the outbox, and is on the screen before the server has it. */
export function useReelEdits(reel: string) {
  const queries = useQueryClient();
  return useMemo(() => reelEdits(reel, queries), [reel, queries]);
}

export const useSteps = (reel: string, revision: number, shown: boolean) =>
  useQuery({
    queryKey: ["steps", reel, revision],
    enabled: shown,
    queryFn: () => ok(api.GET("/reels/{reel}/history", { params: { path: { reel } } })),
  });
