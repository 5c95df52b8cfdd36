// Queries and changes. Everything that changes a deployment runs in a row, so a save is done before what follows it.
import { hashKey, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { Problem } from "./client";

/** Ask again every `everyMs` milliseconds while `wanted` says so of the last answer. */
export function useAnswer<T>(key: readonly unknown[], ask: () => Promise<T>, again?: (last: T | undefined) => number | false) {
  return useQuery<T, Problem>({
    queryKey: key,
    queryFn: ask,
    refetchInterval: again ? (query) => again(query.state.data) : false,
  });
}

/** A change that answers with the fresh state of `key`. `guess` shows it at once; the answer then puts it right. */
export function useChange<In, Out>(key: readonly unknown[], change: (value: In) => Promise<Out>, guess?: (old: Out, value: In) => Out) {
  const queries = useQueryClient();
  return useMutation<Out, Problem, In>({
    mutationFn: change,
    scope: { id: key.slice(0, 2).join("/") },
    onMutate: (value) => {
      if (guess) queries.setQueryData<Out>(key, (old) => (old === undefined ? old : guess(old, value)));
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

/** Ask for one thing once; the answer is handed over and kept nowhere. */
export function useOnce<In, Out>(ask: (value: In) => Promise<Out>) {
  return useMutation<Out, Problem, In>({ mutationFn: ask, gcTime: 0 });
}
