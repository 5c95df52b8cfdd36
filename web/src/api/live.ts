// What changed is told by the server; what it is now is asked again. One stream a visible window.
import { hashKey, type Query, type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";

const GATHER_MS = 250;
/** Kept for as long as the page is open: lists that do not change, and who is there. */
const LASTING = new Set(["choices", "recipes", "session"]);

let connected = false;
const watchers = new Set<() => void>();

function setConnected(next: boolean): void {
  if (next === connected) return;
  connected = next;
  watchers.forEach((tell) => tell());
}

/** Whether the server tells what changes. */
export const isLive = () => connected;

export function useIsLive(): boolean {
  return useSyncExternalStore(
    (tell) => {
      watchers.add(tell);
      return () => watchers.delete(tell);
    },
    () => connected,
  );
}

/** Whether a change of `topic` may show in what `key` holds. */
function touches(topic: string, key: readonly unknown[]): boolean {
  const [what, id, station] = key;
  if (LASTING.has(String(what))) return false;
  if (topic === "everything") return true;
  if (topic === "images") return ["images", "image", "bench", "place"].includes(String(what)) || station === "image";
  if (topic === "drives") return what === "bench" || what === "drives" || what === "cards" || station === "card" || station === "boot";
  if (topic === "taken") return station === "plan" || what === "shelf";
  if (topic === "network") return station === "boot" || station === "find";
  const [kind, number] = topic.split("/");
  if (kind === "card-files") return what === "card-files" && String(id) === number;
  if (kind !== "deployment") return false;
  return what === "deployment" ? String(id) === number : ["bench", "deployments", "place", "log", "shelf", "taken-off", "site", "sites"].includes(String(what));
}

function askAgain(queries: QueryClient, topics: ReadonlySet<string>): void {
  const stale = (query: Query) => [...topics].some((topic) => touches(topic, query.queryKey));
  void queries.invalidateQueries({ predicate: stale });
}

/** Listen while the window is visible. A hidden one holds no connection; it asks for everything when it is shown again. */
export function useLive(): void {
  const queries = useQueryClient();
  useEffect(() => {
    let source: EventSource | null = null;
    let timer = 0;
    const waiting = new Set<string>();
    const flush = () => {
      timer = 0;
      askAgain(queries, waiting);
      waiting.clear();
    };
    const listen = () => {
      if (source || document.hidden) return;
      source = new EventSource("/api/changes");
      source.onmessage = (event: MessageEvent<string>) => {
        setConnected(true);
        (JSON.parse(event.data) as string[]).forEach((topic) => waiting.add(topic));
        timer ||= window.setTimeout(flush, GATHER_MS);
      };
      source.onerror = () => {
        setConnected(false);
        // A refusal ends it for good, a broken connection is tried again by the browser.
        if (source?.readyState === EventSource.CLOSED) {
          source = null;
          window.setTimeout(listen, 3000);
        }
      };
    };
    const turn = () => {
      if (document.hidden) {
        source?.close();
        source = null;
      } else listen();
    };
    listen();
    document.addEventListener("visibilitychange", turn);
    return () => {
      document.removeEventListener("visibilitychange", turn);
      window.clearTimeout(timer);
      source?.close();
      setConnected(false);
    };
  }, [queries]);
}

/** The first screen that could not be asked again, and since when what it shows is old. */
export function useStale(): { message: string; since: number } | null {
  const cache = useQueryClient().getQueryCache();
  const found = () => {
    const bad = cache.getAll().find((q) => q.isActive() && q.state.error && q.state.data !== undefined);
    return bad ? `${hashKey(bad.queryKey)}\n${bad.state.dataUpdatedAt}\n${bad.state.error?.message ?? ""}` : "";
  };
  const text = useSyncExternalStore((tell) => cache.subscribe(tell), found);
  if (!text) return null;
  const [, since = "0", ...message] = text.split("\n");
  return { message: message.join(" "), since: Number(since) };
}
