import { Printer } from "lucide-react";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { useNavigate } from "react-router";
import { answer, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useChange, useMaking, useOnce } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Button, ButtonLink, Sheet, Trouble, Waiting } from "../../ui/parts";
import { FormRow, INPUT, saved } from "../../ui/FormRow";
import { QrCode } from "../../ui/QrCode";
import { StationFrame } from "../../ui/StationFrame";
import { Time } from "../../ui/Time";

export function KeepStation({ id }: { id: number }) {
  const key = ["deployment", id, "keep"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/keep", path)));
  const keep = useChange(key, () => answer(POST("/api/deployments/{pk}/keep/done", path)));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the record" />;
  const last = data.deployment.line.now === "keep";
  return (
    <StationFrame
      deployment={data.deployment}
      station="keep"
      main={
        !data.label ? (
          <ButtonLink main to={stationPath(id, "find")}>
            Find it first
          </ButtonLink>
        ) : data.kept ? (
          <ButtonLink main to="/">
            To the Bench
          </ButtonLink>
        ) : (
          <Button {...(last ? { main: true } : {})} onClick={() => keep.mutate(undefined)}>
            {last ? "Put it in service" : "Put it in service as it is"}
          </Button>
        )
      }
    >
      <Trouble error={keep.error} />
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,380px)_minmax(0,1fr)]">
        <div className="flex flex-col gap-3.5">
          <Sheet
            title="Label for the box"
            aside={
              data.label && (
                <Button small onClick={() => window.print()}>
                  <Printer size={15} aria-hidden /> Print the label
                </Button>
              )
            }
          >
            {data.label ? <LabelView label={data.label} /> : <p className="text-ink-2">The label is made when the device was found and claimed.</p>}
          </Sheet>
          <Lessons id={id} />
          <SameAgain data={data} id={id} />
        </div>
        <Sheet title="What happened">
          <WhatHappened id={id} newest={data.log} olderBefore={data.older_before} />
        </Sheet>
      </div>
    </StationFrame>
  );
}

/** What this device taught that the recipe does not say: taken into it one by one. */
function Lessons({ id }: { id: number }) {
  const key = ["deployment", id, "lessons"];
  const path = { params: { path: { pk: id } } };
  const { data } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/lessons", path)));
  const take = useChange(key, (about: Shapes["LessonOut"]["about"]) => answer(POST("/api/deployments/{pk}/lessons", { ...path, body: { about } })));
  if (!data?.length) return null;
  return (
    <Sheet title="What this one taught" hint="the next of its kind starts with it">
      <Trouble error={take.error} />
      <ul>
        {data.map((lesson) => (
          <li key={lesson.about} className="flex flex-col items-start gap-1.5 border-t border-rule-2 py-2 text-[0.95rem] first:border-0">
            <span className="[overflow-wrap:anywhere]">{lesson.text}</span>
            <Button small disabled={take.isPending} onClick={() => take.mutate(lesson.about)}>
              {lesson.about === "vendor" ? "Take it into its board" : "Take it into the recipe"}
            </Button>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}

/** The record of one device, oldest line first; what came before is fetched page by page. */
function WhatHappened({ id, newest, olderBefore }: { id: number; newest: Shapes["KeepOut"]["log"]; olderBefore: number | null }) {
  const [older, setOlder] = useState<{ lines: typeof newest; before: number | null } | undefined>();
  const fetchOlder = useOnce((before: number) => answer(GET("/api/log", { params: { query: { deployment: id, before } } })));
  const before = older ? older.before : olderBefore;
  return (
    <>
      <Trouble error={fetchOlder.error} />
      {before !== null && (
        <Button
          small
          disabled={fetchOlder.isPending}
          onClick={() =>
            fetchOlder.mutate(before, {
              onSuccess: (page) => setOlder((held) => ({ lines: [...page.lines.toReversed(), ...(held?.lines ?? [])], before: page.older_before })),
            })
          }
        >
          Show what came before
        </Button>
      )}
      <ul className="text-[0.93rem]">
        {[...(older?.lines ?? []), ...newest].map((e) => (
          <li key={e.id} className="grid gap-x-3 border-t border-rule-2 py-1.5 first:border-0 sm:grid-cols-[9rem_minmax(0,1fr)]">
            <span className="font-mono whitespace-nowrap text-ink-3">
              <Time at={e.at} day />
            </span>
            <span className="min-w-0 [overflow-wrap:anywhere]">
              {e.text}
              {e.who && <span className="text-ink-3"> by {e.who}</span>}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

function LabelView({ label }: { label: Shapes["Label"] }) {
  return (
    <div className="print-label rounded-lg border border-rule bg-[#fff] p-4 text-[#111]">
      <div className="flex gap-3">
        <div className="min-w-0 flex-1">
          <div className="font-head text-[1.2rem] leading-tight font-bold">{label.name}</div>
          <div className="mt-1.5 font-mono text-[1.05rem] font-semibold break-all">{label.address}</div>
          {label.host_name && <div className="font-mono text-[0.9rem] break-all">{label.host_name}</div>}
          <div className="mt-1.5 text-[0.85rem]">{label.made_of}</div>
          <div className="text-[0.85rem]">{label.made_on}</div>
        </div>
        <QrCode path={label.qr_path} size={label.qr_size} label={`QR code of ${label.url}`} className="-mt-2 -mr-2 h-28 w-28 flex-none" />
      </div>
      <div className="mt-1 font-mono text-[0.95rem] font-semibold break-all">{label.url}</div>
    </div>
  );
}

function SameAgain({ data, id }: { data: Shapes["KeepOut"]; id: number }) {
  const navigate = useNavigate();
  const { register, handleSubmit, setError, formState } = useForm<Shapes["SameAgainIn"]>({ defaultValues: { name: data.next_name, host_name: data.next_host_name } });
  const again = useMaking(["deployment", id, "again"], (body: Shapes["SameAgainIn"]) =>
    answer(POST("/api/deployments/{pk}/keep/same-again", { params: { path: { pk: id } }, body })),
  );
  const submit = handleSubmit((body) =>
    saved(
      again.once(body).then((made) => navigate(stationPath(made.id, made.line.now))),
      ["name", "host_name"],
      setError,
    ),
  );
  return (
    <Sheet title="The same again" hint="same plan, image and settings, another name">
      <form onSubmit={(e) => void submit(e)} className="flex flex-col gap-2">
        <FormRow label="Name">
          <input className={INPUT} maxLength={80} {...register("name")} />
        </FormRow>
        <FormRow label="Host name" problem={formState.errors.host_name?.message}>
          <input className={`${INPUT} font-mono`} maxLength={63} spellCheck={false} {...register("host_name")} />
        </FormRow>
        {!formState.errors.host_name && <Trouble error={again.error} />}
        <div>
          <Button type="submit" disabled={again.isPending}>
            Start the next one
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
