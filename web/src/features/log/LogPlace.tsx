import { useState } from "react";
import { Link } from "react-router";
import { answer, GET } from "../../api/client";
import { useAnswer } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Button, Tag, Trouble, Waiting } from "../../ui/parts";
import { Time } from "../../ui/Time";
import { Keeping } from "./Keeping";

export function LogPlace() {
  const [before, setBefore] = useState<number | undefined>(undefined);
  const { data, error } = useAnswer(["log", before], () => answer(GET("/api/log", { params: { query: before === undefined ? {} : { before } } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the log" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-baseline gap-x-3">
        <h1 className="text-[1.8rem]">Log</h1>
        <span className="text-ink-2">what happened, newest first; lines are never changed</span>
      </header>
      {data.lines.length === 0 && <p className="text-ink-2">Nothing happened yet. Start a deployment on the Bench.</p>}
      <ul className="rounded-xl border border-rule bg-sheet px-4 py-1 empty:hidden">
        {data.lines.map((e) => (
          <li key={e.id} className="grid gap-x-4 gap-y-0.5 border-t border-rule-2 py-2 first:border-0 md:grid-cols-[8.5rem_5rem_12rem_minmax(0,1fr)]">
            <span className="font-mono text-[0.92rem] whitespace-nowrap text-ink-3"><Time at={e.at} day /></span>
            <span>{e.station && <Tag>{e.station}</Tag>}</span>
            <span className="min-w-0 break-words">
              {e.deployment_id !== null ? (
                <Link to={stationPath(e.deployment_id, e.station || "plan")} className="font-[550] hover:underline">
                  {e.deployment_name}
                </Link>
              ) : (
                <span className="text-ink-3">the bench</span>
              )}
            </span>
            <span className="min-w-0 break-words">{e.text}</span>
          </li>
        ))}
      </ul>
      <div className="flex gap-2">
        {before !== undefined && <Button onClick={() => setBefore(undefined)}>Back to the newest</Button>}
        {data.older_before !== null && <Button onClick={() => setBefore(data.older_before ?? undefined)}>Older</Button>}
      </div>
      <Keeping />
    </div>
  );
}
