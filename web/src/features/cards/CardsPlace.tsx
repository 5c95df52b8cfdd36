// Cards in the readers, for no deployment: read one back into a file, test all of its room, clear its tables.
import { useState } from "react";
import { answer, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Mono, Tag, Trouble, Waiting } from "../../ui/parts";
import { Before } from "./Before";
import { TakesAll, type Taking } from "./TakesAll";
import { UnderWay } from "./UnderWay";

type Reader = Shapes["ReaderOut"];
type Order = Shapes["WorkIn"];

const KEY = ["cards"];

export function CardsPlace() {
  const { data, error } = useAnswer(KEY, () => answer(GET("/api/cards")));
  const [asked, setAsked] = useState<{ reader: Reader; does: Taking } | null>(null);
  const begin = useChange(KEY, (body: Order) => answer(POST("/api/cards/work", { body })));
  const pause = useChange(KEY, ({ pk, paused }: { pk: number; paused: boolean }) => answer(POST("/api/cards/work/{pk}/pause", { params: { path: { pk } }, body: { paused } })));
  const stop = useChange(KEY, (pk: number) => answer(POST("/api/cards/work/{pk}/stop", { params: { path: { pk } } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the readers" />;
  const order = ({ drive }: Reader, does: Order["does"], again: string) =>
    begin.mutate({ does, drive_id: drive.id, path: drive.path, serial: drive.serial, again });
  return (
    <div className="flex flex-col gap-3.5">
      <header>
        <h1 className="text-[1.8rem]">Cards</h1>
        <p className="text-ink-2">Keep what is on a card as a file, compare it with what was written to it, find out whether a card holds what it says, or clear one. Writing an image begins at a deployment.</p>
      </header>
      <Trouble error={begin.error ?? stop.error ?? pause.error} />
      {data.readers.length === 0 && <p className="rounded-xl border border-rule bg-sheet px-4 py-3 text-ink-2">No card in a reader. Put one in; it shows up here by itself.</p>}
      <ul className="grid items-start gap-3.5 lg:grid-cols-2">
        {data.readers.map((reader) => (
          <li key={reader.drive.id} className="min-w-0 rounded-xl border border-rule bg-sheet px-4 py-3">
            <InReader reader={reader} several={new Set(data.readers.map((r) => r.drive.bench_id)).size > 1} />
            {reader.work?.job ? (
              <UnderWay
                work={reader.work}
                job={reader.work.job}
                stopping={stop.isPending}
                onStop={() => reader.work && stop.mutate(reader.work.id)}
                onPause={(paused) => reader.work && pause.mutate({ pk: reader.work.id, paused })}
              />
            ) : (
              <Doings reader={reader} disabled={begin.isPending} onRead={(does) => order(reader, does, "")} onTake={(does) => setAsked({ reader, does })} />
            )}
          </li>
        ))}
      </ul>
      <Before works={data.works} />
      {asked && (
        <TakesAll
          does={asked.does}
          drive={asked.reader.drive}
          drives={data.readers.filter((r) => !r.drive.locked).map((r) => r.drive)}
          onClose={() => setAsked(null)}
          onGo={(again) => {
            order(asked.reader, asked.does, again);
            setAsked(null);
          }}
        />
      )}
    </div>
  );
}

function InReader({ reader: { drive: d }, several }: { reader: Reader; several: boolean }) {
  return (
    <>
      <h2 className="text-[1.1rem]">
        {d.name} <span className="font-normal text-ink-2">{d.size_text}</span> {d.just_came && <Tag>just put in</Tag>}
      </h2>
      <p className="text-[0.93rem] [overflow-wrap:anywhere] text-ink-2">
        {[d.model, d.serial].filter(Boolean).join(", ") || "a reader that tells no name"} at <Mono>{d.path}</Mono>
        {several && `, on ${d.bench_name}`}
      </p>
      {d.whose && <p className="font-[550]">{d.whose}.</p>}
      {d.findings.map((f) => (
        <p key={f.code} className="mt-1 flex gap-2 text-[0.93rem]">
          <Mark name={f.severity} size={16} />
          <span>
            {f.title}. <span className="text-ink-2">{f.detail}</span>
          </span>
        </p>
      ))}
    </>
  );
}

interface DoingsProps {
  reader: Reader;
  disabled: boolean;
  onRead: (does: "back-up" | "prove") => void;
  onTake: (does: Taking) => void;
}

function Doings({ reader: { drive, readable }, disabled, onRead, onTake }: DoingsProps) {
  const name = `${drive.name} in ${drive.model || drive.path}`;
  if (drive.question_id !== null && drive.whose_deployment_id !== null) {
    return (
      <ButtonLink small to={stationPath(drive.whose_deployment_id, "card")} className="mt-2.5">
        Say whose card it is
      </ButtonLink>
    );
  }
  return (
    <div className="mt-2.5 flex flex-wrap gap-2">
      {readable && (
        <Button small disabled={disabled} aria-label={`Read the ${name} back into a file`} onClick={() => onRead("back-up")}>
          Read it back into a file
        </Button>
      )}
      {readable && drive.whose_deployment_id !== null && (
        <Button small disabled={disabled} aria-label={`Prove the ${name} again`} onClick={() => onRead("prove")}>
          Prove it again
        </Button>
      )}
      {!drive.locked && (
        <>
          <Button small disabled={disabled} aria-label={`Test all of the room of the ${name}`} onClick={() => onTake("test")}>
            Test all of its room…
          </Button>
          <Button small disabled={disabled} aria-label={`Clear the ${name}`} onClick={() => onTake("clear")}>
            Clear it…
          </Button>
        </>
      )}
    </div>
  );
}
