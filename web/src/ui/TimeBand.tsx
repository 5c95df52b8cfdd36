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

export function TimeBand({ band, since, joinedAfterS = null, slim, stopped }: Props) {
  const joined = joinedAfterS !== null;
  const elapsed = useElapsed(band.elapsed_s, band.pace, since, !joined && !stopped);
  const at = joined ? joinedAfterS : elapsed;
  const end = at > band.late_after_s * 0.8 ? Math.max(band.hopeless_after_s, at * 1.05) : band.late_after_s * 1.4;
  const left = (seconds: number) => `${Math.min(100, (seconds / end) * 100)}%`;
  const span = (from: number, to: number) => ({ left: left(from), width: `${(Math.max(0, Math.min(to, end) - from) / end) * 100}%` });
  const late = !joined && at >= band.late_after_s;
  return (
    <figure aria-label={`${clock(at)} since power-on; usual ${clock(band.usual_from_s)} to ${clock(band.usual_to_s)}; late after ${clock(band.late_after_s)}`}>
      <div className={`relative ${slim ? "h-2.5" : "h-3.5"} mt-6 rounded-full bg-rule-2`}>
        {!late && <i className="absolute inset-y-0 bg-mint-2" style={span(band.usual_from_s, band.usual_to_s)} />}
        <i className={`absolute inset-y-0 left-0 rounded-l-full ${late ? "bg-ink-3" : "bg-mint"} opacity-90`} style={{ width: left(Math.min(at, late ? band.late_after_s : at)) }} />
        {late && <i className="absolute inset-y-0 bg-mint-2" style={span(band.usual_from_s, band.usual_to_s)} />}
        {late && <i className="absolute inset-y-0 bg-amber-bright" style={span(band.late_after_s, at)} />}
        <i className="absolute -inset-y-1.5 w-0.5 bg-amber" style={{ left: left(band.late_after_s) }} />
        <i className="absolute -top-2 h-7 w-[2.5px] bg-ink" style={{ left: left(at), height: slim ? "1.5rem" : "1.9rem" }} />
        <b
          className={`absolute -top-6 text-[0.87rem] whitespace-nowrap ${at / end > 0.75 ? "-translate-x-full pr-1" : "pl-1"}`}
          style={{ left: left(at) }}
        >
          {joined ? "joined" : stopped ? "off at" : "now"} <span className="font-mono">{clock(at)}</span>
        </b>
      </div>
      <figcaption className={`relative mt-2 h-5 text-[0.82rem] text-ink-2 ${slim ? "" : "max-md:flex max-md:h-auto max-md:flex-wrap max-md:gap-x-4"}`}>
        {!slim && <span className="absolute left-0 max-md:hidden">power on</span>}
        <span className={`absolute whitespace-nowrap ${slim ? "" : "max-md:static"}`} style={{ left: left(band.usual_from_s) }}>
          {slim ? "usual" : `usual ${clock(band.usual_from_s)} to ${clock(band.usual_to_s)}`}
        </span>
        <span className={`absolute whitespace-nowrap text-amber ${slim ? "" : "max-md:static max-md:!translate-x-0"} ${band.late_after_s / end > 0.7 ? "-translate-x-full" : ""}`} style={{ left: left(band.late_after_s) }}>
          late after {clock(band.late_after_s)}
        </span>
        {!slim && end === band.hopeless_after_s && <span className="absolute right-0 max-md:hidden">hopeless after {clock(band.hopeless_after_s)}</span>}
      </figcaption>
    </figure>
  );
}
