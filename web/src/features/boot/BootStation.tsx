import { useState } from "react";
import { Link } from "react-router";
import { answer, GET, POST, type Severity, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { STATION_TITLES, stationPath } from "../../lib/stations";
import { duration } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { Select } from "../../ui/Select";
import { StationFrame } from "../../ui/StationFrame";
import { TimeBand } from "../../ui/TimeBand";
import { Time } from "../../ui/Time";
import { Causes } from "./Causes";

type BootAnswer = Shapes["BootOut"];

export function BootStation({ id }: { id: number }) {
  const key = ["deployment", id, "boot"];
  const path = { params: { path: { pk: id } } };
  const { data, error, dataUpdatedAt } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/boot", path)));
  const on = useChange(key, (ago_s: number) => answer(POST("/api/deployments/{pk}/boot/power-on", { ...path, body: { ago_s } })));
  const off = useChange(key, () => answer(POST("/api/deployments/{pk}/boot/power-off", path)));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the clock" />;
  const powered = data.powered;
  const joined = data.joined_after_s !== null;
  const late = data.causes.length > 0;
  const failedAt = powered || joined ? undefined : data.causes[0];
  return (
    <StationFrame
      deployment={data.deployment}
      station="boot"
      main={
        joined ? (
          <>
            {powered && <Button onClick={() => off.mutate(undefined)}>{data.by_hand ? "I switched it off" : "Power off"}</Button>}
            <ButtonLink main to={stationPath(id, "find")}>
              Go on to Find
            </ButtonLink>
          </>
        ) : powered ? (
          <Button {...(late ? { go: true } : {})} onClick={() => off.mutate(undefined)}>
            {data.by_hand ? "I switched it off" : "Power off, card back in the reader"}
          </Button>
        ) : (
          <>
            {failedAt && (
              <ButtonLink main to={stationPath(id, failedAt.action.station)}>
                {failedAt.action.label}
              </ButtonLink>
            )}
            <PowerOn data={data} pending={on.isPending} main={!failedAt} onPower={(ago) => on.mutate(ago)} />
          </>
        )
      }
      waits={!powered && !joined && !data.ready ? data.not_ready_because : undefined}
    >
      <Trouble error={on.error ?? off.error} />
      {data.finding && data.band && (
        <section className="rounded-xl border border-rule bg-sheet px-4.5 py-3.5">
          <header className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
            <div className="flex items-center gap-3">
              <Mark name={powered && !joined && !late ? "run" : (data.finding.severity as Severity)} size={21} />
              <h2 className="text-[1.27rem]">{data.finding.title}</h2>
            </div>
            <span className="text-ink-2">{data.finding.detail}</span>
          </header>
          <TimeBand band={data.band} since={dataUpdatedAt} joinedAfterS={data.joined_after_s} stopped={!powered} />
          {data.finding.fix && <p className="mt-1 text-[0.95rem]">{data.finding.fix}</p>}
        </section>
      )}
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1fr)_330px]">
        {late ? <Causes causes={data.causes} id={id} /> : <Assembly data={data} powered={powered} />}
        <div className="flex min-w-0 flex-col gap-3.5">
          <Seen data={data} />
          <Runs runs={data.runs} />
        </div>
      </div>
    </StationFrame>
  );
}

