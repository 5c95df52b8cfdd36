// The line: eight stations with their marks. Eight columns on a desk, one column on a phone.
import { Link } from "react-router";
import type { Deployment } from "../api/client";
import { stationPath } from "../lib/stations";
import { Mark } from "./Mark";

type Props = { deployment: Deployment; open?: string; compact?: boolean };

export function Line({ deployment, open, compact }: Props) {
  const { marks, now } = deployment.line;
  const reached = marks.findIndex((m) => m.station === now);
  return (
    <nav aria-label={`The line of ${deployment.name}`}>
      <ol className={compact ? "grid grid-cols-8" : "flex flex-col md:grid md:grid-cols-8"}>
        {marks.map((m, i) => {
          const past = i < reached || deployment.line.finished;
          const here = m.station === (open ?? now);
          const bar = i <= reached || past ? "before:bg-mint" : "before:bg-rule";
          return (
            <li
              key={m.station}
              className={`relative ${compact ? "" : "max-md:border-0"} ${i === 0 ? "before:hidden" : ""} before:absolute before:top-[0.95rem] before:-left-1/2 before:hidden before:h-[3px] before:w-full ${compact ? "before:!block first:before:!hidden" : "md:before:block md:first:before:hidden"} ${bar}`}
            >
              <Link
                to={stationPath(deployment.id, m.station)}
                aria-current={here ? "step" : undefined}
                className={`relative z-10 flex items-center rounded-lg ${
                  compact
                    ? "flex-col gap-1 py-1 text-[0.85rem]"
                    : "gap-3 px-2 py-1.5 max-md:-mx-2 md:flex-col md:gap-1 md:px-0 md:py-1 md:text-[0.87rem]"
                } ${here ? `font-bold text-ink ${compact ? "" : "max-md:bg-mint-3"}` : past || m.mark !== "todo" ? "text-ink-2" : "text-ink-3"} hover:text-ink`}
              >
                <span className="rounded-full bg-sheet">
                  <Mark name={m.mark} size={21} />
                </span>
                <span className={compact ? "max-sm:hidden" : ""}>{m.title}</span>
                {!compact && <span className="ml-auto text-[0.9rem] font-normal text-ink-2 md:hidden">{m.note}</span>}
              </Link>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}
