// The line: eight stations with their marks. Eight columns on a desk; on a phone one row of marks, opened by a tap.
import { ChevronDown } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import type { Deployment } from "../api/client";
import { stationPath } from "../lib/stations";
import { Mark } from "./Mark";

type Props = { deployment: Deployment; open?: string; compact?: boolean };

export function Line({ deployment, open, compact }: Props) {
  return (
    <nav aria-label={`The line of ${deployment.name}`}>
      {compact ? (
        <Columns deployment={deployment} compact />
      ) : (
        <>
          <div className="max-md:hidden">
            <Columns deployment={deployment} {...(open ? { open } : {})} />
          </div>
          <div className="md:hidden">
            <Row deployment={deployment} {...(open ? { open } : {})} />
          </div>
        </>
      )}
    </nav>
  );
}

function Columns({ deployment, open, compact }: Props) {
  const { marks, now, finished } = deployment.line;
  const reached = marks.findIndex((m) => m.station === now);
  return (
    <ol className="grid grid-cols-8">
      {marks.map((m, i) => {
        const past = i < reached || finished;
        const here = m.station === (open ?? now);
        const bar = i <= reached || past ? "before:bg-mint" : "before:bg-rule";
        return (
          <li key={m.station} className={`relative before:absolute before:top-[0.95rem] before:-left-1/2 before:h-[3px] before:w-full first:before:hidden ${bar}`}>
            <Link
              to={stationPath(deployment.id, m.station)}
              aria-current={here ? "step" : undefined}
              className={`relative z-10 flex flex-col items-center gap-1 rounded-lg py-1 text-[0.86rem] ${here ? "font-bold text-ink" : past || m.mark !== "todo" ? "text-ink-2" : "text-ink-3"} hover:text-ink`}
            >
              <span className="rounded-full bg-sheet">
                <Mark name={m.mark} size={21} />
              </span>
              <span className={compact ? "max-sm:sr-only" : ""}>{m.title}</span>
            </Link>
          </li>
        );
      })}
    </ol>
  );
}

function Row({ deployment, open }: Props) {
  const [opened, setOpened] = useState(false);
  const { marks, now } = deployment.line;
  const at = marks.findIndex((m) => m.station === (open ?? now));
  return (
    <>
      <button type="button" aria-expanded={opened} className="flex w-full items-center gap-1.5 py-1 text-left" onClick={() => setOpened(!opened)}>
        <b className="mr-auto truncate">{marks[at]?.title}</b>
        <span aria-hidden className="flex flex-none items-center gap-1">
          {marks.map((m, i) => (
            <span key={m.station} className={i === at ? "rounded-md outline-2 outline-offset-2 outline-ink-3" : ""}>
              <Mark name={m.mark} size={17} />
            </span>
          ))}
        </span>
        <span className="sr-only">, all eight stations</span>
        <ChevronDown size={16} aria-hidden className={`flex-none text-ink-3 ${opened ? "rotate-180" : ""}`} />
      </button>
      {opened && (
        <ol className="border-t border-rule-2 pt-1">
          {marks.map((m, i) => (
            <li key={m.station}>
              <Link
                to={stationPath(deployment.id, m.station)}
                aria-current={i === at ? "step" : undefined}
                onClick={() => setOpened(false)}
                className={`-mx-2 flex items-center gap-3 rounded-lg px-2 py-1.5 ${i === at ? "bg-mint-3 font-bold" : "text-ink-2"}`}
              >
                <Mark name={m.mark} size={21} />
                {m.title}
                <span className="ml-auto text-[0.9rem] font-normal text-ink-2">{m.note}</span>
              </Link>
            </li>
          ))}
        </ol>
      )}
    </>
  );
}
