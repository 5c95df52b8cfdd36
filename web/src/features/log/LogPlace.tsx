// The log: what happened, newest first, as a story; narrowed to a device, a station, a day, a word.
import { useState } from "react";
import { Link } from "react-router";
import { answer, GET, type Shapes } from "../../api/client";
import { useAnswer } from "../../api/use";
import { useRested } from "../../lib/rested";
import { stationPath } from "../../lib/stations";
import { INPUT } from "../../ui/FormRow";
import { Button, Tag, Trouble, Waiting } from "../../ui/parts";
import { Select } from "../../ui/Select";
import { Time } from "../../ui/Time";
import { Keeping } from "./Keeping";

type Line = Shapes["LogLineOut"];

const ANY = "any";
const NARROW = { device: ANY, station: ANY, day: "", words: "" };

export function LogPlace() {
  const [narrow, setNarrow] = useState(NARROW);
  const [before, setBefore] = useState<number | undefined>(undefined);
  const words = useRested(narrow.words.trim());
  const query = {
    ...(before === undefined ? {} : { before }),
    ...(narrow.device === ANY ? {} : { deployment: Number(narrow.device) }),
    ...(narrow.station === ANY ? {} : { station: narrow.station }),
    ...(narrow.day ? { day: narrow.day } : {}),
    ...(words ? { words } : {}),
  };
  const { data, error } = useAnswer(["log", query], () => answer(GET("/api/log", { params: { query } })));
  const only = (change: Partial<typeof NARROW>) => {
    setNarrow({ ...narrow, ...change });
    setBefore(undefined);
  };
  const devices = (data?.devices ?? []).map((d) => [String(d.id), d.name] as const);
  const named = narrow.device === ANY || devices.some(([id]) => id === narrow.device) ? devices : [...devices, [narrow.device, "that device"] as const];
  const narrowed = Object.keys(query).some((name) => name !== "before");
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-baseline gap-x-3">
        <h1 className="text-[1.8rem]">Log</h1>
        <span className="text-ink-2">what happened, newest first; lines are never changed</span>
      </header>
      <div role="search" aria-label="Narrow the log" className="grid grid-cols-2 gap-2 sm:grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1.4fr)_auto]">
        <Select label="Device" value={narrow.device} options={[[ANY, "every device"], ...named]} onPick={(device) => only({ device })} />
        <Select label="Station" value={narrow.station} options={[[ANY, "every station"], ...(data?.stations ?? []).map((s) => [s, s] as const)]} onPick={(station) => only({ station })} />
        <input type="date" aria-label="Day" className={INPUT} value={narrow.day} onChange={(e) => only({ day: e.target.value })} />
        <input type="search" aria-label="Words" placeholder="Words in a line" className={`${INPUT} placeholder:text-ink-3`} value={narrow.words} maxLength={80} onChange={(e) => only({ words: e.target.value })} />
        {narrowed && <Button onClick={() => only(NARROW)}>Show all</Button>}
      </div>
      {!data ? error ? <Trouble error={error} /> : <Waiting what="the log" /> : null}
      {data?.told.length === 0 && <p className="text-ink-2">{narrowed ? "Nothing of that kind is on record." : "Nothing happened yet. Start a deployment on the Bench."}</p>}
      <ul className="rounded-xl border border-rule bg-sheet px-4 py-1 empty:hidden">
        {data?.told.map((told) => (
          <li key={told.line.id} className="border-t border-rule-2 py-2 first:border-0">
            <One line={told.line} onOnly={narrow.device === ANY ? (id) => only({ device: String(id) }) : undefined} />
            {told.more.length > 0 && (
              <details className="text-[0.93rem] md:pl-[15.4rem]">
                <summary className="cursor-pointer text-ink-2">and {told.more.length} more of the same</summary>
                <ul>
                  {told.more.map((line) => (
                    <li key={line.id} className="flex flex-wrap gap-x-4 py-0.5">
                      <span className="font-mono whitespace-nowrap text-ink-3"><Time at={line.at} day /></span>
                      <span className="min-w-0 [overflow-wrap:anywhere]">{line.text}</span>
                    </li>
                  ))}
                </ul>
              </details>
            )}
          </li>
        ))}
      </ul>
      <div className="flex gap-2">
        {before !== undefined && <Button onClick={() => setBefore(undefined)}>Back to the newest</Button>}
        {data && data.older_before !== null && <Button onClick={() => setBefore(data.older_before ?? undefined)}>Older</Button>}
      </div>
      <Keeping />
    </div>
  );
}

function One({ line: e, onOnly }: { line: Line; onOnly: ((deployment: number) => void) | undefined }) {
  const id = e.deployment_id;
  return (
    <div className="grid gap-x-4 gap-y-0.5 md:grid-cols-[8.5rem_5rem_12rem_minmax(0,1fr)]">
      <span className="font-mono text-[0.92rem] whitespace-nowrap text-ink-3"><Time at={e.at} day /></span>
      <span>{e.station && <Tag>{e.station}</Tag>}</span>
      <span className="min-w-0 [overflow-wrap:anywhere]">
        {id === null ? (
          <span className="text-ink-3">{e.deployment_name || "the bench"}</span>
        ) : (
          <>
            <Link to={stationPath(id, e.station || "plan")} className="font-[550] hover:underline">
              {e.deployment_name}
            </Link>{" "}
            {onOnly && (
              <button type="button" className="text-[0.85rem] text-mint hover:underline" aria-label={`Only ${e.deployment_name}`} onClick={() => onOnly(id)}>
                only it
              </button>
            )}
          </>
        )}
      </span>
      <span className="min-w-0 [overflow-wrap:anywhere]">
        {e.text}
        {e.who && <span className="text-ink-3"> by {e.who}</span>}
      </span>
    </div>
  );
}
