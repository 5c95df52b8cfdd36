import { useState } from "react";
import { answer, GET, POST, type Severity, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { decimalSize, duration } from "../../lib/words";
import { Card, Cards } from "../../ui/Cards";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Facts, Mono, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { StationFrame } from "../../ui/StationFrame";
import { Time } from "../../ui/Time";
import { FilledCopy } from "./FilledCopy";
import { PickAgain } from "./PickAgain";
import { Whose } from "./Whose";
import { WriteProgress } from "./WriteProgress";

type CardAnswer = Shapes["CardOut"];
type Drive = Shapes["DriveOut"];

export function CardStation({ id }: { id: number }) {
  const key = ["deployment", id, "card"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/card", path)));
  const [picked, setPicked] = useState(0);
  const [asking, setAsking] = useState(false);
  const write = useChange(key, (body: Shapes["WriteIn"]) => answer(POST("/api/deployments/{pk}/card/write", { ...path, body })));
  const stop = useChange(key, () => answer(POST("/api/deployments/{pk}/card/stop", path)));
  const pause = useChange(key, (paused: boolean) => answer(POST("/api/deployments/{pk}/card/pause", { ...path, body: { paused } })));
  const fetchBack = useChange(["deployment", id, "boot"], () => answer(POST("/api/deployments/{pk}/boot/power-off", path)));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the drives" />;
  if (!data.wanted) {
    return (
      <StationFrame
        deployment={data.deployment}
        station="card"
        main={
          <ButtonLink main to={stationPath(id, "boot")}>
            Go on to First boot
          </ButtonLink>
        }>
        <Sheet title="A blank card">
          <p>Nothing is written to it first. All that is on it is lost when the board installs its system: take one that holds nothing you need.</p>
        </Sheet>
      </StationFrame>
    );
  }
  const free = data.drives.filter((d) => !d.locked);
  const writing = data.job?.active ?? false;
  const written = writing ? data.writes.find((w) => w.ended_at === null) : undefined;
  // What is being written is what is picked. The card this deployment had before is the likely one; otherwise a single card
  // is the only choice there is.
  const drive = free.find((d) => d.path === written?.drive_path && d.bench_name === written.bench_name) ?? free.find((d) => d.id === picked) ?? free.find((d) => d.whose_deployment_id === id) ?? (free.length === 1 ? free[0] : undefined);
  const proven = data.proven && data.current && !writing;
  return (
    <StationFrame
      deployment={data.deployment}
      station="card"
      main={
        proven ? (
          <ButtonLink main to={stationPath(id, "boot")}>
            Go on to First boot
          </ButtonLink>
        ) : data.in_board ? (
          <Button go onClick={() => fetchBack.mutate(undefined)}>
            {data.by_hand ? "I switched it off" : "Power off, card back in the reader"}
          </Button>
        ) : (
          <Button go disabled={writing || !drive || !data.ready || drive.question_id !== null} onClick={() => setAsking(true)}>
            {writing ? "Writing the card" : "Write the card"}
          </Button>
        )
      }
      waits={proven || data.in_board || writing ? undefined : !data.ready ? data.not_ready_because : drive ? (drive.question_id === null ? undefined : "say whose card it is") : free.length ? "pick the card" : "put a card into a reader"}
    >
      <Trouble error={write.error ?? stop.error ?? pause.error ?? fetchBack.error} />
      {writing && data.job && <WriteProgress job={data.job} whole={written?.tests_whole ?? false} leftInAll={data.left_in_all_s} onStop={() => stop.mutate(undefined)} onPause={(paused) => pause.mutate(paused)} stopping={stop.isPending || stop.isSuccess} />}
      {!writing && data.job?.trouble && (
        <section role="alert" className="flex gap-3 rounded-xl border border-stop bg-sheet px-4 py-3">
          <Mark name="stop" size={22} />
          <div>
            <h2 className="text-[1.1rem]">The card is not written</h2>
            <p className="text-ink-2">{data.job.trouble}</p>
          </div>
        </section>
      )}
      {proven && <Proven data={data} />}
      {!writing && data.questions.map((question) => <Whose key={question.id} id={id} question={question} />)}
      {data.void_why && !writing && !data.proven && (
        <section className="flex gap-3 rounded-xl border border-amber-bright bg-sheet px-4 py-3">
          <Mark name="check" size={22} />
          <p>
            <b>Its card&rsquo;s proof no longer stands.</b> <span className="text-ink-2">{data.void_why}. Write a card again.</span>
          </p>
        </section>
      )}
      {data.proven && !data.current && !writing && (
        <section className="flex gap-3 rounded-xl border border-amber-bright bg-sheet px-4 py-3">
          <Mark name="check" size={22} />
          <p>
            <b>The card is older than the settings.</b> <span className="text-ink-2">What changed since is not on it. Write it again.</span>
          </p>
        </section>
      )}
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)]">
        <Sheet title="Which drive is the card?" hint="cards first; what this machine needs is locked">
          <Drives drives={data.drives} chosen={drive?.id ?? 0} onPick={setPicked} disabled={writing} />
          {data.in_board && <p className="mt-2 text-[0.93rem] text-ink-2">The card of this deployment is in its board.</p>}
        </Sheet>
        <Sheet title="What is written">
          {data.ready ? (
            <>
              <Facts
                rows={[
                  ["Image", <Mono key="i">{data.image_text}</Mono>],
                  ["Filled", "settings are put into the image on the way"],
                  ["Proof", "what was written is read back from the card and compared, and marks all over the room beyond it"],
                ]}
              />
              <FilledCopy id={id} copy={data.copy_of_image} />
            </>
          ) : (
            <p className="text-ink-2">{data.not_ready_because}.</p>
          )}
        </Sheet>
      </div>
      <Writes writes={data.writes} />
      {drive && (
        <PickAgain
          open={asking}
          drive={drive}
          drives={free}
          inUse={data.in_use}
          onClose={() => setAsking(false)}
          onWrite={(again, how) => {
            setAsking(false);
            stop.reset();
            write.mutate({ drive_id: drive.id, path: drive.path, serial: drive.serial, again, ...how });
          }}
        />
      )}
    </StationFrame>
  );
}