function Assembly({ data, powered }: { data: BootAnswer; powered: boolean }) {
  return (
    <Sheet title="In this order" hint={data.by_hand ? "you do it; saying so starts the clock" : "on this bench, Power on does it"}>
      {data.steps.length === 0 && <p className="text-ink-2">Choose a board under Plan first.</p>}
      <ol className="flex flex-col">
        {data.steps.map((s, i) => (
          <li key={s.title} className="flex gap-3 border-t border-rule-2 py-2 first:border-0">
            <span className={`flex h-6 w-6 flex-none items-center justify-center rounded-md font-mono text-[0.9rem] font-bold ${powered ? "bg-mint-2 text-mint-ink" : "bg-rule-2 text-ink-2"}`}>{i + 1}</span>
            <div>
              <b>{s.title}</b>
              <div className="text-[0.93rem] text-ink-2">{s.why}</div>
            </div>
          </li>
        ))}
      </ol>
      {!powered && data.ready && data.before_looked_at && (
        <p className="mt-2 text-[0.93rem] text-ink-2">
          Who is on the network already was looked at <Time at={data.before_looked_at} />; what comes after power-on counts as new.
        </p>
      )}
      {!powered && !data.ready && (
        <p className="mt-2 text-stop">
          {data.not_ready_because}. {data.not_ready_fix}{" "}
          {!["", "boot"].includes(data.not_ready_station) && (
            <Link className="underline" to={stationPath(data.deployment.id, data.not_ready_station)}>
              Go to {STATION_TITLES[data.not_ready_station]}
            </Link>
          )}
        </p>
      )}
    </Sheet>
  );
}

function Seen({ data }: { data: BootAnswer }) {
  return (
    <Sheet title="Seen so far">
      {data.events.length === 0 ? (
        <p className="text-[0.95rem] text-ink-2">Nothing yet. The clock starts with the power.</p>
      ) : (
        <ul className="text-[0.93rem]">
          {data.events.map((e) => (
            <li key={e.id} className="flex gap-3 border-t border-rule-2 py-1.5 first:border-0">
              <span className="flex-none font-mono text-ink-3"><Time at={e.at} /></span>
              <span className="min-w-0 break-words">{e.text}</span>
            </li>
          ))}
        </ul>
      )}
      {data.late_at && data.powered && data.joined_after_s === null && !data.causes.length && (
        <p className="mt-2 text-[0.93rem]">
          <Tag tone="wait">
            Give it until <span className="font-mono"><Time at={data.late_at} /></span>
          </Tag>
        </p>
      )}
    </Sheet>
  );
}

const AGO = [
  ["now", 0],
  ["a minute ago", 60],
  ["2 minutes ago", 120],
  ["5 minutes ago", 300],
  ["10 minutes ago", 600],
] as const;

/** Where the bench plays its boards one button; where people do it by hand, they say when they did. */
function PowerOn({ data, pending, main, onPower }: { data: BootAnswer; pending: boolean; main: boolean; onPower: (agoS: number) => void }) {
  const [ago, setAgo] = useState(0);
  const again = data.runs.length > 0;
  if (!data.by_hand) {
    return (
      <Button go={main} disabled={!data.ready || pending} onClick={() => onPower(0)}>
        {again && !main ? "Power on again" : "Power on"}
      </Button>
    );
  }
  return (
    <span className="flex items-center gap-2">
      <Button go={main} disabled={!data.ready || pending} onClick={() => onPower(ago)}>
        I powered it
      </Button>
      <Select label="When it was powered" value={String(ago)} options={AGO.map(([words, seconds]) => [String(seconds), words])} onPick={(next) => setAgo(Number(next))} />
    </span>
  );
}


function howItWent(run: BootAnswer["runs"][number]): string {
  const off = run.lasted_s === null ? "" : `off after ${duration(run.lasted_s)}`;
  if (run.joined_after_s !== null) return [`joined after ${duration(run.joined_after_s)}`, off].filter(Boolean).join(", ");
  return off ? `never joined, ${off}` : "running";
}

function Runs({ runs }: { runs: BootAnswer["runs"] }) {
  if (!runs.length) return null;
  return (
    <Sheet title="Every boot so far">
      <ul className="text-[0.93rem]">
        {runs.map((r) => (
          <li key={r.number} className="flex flex-wrap gap-x-3 border-t border-rule-2 py-1.5 first:border-0">
            <b>Run {r.number}</b>
            <span className="font-mono text-ink-3"><Time at={r.powered_at} day /></span>
            <span className="text-ink-2">
              {howItWent(r)}
              {r.by_hand ? "; by hand" : ""}
              {r.board && `; ${r.board}`}
            </span>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}
