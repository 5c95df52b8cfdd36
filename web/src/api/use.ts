// Queries and changes. Everything that changes a deployment runs in a row, so a save is done before what follows it.
import { hashKey, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import type { Problem } from "./client";
import { isLive } from "./live";

const ASKED_ANYWAY_MS = 30_000;
const NOT_TOLD_MS = 4000;

/** What the server says now. It tells when that changes; while it does not, it is asked every few seconds. */
export function useAnswer<T>(key: readonly unknown[], ask: () => Promise<T>) {
  return useQuery<T, Problem>({
    queryKey: key,
    queryFn: ask,
    refetchInterval: () => (isLive() ? ASKED_ANYWAY_MS : NOT_TOLD_MS),
  });
}

/** An answer that is asked for once there is something to ask; a change of the same key asks again. */
export function useWanted<T>(key: readonly unknown[], wanted: boolean, ask: () => Promise<T>) {
  return useQuery<T, Problem>({ queryKey: key, queryFn: ask, enabled: wanted });
}

/** A list that stays as it is while the page is open. */
export function useLasting<T>(key: readonly unknown[], ask: () => Promise<T>) {
  return useQuery<T, Problem>({ queryKey: key, queryFn: ask, staleTime: Infinity });
}

/** A change that answers with the fresh state of `key`. `guess` shows it at once; the answer then puts it right. */
export function useChange<In, Out>(key: readonly unknown[], change: (value: In) => Promise<Out>, guess?: (old: Out, value: In) => Out) {
  const queries = useQueryClient();
  return useMutation<Out, Problem, In>({
    mutationFn: change,
    scope: { id: key.slice(0, 2).join("/") },
    onMutate: async (value) => {
      if (!guess || queries.getQueryData(key) === undefined) return;
      // What was asked before the change would put back, for a moment, how things were.
      await queries.cancelQueries({ queryKey: key, exact: true });
      queries.setQueryData<Out>(key, (old) => (old === undefined ? old : guess(old, value)));
    },
    onError: () => void queries.invalidateQueries({ queryKey: key }),
    onSuccess: (fresh) => {
      queries.setQueryData(key, fresh);
      void queries.invalidateQueries({ queryKey: key.slice(0, 2), predicate: (q) => hashKey(q.queryKey) !== hashKey(key) });
      void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["place"] });
    },
  });
}

/** A change that makes something new. Pressed twice it makes one: until it failed, a second press is the first one's echo. */
export function useMaking<In, Out>(key: readonly unknown[], make: (value: In) => Promise<Out>) {
  const change = useChange(key, make);
  const under = useRef<Promise<Out> | null>(null);
  const once = (value: In) => {
    under.current ??= change.mutateAsync(value).catch((error: unknown) => {
      under.current = null;
      throw error;
    });
    return under.current;
  };
  return { once, error: change.error, isPending: change.isPending };
}

/** Ask for one thing once; the answer is handed over and kept nowhere. */
export function useOnce<In, Out>(ask: (value: In) => Promise<Out>) {
  return useMutation<Out, Problem, In>({ mutationFn: ask, gcTime: 0 });
}
