// The time band of a boot: passed, usual, late; to scale.
import type { Shapes } from "../api/client";
import { useElapsed } from "../lib/ticking";
import { clock } from "../lib/words";

type Band = Shapes["BandOut"];

interface Props {
  band: Band;
  since: number;
  joinedAfterS?: number | null;
  slim?: boolean;
  /** The board is off: the band stands still. */
  stopped?: boolean;
}

/** Share of the width up to which the scale is even once a boot lasts far longer than it should. */
const BREAK = 0.8;

export function TimeBand({ band, since, joinedAfterS = null, slim, stopped }: Props) {
  const joined = joinedAfterS !== null;
  const elapsed = useElapsed(band.elapsed_s, band.pace, since, !joined && !stopped);
  const at = joined ? joinedAfterS : elapsed;
  // Hours of waiting would press what is usual into one dot: beyond hopeless the scale is broken, and says so.
  const broken = at > band.hopeless_after_s * 1.02;
  const end = at > band.late_after_s * 0.8 ? band.hopeless_after_s * 1.02 : band.late_after_s * 1.4;
  const share = (seconds: number) =>
    !broken ? Math.min(1, seconds / end) : seconds <= band.hopeless_after_s ? (seconds / band.hopeless_after_s) * BREAK : BREAK + ((seconds - band.hopeless_after_s) / (at - band.hopeless_after_s)) * (1 - BREAK);
  const left = (seconds: number) => `${Math.min(1, share(seconds)) * 100}%`;
  const span = (from: number, to: number) => ({ left: left(from), width: `${Math.max(0, share(to) - share(from)) * 100}%` });
  // In the small picture the two words would stand in one another's way.
  const crowded = share(band.late_after_s) > 0.7 && share(band.usual_from_s) > 0.2;
  const usual = band.assumed ? "assumed" : "usual";
  const late = !joined && at >= band.late_after_s;
  return (
    <figure aria-label={`${clock(at)} since power-on; ${usual} ${clock(band.usual_from_s)} to ${clock(band.usual_to_s)}; late after ${clock(band.late_after_s)}`}>
      <div className={`relative ${slim ? "h-2.5" : "h-3.5"} mt-6 rounded-full bg-rule-2`}>
        {!late && <i className="absolute inset-y-0 bg-mint-2" style={span(band.usual_from_s, band.usual_to_s)} />}
        <i className={`absolute inset-y-0 left-0 rounded-l-full ${late ? "bg-ink-3" : "bg-mint"} opacity-90`} style={{ width: left(Math.min(at, late ? band.late_after_s : at)) }} />
        {late && <i className="absolute inset-y-0 bg-mint-2" style={span(band.usual_from_s, band.usual_to_s)} />}
        {late && <i className="absolute inset-y-0 bg-amber-bright" style={span(band.late_after_s, at)} />}
        {broken && <i className="absolute -inset-y-1 w-1.5 -skew-x-12 border-x-2 border-ink-3 bg-sheet" style={{ left: `${BREAK * 100}%` }} />}
        <i className="absolute -inset-y-1.5 w-0.5 bg-amber" style={{ left: left(band.late_after_s) }} />
        <i className="absolute -top-2 h-7 w-[2.5px] bg-ink" style={{ left: left(at), height: slim ? "1.5rem" : "1.9rem" }} />
        <b
          className={`absolute -top-6 text-[0.87rem] whitespace-nowrap ${share(at) > 0.75 ? "-translate-x-full pr-1" : "pl-1"}`}
          style={{ left: left(at) }}
        >
          {joined ? "joined" : stopped ? "off at" : "now"} <span className="font-mono">{clock(at)}</span>
        </b>
      </div>
      <figcaption className={`relative mt-2 h-5 text-[0.82rem] text-ink-2 ${slim ? "" : "max-md:flex max-md:h-auto max-md:flex-wrap max-md:gap-x-4"}`}>
        {!slim && share(band.usual_from_s) > 0.12 && <span className="absolute left-0 max-md:hidden">power on</span>}
        <span className={`absolute whitespace-nowrap ${slim ? (crowded ? "hidden" : "") : "max-md:static"}`} style={{ left: left(band.usual_from_s) }}>
          {slim ? usual : `${usual} ${clock(band.usual_from_s)} to ${clock(band.usual_to_s)}`}
        </span>
        <span className={`absolute whitespace-nowrap text-amber ${slim ? "" : "max-md:static max-md:!translate-x-0"} ${share(band.late_after_s) > 0.7 ? "-translate-x-full" : ""}`} style={{ left: left(band.late_after_s) }}>
          late after {clock(band.late_after_s)}
        </span>
        {!slim && !band.assumed && at > band.late_after_s * 0.8 && (
          <span className={`absolute whitespace-nowrap max-md:hidden ${broken ? "-translate-x-1/2" : "-translate-x-full"}`} style={{ left: left(band.hopeless_after_s) }}>
            hopeless after {clock(band.hopeless_after_s)}
          </span>
        )}
      </figcaption>
    </figure>
  );
}
