// Moments as the clock at the site shows them, wherever the browser is.
import { createContext, useContext } from "react";

const ZoneContext = createContext("UTC");

/** The time zone of the site whose things are shown inside. */
export const ZoneOfSite = ZoneContext.Provider;

interface Props {
  /** ISO timestamp. */
  at: string;
  /** With the day also when it is today: `25 Nov 14:16:02`. Another day is always said, another year too. */
  day?: boolean;
}

export function Time({ at, day }: Props) {
  return <time dateTime={at}>{useMoment(at, day)}</time>;
}

/** A moment in words, `14:16:02`, with its date where that is not today at the site. */
export function useMoment(at: string | number, day = false): string {
  const timeZone = useContext(ZoneContext);
  const moment = new Date(at);
  const date = (of: Date, year: boolean) => of.toLocaleDateString("en-GB", { day: "numeric", month: "short", ...(year ? { year: "numeric" } : {}), timeZone });
  const now = new Date();
  const clock = moment.toLocaleTimeString("en-GB", { timeZone });
  if (!day && date(moment, true) === date(now, true)) return clock;
  const sameYear = date(moment, true).slice(-4) === date(now, true).slice(-4);
  return `${date(moment, !sameYear)} ${clock}`;
}
