import { answer, GET, POST, PUT, type Severity, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Card, Cards } from "../../ui/Cards";
import { Findings } from "../../ui/Findings";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { StationFrame } from "../../ui/StationFrame";
import { XRayView } from "../../ui/XRayView";

export function ImageStation({ id }: { id: number }) {
  const key = ["deployment", id, "image"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/image", path)));
  const choose = useChange(
    key,
    (image_id: number) => answer(PUT("/api/deployments/{pk}/image", { ...path, body: { image_id } })),
    (old, picked) => ({ ...old, choices: old.choices.map((c) => ({ ...c, chosen: c.image.id === picked })) }),
  );
  const readAgain = useChange(["deployment", id, "read"], (pk: number) => answer(POST("/api/images/{pk}/read", { params: { path: { pk } } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the library" />;
  if (!data.wanted) {
    return (
      <StationFrame
        deployment={data.deployment}
        station="image"
        main={
          <ButtonLink main to={stationPath(id, "settings")}>
            Go on to Settings
          </ButtonLink>
        }>
        <Sheet title="It comes over the network">
          <p>No image is chosen here: the board fetches its system itself, onto a blank card. What it asks, and the answers, stand under Settings.</p>
        </Sheet>
      </StationFrame>
    );
  }
  const mark = data.deployment.line.marks[1]?.mark;
  const chosen = data.chosen;
  const stop = data.findings.find((f) => f.severity === "stop");
  const waits = !chosen ? "pick an image" : chosen.job?.active ? "it is being read" : chosen.image.trouble || (!chosen.xray ? "read it" : stop?.title);
  const suggested = data.choices.find((c) => c.suggested);
  return (
    <StationFrame
      deployment={data.deployment}
      station="image"
      main={
        mark === "ok" || mark === "check" ? (
          <ButtonLink main to={stationPath(id, "settings")}>
            Go on to Settings
          </ButtonLink>
        ) : !chosen && suggested ? (
          <Button main onClick={() => choose.mutate(suggested.image.id)}>
            Use {suggested.image.release}, {suggested.image.build}
          </Button>
        ) : (
          <Button go disabled>
            Go on to Settings
          </Button>
        )
      }
      waits={mark === "ok" || mark === "check" || (!chosen && suggested) ? undefined : waits}
    >
      <Trouble error={choose.error ?? readAgain.error} />
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]">
        <Sheet title="From the library" hint={data.board_name ? `for ${data.board_name}` : "choose a board under Plan to see what fits"}>
          <Choices data={data} onPick={(image) => choose.mutate(image)} />
          {data.to_build && <ToBuild id={id} building={data.building !== null} />}
        </Sheet>
        <Sheet title="Is it the right one?">
          {chosen ? (
            <>
              {chosen.job?.active && <p className="text-ink-2">Reading it: unpacking once, looking at every volume…</p>}
              {chosen.image.trouble && (chosen.findings.length > 0 ? <Findings findings={chosen.findings} /> : <p className="mb-2 text-stop">{chosen.image.trouble}</p>)}
              {!chosen.xray && !chosen.job?.active && <Button onClick={() => readAgain.mutate(chosen.image.id)}>Read it</Button>}
              {chosen.xray && <Findings findings={data.findings} deploymentId={id} />}
            </>
          ) : (
            <p className="text-ink-2">Pick one. The newest that starts on your board is marked.</p>
          )}
        </Sheet>
      </div>
      {chosen?.xray && <XRayView xray={chosen.xray} findings={data.findings} />}
    </StationFrame>
  );
}

/** Only where images are made up: those that were not needed before are built now. */
function ToBuild({ id, building }: { id: number; building: boolean }) {
  const build = useChange(["deployment", id, "build"], () => answer(POST("/api/images/build")));
  return (
    <div className="mt-2 flex flex-wrap items-center gap-3 rounded-lg border border-dashed border-rule px-3 py-2">
      <p className="min-w-0 flex-1 text-[0.95rem]" role="status">
        {building ? "Building the made-up images of this appliance; they show up here by themselves." : "The made-up images of this appliance are not all built yet."}
      </p>
      {!building && (
        <Button small disabled={build.isPending} onClick={() => build.mutate(undefined)}>
          Build them
        </Button>
      )}
      <Trouble error={build.error} />
    </div>
  );
}

function Choices({ data, onPick }: { data: Shapes["StationImageOut"]; onPick: (image: number) => void }) {
  if (!data.choices.length) {
    return <p className="text-ink-2">No image of this appliance lies in the library folder. Download one and put it there; it shows up here by itself.</p>;
  }
  return (
    <Cards label="Image" value={String(data.choices.find((c) => c.chosen)?.image.id ?? "")} onPick={(picked) => onPick(Number(picked))}>
      {data.choices.map((c) => (
        <Card
          key={c.image.id}
          value={String(c.image.id)}
          className="!py-1.5"
          name={
            <span className="inline-flex max-w-full flex-wrap items-center gap-x-2.5">
              {c.fit ? <Mark name={c.fit.severity as Severity} /> : c.image.trouble && <Mark name={(c.image.verdict || "stop") as Severity} />}
              <span className="min-w-0 font-mono font-bold break-all">{c.image.file_name}</span>
              {c.suggested && <Tag tone="ok">newest that fits</Tag>}
            </span>
          }
        >
          <span className="block text-[0.9rem] text-ink-2">{c.fit && c.fit.severity !== "ok" ? c.fit.title : c.image.trouble || c.image.summary || "not read yet"}</span>
        </Card>
      ))}
    </Cards>
  );
}
