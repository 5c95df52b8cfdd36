import { useState } from "react";
import { answer, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { duration } from "../../lib/words";
import { Copy } from "../../ui/Copy";
import { Findings } from "../../ui/Findings";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Key, Mono, OutsideLink, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { QrCode } from "../../ui/QrCode";
import { StationFrame } from "../../ui/StationFrame";
import { Time } from "../../ui/Time";

type FindAnswer = Shapes["FindOut"];

export function FindStation({ id }: { id: number }) {
  const key = ["deployment", id, "find"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/find", path)));
  const [opened, setOpened] = useState("");
  const look = useChange(key, () => answer(POST("/api/deployments/{pk}/find/look", path)));
  const claim = useChange(key, (address: string) => answer(POST("/api/deployments/{pk}/find/claim", { ...path, body: { address } })));
  const letGo = useChange(key, () => answer(POST("/api/deployments/{pk}/find/let-go", path)));
  const way = useChange(key, (by: "wifi" | "cable") => answer(POST("/api/deployments/{pk}/find/way", { ...path, body: { by } })));
  const scan = useChange(key, (on: boolean) => answer(POST("/api/deployments/{pk}/find/scan", { ...path, body: { on } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the network" />;
  const main = data.claimed ? (
    <ButtonLink main to={stationPath(id, "setup")}>
      Go on to Set up
    </ButtonLink>
  ) : !data.powered ? (
    <ButtonLink main to={stationPath(id, "boot")}>
      Power it first
    </ButtonLink>
  ) : data.winner ? (
    <>
      <OutsideLink href={data.url} data-open go={opened !== data.url} onClick={() => setOpened(data.url)}>
        Open its page <Key>O</Key>
      </OutsideLink>
      <Button go={opened === data.url} onClick={() => data.winner && claim.mutate(data.winner.address)} disabled={claim.isPending}>
        This is it
      </Button>
    </>
  ) : (
    <Button main onClick={() => look.mutate(undefined)} disabled={look.isPending}>
      {look.isPending ? "Looking…" : "Look again"}
    </Button>
  );
  return (
    <StationFrame deployment={data.deployment} station="find" main={main}>
      <Trouble error={look.error ?? claim.error ?? letGo.error ?? way.error ?? scan.error} />
      {(data.winner || data.claimed) && <Winner data={data} onLetGo={() => letGo.mutate(undefined)} onWay={(by) => way.mutate(by)} />}
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]">
        <Sheet title="On the network" hint={<Looked data={data} />}>
          {data.powered && !data.claimed && (
            <p className="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-[0.93rem] text-ink-2">
              {data.networks.length === 0
                ? "Say under Site which range of addresses is your own network; nothing else is looked at."
                : data.scanning
                  ? `Every address of ${data.networks.join(", ")} is asked for the page's port now and then.`
                  : "Only leases, neighbours and announcements are read."}
              {data.networks.length > 0 && (
                <Button small disabled={scan.isPending} onClick={() => scan.mutate(!data.scanning)}>
                  {data.scanning ? "Stop asking" : "Ask every address"}
                </Button>
              )}
            </p>
          )}
          {data.powered && !data.before_known && <p className="mb-2 text-[0.93rem] text-ink-2">Nobody looked at the network before power-on, so nothing can be called new.</p>}
          <Candidates data={data} onClaim={(a) => claim.mutate(a)} />
        </Sheet>
        <Sheet title="How sure is it?">
          <Findings findings={data.findings} deploymentId={id} empty={data.powered ? "Looking…" : "Nothing is looked for while the board is off."} />
        </Sheet>
      </div>
    </StationFrame>
  );
}

/** When it was looked at and by which means; a means is named only once it was used in this boot. */
function Looked({ data }: { data: FindAnswer }) {
  if (!data.looked_at) return "not looked yet";
  return (
    <>
      looked at <Time at={data.looked_at} />: leases, neighbours, names, pages
      {data.scanned_at && (
        <>
          ; every address asked at <Time at={data.scanned_at} />
        </>
      )}
    </>
  );
}

function Winner({ data, onLetGo, onWay }: { data: FindAnswer; onLetGo: () => void; onWay: (by: "wifi" | "cable") => void }) {
  const address = data.claimed || data.winner?.address || "";
  const found = data.candidates.find((c) => c.address === address || c.also.includes(address));
  const evidence = found?.evidence ?? [];
  const answers = found?.page_answers ?? false;
  return (
    <section className="flex flex-wrap items-start gap-x-6 gap-y-3 rounded-xl border border-rule bg-sheet px-4.5 py-3.5">
      <div className="min-w-0 flex-1 basis-72">
        <div className="flex flex-wrap items-baseline gap-x-2.5">
          <span className="self-center">
            <Mark name="ok" size={21} />
          </span>
          <h2 className="text-[1.27rem]">{data.claimed ? "This is it" : "Found it"}</h2>
          {data.joined_after_s !== null && <span className="text-ink-2">{duration(data.joined_after_s)} after power-on</span>}
        </div>
        <div className="mt-1.5 font-mono text-[1.7rem] font-semibold break-all">{address}</div>
        {data.name_url ? (
          <div className="font-mono text-ink-2 break-all">{data.name_url}</div>
        ) : (
          <div className="text-[0.93rem] text-ink-2">
            <Mono>{data.host_name}</Mono> was not heard to answer yet.
          </div>
        )}
        <p className="mt-1.5 text-[0.95rem] text-ink-2">{evidence.map((e) => e.text).join(" · ")}</p>
        <div className="mt-3 flex flex-wrap gap-2">
          {data.claimed && (
            <OutsideLink href={data.url} data-open>
              Open its page <Key>O</Key>
            </OutsideLink>
          )}
          <Copy text={data.url} address />
          {data.claimed && <Button onClick={onLetGo}>It is not</Button>}
        </div>
        {data.asks_way && (
          <p className="mt-2 flex flex-wrap items-center gap-2 text-[0.93rem] text-ink-2">
            The plan says Wi-Fi. Is a network cable in it?
            <Button small disabled={data.by === "wifi"} onClick={() => onWay("wifi")}>
              No, by Wi-Fi
            </Button>
            <Button small disabled={data.by === "cable"} onClick={() => onWay("cable")}>
              Yes, by cable
            </Button>
          </p>
        )}
        {answers && !data.claimed && <p className="mt-2 text-[0.93rem] text-ink-2">Open its page and look: when it is the one you mean, say so.</p>}
        {!answers && !data.claimed && <p className="mt-2 text-[0.93rem] text-ink-2">Its page does not answer yet. Just after boot that means not yet, not never.</p>}
      </div>
      {data.qr_path && (
        <figure className="w-32 text-center max-md:hidden text-[0.83rem] text-ink-2">
          <QrCode path={data.qr_path} size={data.qr_size} label={`QR code of ${data.url}`} className="w-full rounded-md" />
          <figcaption className="mt-1">for the phone</figcaption>
        </figure>
      )}
    </section>
  );
}

/** Whether anything speaks for a candidate. */
const speaks = (c: Shapes["Candidate"]) => c.evidence.some((e) => e.points > 0);

function Candidates({ data, onClaim }: { data: FindAnswer; onClaim: (address: string) => void }) {
  if (!data.candidates.length) {
    return <p className="text-ink-2">{data.powered ? "Nothing was seen yet. The first look takes a second." : "Power the board; everything that is new afterwards shows here."}</p>;
  }
  return (
    <ul>
      {data.candidates.map((c) => (
        <li key={c.address} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule-2 py-2 first:border-0">
          <div className="min-w-0 flex-1 basis-56">
            <Mono className="font-bold">{c.address}</Mono> {c.host_name && <Mono className="text-ink-2">{c.host_name}</Mono>}
            {c.also.length > 0 && <span className="text-[0.9rem] text-ink-2"> also {c.also.join(", ")}</span>}
            <div className="text-[0.9rem] text-ink-2">{[...(speaks(c) || !data.before_known ? [] : ["was there before power-on"]), ...c.evidence.map((e) => e.text)].join(" · ")}</div>
            {c.mac && <div className="font-mono text-[0.83rem] text-ink-3">{c.mac}</div>}
          </div>
          {c.ours ? (
            <Tag>{c.ours}</Tag>
          ) : data.claimed && (c.address === data.claimed || c.also.includes(data.claimed)) ? (
            <Tag tone="ok">claimed</Tag>
          ) : c.is_it ? (
            <Tag tone="ok">likely it</Tag>
          ) : (
            speaks(c) && !data.claimed && (
              <Button small onClick={() => onClaim(c.address)}>
                This is it
              </Button>
            )
          )}
        </li>
      ))}
    </ul>
  );
}
