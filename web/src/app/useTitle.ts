// The window's title says which place it shows, and the reading goes on there after a change of place.
import { type RefObject, useEffect, useRef } from "react";
import { useLocation } from "react-router";
import { STATION_TITLES } from "../lib/stations";

const NAME = "Mint Seed";

export function useTitle(work: RefObject<HTMLElement | null>): void {
  const { pathname } = useLocation();
  const first = useRef(true);
  useEffect(() => {
    const main = work.current;
    if (!main) return;
    const station = STATION_TITLES[pathname.split("/")[3] ?? ""];
    const follow = () => {
      const heading = main.querySelector("h1")?.textContent.trim();
      document.title = [heading, station, NAME].filter(Boolean).join(" · ");
    };
    follow();
    // The heading comes with its data, and a name may be changed.
    const watcher = new MutationObserver(follow);
    watcher.observe(main, { childList: true, subtree: true, characterData: true });
    return () => watcher.disconnect();
  }, [pathname, work]);
  useEffect(() => {
    if (first.current) {
      first.current = false;
      return;
    }
    // What was pressed is gone with its place: the next Tab begins where the work is, not at the top of everything.
    const timer = setTimeout(() => {
      if (document.activeElement === document.body) work.current?.focus({ preventScroll: true });
    }, 50);
    return () => clearTimeout(timer);
  }, [pathname, work]);
}
