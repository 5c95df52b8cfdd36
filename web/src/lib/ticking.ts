import { useEffect, useState } from "react";

/** Seconds of a boot now: what the server said, moved on at the bench's pace since `since` (ms). Stops with `run` false. */
export function useElapsed(elapsedS: number, pace: number, since: number, run: boolean): number {
  const [now, setNow] = useState(since);
  useEffect(() => {
    if (!run) return;
    const timer = window.setInterval(() => setNow(Date.now()), 250);
    return () => window.clearInterval(timer);
  }, [run]);
  return run ? elapsedS + (Math.max(0, now - since) / 1000) * pace : elapsedS;
}
