import { answer, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Cautions } from "../../ui/Cautions";
import { Mark, type MarkName } from "../../ui/Mark";
import { Button, ButtonLink, Key, Mono, OutsideLink, Sheet, Trouble, Waiting } from "../../ui/parts";
import { StationFrame } from "../../ui/StationFrame";

type Step = Shapes["StepResult"];

const MARKS: Record<Step["state"], MarkName> = { done: "ok", open: "todo", failed: "stop" };

export function SetupStation({ id }: { id: number }) {
  const key = ["deployment", id, "setup"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/setup", path)));
  const check = useChange(key, (step: string) => answer(POST("/api/deployments/{pk}/setup/check", { ...path, body: { step } })));
  const tick = useChange(key, (body: Shapes["TickIn"]) => answer(POST("/api/deployments/{pk}/setup/tick", { ...path, body })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the steps" />;
  const next = data.steps.find((s) => s.state !== "done");
  const busy = check.isPending || tick.isPending;
  const act = (s: Step) => (s.step.check === "by-eye" ? tick.mutate({ step: s.step.id, done: true }) : check.mutate(s.step.id));
  return (
    <StationFrame
      deployment={data.deployment}
      station="setup"
      main={
        !data.url ? (
          <ButtonLink main to={stationPath(id, "find")}>
            Find it first
          </ButtonLink>
        ) : !next ? (
          <ButtonLink main to={stationPath(id, "keep")}>
            Go on to Keep
          </ButtonLink>
        ) : (
          <OutsideLink href={data.url} data-open>
            Open its page <Key>O</Key>
          </OutsideLink>
        )
      }
    >
      <Trouble error={check.error ?? tick.error} />
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1fr)_300px]">
        <Sheet title="First steps" hint="measured where that is possible, at the page itself">
          <ol>
            {data.steps.map((s) => (
              <li key={s.step.id} className="flex gap-3 border-t border-rule-2 py-3 first:border-0">
                <span className="pt-0.5">
                  <Mark name={s === next && s.state === "open" ? "now" : MARKS[s.state]} size={21} />
                </span>
                <div className="min-w-0 flex-1">
                  <h3 className="text-[1.05rem]">{s.step.title}</h3>
                  <p className="text-[0.95rem]">{s.step.do}</p>
                  <p className="text-[0.95rem] text-ink-2">You should see: {s.step.see}</p>
                  {s.step.reading && <p className="text-[0.95rem] text-ink-2">Read it off: {expected(s.step.reading)}.</p>}
                  {s.finding && (
                    <p className={`mt-1 text-[0.95rem] ${s.state === "failed" ? "text-stop" : "text-mint-ink"}`}>
                      <b>{s.finding.title}.</b> {s.finding.detail} {s.finding.fix}
                    </p>
                  )}
                  <div className="mt-2 flex flex-wrap gap-2">
                    {s.step.check === "by-eye" ? (
                      s.state === "done" ? (
                        <Button small onClick={() => tick.mutate({ step: s.step.id, done: false })}>
                          Not done after all
                        </Button>
                      ) : (
                        <Button small {...(s === next && data.url ? { main: true } : {})} disabled={busy || !data.url} onClick={() => act(s)}>
                          I saw it
                        </Button>
                      )
                    ) : (
                      <Button small {...(s === next && data.url ? { main: true } : {})} disabled={busy || !data.url} onClick={() => act(s)}>
                        {check.isPending && check.variables === s.step.id ? "Asking its page…" : s.state === "open" ? "Check it" : "Check again"}
                      </Button>
                    )}
                  </div>
                </div>
              </li>
            ))}
          </ol>
        </Sheet>
        <aside className="flex flex-col gap-3">
          {data.url && (
            <Sheet title="Its page">
              <Mono className="break-all">{data.url}</Mono>
            </Sheet>
          )}
          {data.content.length > 0 && (
            <Sheet title="Your own files">
              {data.content.map((c) => (
                <p key={c.path} className="border-t border-rule-2 py-1.5 text-[0.95rem] first:border-0">
                  <span className="font-mono">{c.path}</span> {c.what}
                  {c.notes.map((note) => (
                    <span key={note} className="block text-ink-2">
                      {note}
                    </span>
                  ))}
                </p>
              ))}
            </Sheet>
          )}
          <Cautions texts={data.cautions} />
        </aside>
      </div>
    </StationFrame>
  );
}

/** What a value that is read off should be. */
function expected(reading: NonNullable<Shapes["SetupStep"]["reading"]>) {
  const { at_least: least, at_most: most, unit } = reading;
  if (least != null && most != null) return `${least} to ${most} ${unit}`;
  return least != null ? `at least ${least} ${unit}` : most != null ? `at most ${most} ${unit}` : unit;
}
