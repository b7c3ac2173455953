// Server state, as rooms use it. What changes on the server is followed in follow.ts.
import { useMutation, useMutationState, useQueries, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useMemo } from "react";

import { tellError } from "../ui/notices";
import {
  api,
  ok,
  once,
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
import { editsOf, keysOf } from "./keys";
import type { components } from "./schema.gen";
import { clipsAfter } from "./laid";
import { merged } from "./merge";
import { useMet } from "./met";
import { laidOver, type Pending } from "./pending";
import { takesNow } from "./takes";

export const useProductions = () => useQuery({ queryKey: keysOf.productions, queryFn: () => ok(api.GET("/productions")) });

export const useProduction = (production: string) =>
  useQuery({
    queryKey: keysOf.production(production),
    queryFn: () => ok(api.GET("/productions/{production}", { params: { path: { production } } })),
  });

export const useTakes = (production: string) =>
  useQuery({
    queryKey: keysOf.takes(production),
    queryFn: ({ client }) =>
      takesNow(client.getQueryData<TakeList>(keysOf.takes(production)), (query) =>
        ok(api.GET("/productions/{production}/takes", { params: { path: { production }, query } })),
      ),
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
  const byID = new Map(listed?.map((t) => [t.id, t]));
  const missing = listed ? [...new Set(view.clips.map((c) => c.take))].filter((id) => !byID.has(id)) : [];
  const others = useQueries({
    queries: missing.map((take) => ({
      queryKey: ["take", take],
      queryFn: () => ok(api.GET("/takes/{take}", { params: { path: { take } } })),
    })),
  });
  others.forEach((q) => q.data && byID.set(q.data.id, q.data));
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

export const useReel = (reel: string) =>
  useQuery({
    queryKey: keysOf.reel(reel),
    enabled: reel !== "",
    queryFn: () => ok(api.GET("/reels/{reel}", { params: { path: { reel } } })),
  });

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

/** Edits one take and puts what the server made of it into the list at once. */
export function useTakeEdit(take: Take) {
  const queries = useQueryClient();
  return useMutation({
    scope: { id: `take ${take.id}` },
    mutationFn: (body: TakeEdit) => ok(api.PATCH("/takes/{take}", { params: { path: { take: take.id } }, body })),
    onSuccess: (now) => {
      queries.setQueryData<TakeList>(
        keysOf.takes(take.production),
        (list) => list && { ...list, takes: list.takes.map((t) => (t.id === now.id ? now : t)) },
      );
      void queries.invalidateQueries({ queryKey: keysOf.takes(take.production) });
    },
    onError: tellError,
  });
}

/** The revision that an edit was made on, and how its call says so. */
type Sent = { revision: number; params: { path: { reel: string }; query: { since: number }; header: { "Idempotency-Key": string } } };

type PatternApplied = Omit<components["schemas"]["PatternApplied"], "revision">;

type Way = "undo" | "redo";
type Turning = components["schemas"]["Turning"];

/** An edit under way: how it is sent, and what it will do. */
type Edit = Pending & { send: (of: Sent) => Promise<ReelView> };

/** A reel with the edits of this page that are still under way laid over it. */
export function useReelAtHand(reel: string) {
  const known = useReel(reel);
  const pending = useMutationState({
    filters: { mutationKey: [editsOf(reel)], status: "pending" },
    select: (m) => m.state.variables as Pending,
  });
  const view = useMemo(() => known.data && pending.reduce(laidOver, known.data), [known.data, pending]);
  return { known, view };
}

/** Everything that changes a reel. Calls wait for each other, so that each goes out with the newest revision. */
export function useReelEdits(reel: string) {
  const queries = useQueryClient();
  const key = keysOf.reel(reel);
  const edit = useMutation({
    mutationKey: [editsOf(reel)],
    scope: { id: editsOf(reel) },
    mutationFn: async ({ send }: Edit) => {
      const revision = queries.getQueryData<ReelView>(key)?.revision ?? -1;
      const now = await once((key) =>
        send({ revision, params: { path: { reel }, query: { since: revision }, header: { "Idempotency-Key": key } } }),
      );
      const whole = merged(queries.getQueryData<ReelView>(key), now);
      if (!whole) await queries.invalidateQueries({ queryKey: key });
      else queries.setQueryData(key, whole);
      return whole ?? now;
    },
    onError: (error) => {
      if (error instanceof Problem && ["unties", "loses", "met"].includes(error.kind)) return; // whoever asked for it asks the user
      tellError(error);
      void queries.invalidateQueries({ queryKey: key }); // it may have been refused for what this page has not seen
    },
  });
  const quiet = () => undefined;
  // Turns go in line with the edits: who presses before an edit is answered means that edit.
  const turn = (way: Way, how: Turning = {}): Promise<ReelView | void> =>
    edit
      .mutateAsync({
        send: async ({ params }) => {
          const now = queries.getQueryData<ReelView>(key);
          if (now && !now[way] && !how.step) return now;
          const about = { params, body: how };
          return way === "undo" ? ok(api.POST("/reels/{reel}/undo", about)) : ok(api.POST("/reels/{reel}/redo", about));
        },
      })
      .catch((error: unknown) => {
        if (!(error instanceof Problem) || error.kind !== "met") return;
        const { step, at } = error.met;
        useMet.setState({ asked: { way, at, why: error.message, again: (answer) => void turn(way, { step, ...answer }) } });
      });
  /** The reel as it is shown: with what is under way laid over it. */
  const shown = () =>
    queries
      .getMutationCache()
      .findAll({ mutationKey: [editsOf(reel)], status: "pending" })
      .reduce((view, m) => view && laidOver(view, m.state.variables as Pending), queries.getQueryData<ReelView>(key));
  const attempt = (c: Command) => {
    const view = shown();
    return edit.mutateAsync({
      command: c,
      clips: view && clipsAfter(view, c),
      send: ({ revision, params }) => ok(api.POST("/reels/{reel}/commands", { params, body: { revision, ...c } })),
    });
  };
  return {
    /** Throws the problem where it was refused: what a command asks about is asked by useConsent, through which all of them go. */
    attempt,
    /** Ties rows to outputs, or to whole groups where their IDs are given. */
    tie: (at: Crossing[]) =>
      edit
        .mutateAsync({ ties: at, send: ({ revision, params }) => ok(api.POST("/reels/{reel}/ties", { params, body: { revision, at } })) })
        .catch(quiet),
    /** Throws the problem where routes would be lost and nobody has said yes. */
    spec: (spec: string, yes: boolean) =>
      edit.mutateAsync({ send: ({ revision, params }) => ok(api.POST("/reels/{reel}/spec", { params, body: { revision, spec, yes } })) }),
    /** Makes the reel as a pattern, or another reel, has it. Throws the problem where something would be lost. */
    pattern: (of: PatternApplied) =>
      edit.mutateAsync({
        send: ({ revision, params }) => ok(api.POST("/reels/{reel}/pattern/apply", { params, body: { ...of, revision } })),
      }),
    /** Has the reel follow a cut list that was read at a revision. */
    cutList: (name: string, text: string, read: number) =>
      edit
        .mutateAsync({ send: ({ params }) => ok(api.POST("/reels/{reel}/cutlist", { params, body: { revision: read, name, text } })) })
        .catch(quiet),
    undo: (how?: Turning) => turn("undo", how),
    redo: (how?: Turning) => turn("redo", how),
  };
}

export const useSteps = (reel: string, revision: number, shown: boolean) =>
  useQuery({
    queryKey: ["steps", reel, revision],
    enabled: shown,
    queryFn: () => ok(api.GET("/reels/{reel}/history", { params: { path: { reel } } })),
  });
