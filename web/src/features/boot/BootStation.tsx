import { Link } from "react-router";
import { answer, GET, POST, type Severity, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { timeOf } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { StationFrame } from "../../ui/StationFrame";
import { TimeBand } from "../../ui/TimeBand";
import { Causes } from "./Causes";

type BootAnswer = Shapes["BootOut"];

export function BootStation({ id }: { id: number }) {
  const key = ["deployment", id, "boot"];
  const path = { params: { path: { pk: id } } };
  const { data, error, dataUpdatedAt } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/boot", path)), (last) => (last?.powered_at && last.joined_after_s === null ? 700 : 4000));
  const on = useChange(key, () => answer(POST("/api/deployments/{pk}/boot/power-on", path)));
  const off = useChange(key, () => answer(POST("/api/deployments/{pk}/boot/power-off", path)));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the clock" />;
  const powered = data.powered_at !== null;
  const joined = data.joined_after_s !== null;
  const late = data.causes.length > 0;
  return (
    <StationFrame
      deployment={data.deployment}
      station="boot"
      main={
        joined ? (
          <>
            <Button onClick={() => off.mutate(undefined)}>Power off</Button>
            <ButtonLink main to={stationPath(id, "find")}>
              Go on to Find
            </ButtonLink>
          </>
        ) : powered ? (
          <Button {...(late ? { main: true } : {})} onClick={() => off.mutate(undefined)}>
            Power off, card back in the reader
          </Button>
        ) : (
          <Button main disabled={!data.ready || on.isPending} onClick={() => on.mutate(undefined)}>
            Power on
          </Button>
        )
      }
    >
      <Trouble error={error ?? on.error ?? off.error} />
      {data.finding && data.band && (
        <section className="rounded-xl border border-rule bg-sheet px-4.5 py-3.5">
          <header className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
            <div className="flex items-center gap-3">
              <Mark name={powered && !joined && !late ? "run" : (data.finding.severity as Severity)} size={21} />
              <h2 className="text-[1.27rem]">{data.finding.title}</h2>
            </div>
            <span className="text-ink-2">{data.finding.detail}</span>
          </header>
          <TimeBand band={data.band} since={dataUpdatedAt} joinedAfterS={data.joined_after_s} />
          {data.finding.fix && <p className="mt-1 text-[0.95rem]">{data.finding.fix}</p>}
        </section>
      )}
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1fr)_330px]">
        {late ? <Causes causes={data.causes} id={id} /> : <Assembly data={data} powered={powered} />}
        <Seen data={data} />
      </div>
    </StationFrame>
  );
}

function Assembly({ data, powered }: { data: BootAnswer; powered: boolean }) {
  return (
    <Sheet title="In this order" hint={data.by_hand ? "you do it, then press Power on to start the clock" : "on the stand-in bench, Power on does it"}>
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
      {!powered && !data.ready && (
        <p className="mt-2 text-stop">
          {data.not_ready_because}.{" "}
          <Link className="underline" to={stationPath(data.deployment.id, data.deployment.line.now)}>
            Go to where it needs you
          </Link>
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
              <span className="flex-none font-mono text-ink-3">{timeOf(e.at)}</span>
              <span className="min-w-0 break-words">{e.text}</span>
            </li>
          ))}
        </ul>
      )}
      {data.late_at && data.joined_after_s === null && !data.causes.length && (
        <p className="mt-2 text-[0.93rem]">
          <Tag tone="wait">
            Give it until <span className="font-mono">{timeOf(data.late_at)}</span>
          </Tag>
        </p>
      )}
    </Sheet>
  );
}