function Proven({ data }: { data: CardAnswer }) {
  return (
    <section className="flex gap-3 rounded-xl border border-rule bg-sheet px-4 py-3">
      <Mark name="ok" size={22} />
      <div className="min-w-0">
        <h2 className="text-[1.1rem]">Proven: the card holds the filled image</h2>
        <p className="text-ink-2">
          {data.proven_text}. Written in <Mono>{data.reader}</Mono>, BLAKE3 <Mono className="break-all">{data.digest}</Mono>.{" "}
          {data.in_board ? "It is in its board." : data.released ? `Pulling it out is safe: ${data.released_text}.` : data.released_text && `Do not pull it out yet: ${data.released_text}.`}
        </p>
        {data.volumes_text && <p className="mt-1 text-[0.93rem] text-ink-2">On it now: {data.volumes_text}.</p>}
        {data.changes_text && <p className="mt-1 text-[0.93rem] text-ink-2">{data.changes_text}.</p>}
        {data.findings.filter((f) => f.severity === "ok" || f.severity === "note").map((f) => (
          <p key={f.code} className="mt-1 flex gap-2 text-[0.93rem]">
            <Mark name={f.severity as Severity} size={16} />
            <span>
              {f.title}. <span className="text-ink-2">{f.detail} {f.fix}</span>
            </span>
          </p>
        ))}
        <p className="mt-1 text-[0.93rem] text-ink-2">If your desktop now offers to format a volume it cannot read: refuse. That volume is fine.</p>
      </div>
    </section>
  );
}

function Drives({ drives, chosen, onPick, disabled }: { drives: readonly Drive[]; chosen: number; onPick: (id: number) => void; disabled: boolean }) {
  const several = new Set(drives.map((d) => d.bench_name)).size > 1;
  return (
    <div className="flex flex-col gap-1.5">
      {!drives.some((d) => !d.locked) && <p className="text-ink-2">No card in a reader. Put one in; it shows up here by itself.</p>}
      <Cards label="Drive" value={String(chosen)} onPick={(picked) => onPick(Number(picked))} disabled={disabled}>
        {drives.filter((d) => !d.locked).map((d) => (
          <Card key={d.id} value={String(d.id)} name={<DriveName drive={d} />}>
            <DriveFacts drive={d} several={several} />
          </Card>
        ))}
      </Cards>
      {drives.filter((d) => d.locked).map((d) => (
        <div key={d.id} className="flex gap-3 rounded-lg border border-rule-2 bg-paper px-3 py-2">
          <Mark name="stop" />
          <div className="min-w-0 flex-1">
            <DriveName drive={d} />
            <DriveFacts drive={d} several={several} />
          </div>
        </div>
      ))}
    </div>
  );
}

function DriveName({ drive: d }: { drive: Drive }) {
  return (
    <>
      <b>{d.name}</b> <span className="text-ink-2">{d.size_text}</span> {d.just_came && <Tag>just put in</Tag>}
    </>
  );
}

function DriveFacts({ drive: d, several }: { drive: Drive; several: boolean }) {
  return (
    <>
      <span className="block text-[0.9rem] break-words text-ink-2">
        {[d.model, d.serial].filter(Boolean).join(", ") || "a reader that tells no name"} at <Mono>{d.path}</Mono>
        {several && `, on ${d.bench_name}`}
      </span>
      {d.whose && <span className="block text-[0.93rem] font-[550]">{d.whose}.</span>}
      {d.findings.map((f) => (
        <span key={f.code} className="flex gap-2 text-[0.9rem]">
          {!d.locked && <Mark name={f.severity as Severity} size={16} />}
          <span>
            {f.title}. <span className="text-ink-2">{f.detail}</span>
          </span>
        </span>
      ))}
    </>
  );
}

const OUTCOMES: Record<string, string> = { proven: "proven", failed: "failed", stopped: "stopped", "": "not ended" };

/** Every attempt at a card, newest first: what was written is not forgotten by writing again. */
function Writes({ writes }: { writes: CardAnswer["writes"] }) {
  const ended = writes.filter((w) => w.ended_at !== null);
  if (!ended.length) return null;
  return (
    <Sheet title="Written so far">
      <ul className="text-[0.93rem]">
        {ended.map((w) => (
          <li key={w.id} className="flex flex-wrap gap-x-3 border-t border-rule-2 py-1.5 first:border-0">
            <span className="font-mono text-ink-3"><Time at={w.begun_at} day /></span>
            <b>{OUTCOMES[w.outcome] ?? w.outcome}</b>
            <span className="min-w-0 break-words text-ink-2">
              {w.card_name && `${w.card_name}, in `}
              {w.reader || w.drive_path}, on {w.bench_name}
              {w.phases.length > 0 && `: ${w.phases.map((p) => `${String(p["phase"])} ${duration(Number(p["took_s"]))}`).join(", ")}`}
              {w.left_bytes > 0 && `; ${decimalSize(w.left_bytes)} that nothing uses left as they were`}
              {w.room_text && w.outcome === "proven" && `; ${w.room_text}`}
              {w.clears_end && w.outcome === "proven" && "; the end of the card cleared"}
              {w.trouble && `: ${w.trouble}`}
              {w.void_why && `; later ${w.void_why}`}
            </span>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}
