// Moments as the clock at the site shows them, wherever the browser is.
import { createContext, useContext } from "react";

const ZoneContext = createContext("UTC");

/** The time zone of the site whose things are shown inside. */
export const ZoneOfSite = ZoneContext.Provider;

interface Props {
  /** ISO timestamp. */
  at: string;
  /** With the day, `25 Nov 14:16:02`; without it the clock alone, `14:16:02`. */
  day?: boolean;
}

export function Time({ at, day }: Props) {
  const timeZone = useContext(ZoneContext);
  const moment = new Date(at);
  const clock = moment.toLocaleTimeString("en-GB", { timeZone });
  const date = moment.toLocaleDateString("en-GB", { day: "numeric", month: "short", timeZone });
  return <time dateTime={at}>{day ? `${date} ${clock}` : clock}</time>;
}
