import { Link } from "react-router";
import { answer, type Finding, GET, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { BoardDrawing } from "../../ui/BoardDrawing";
import { Card, Cards } from "../../ui/Cards";
import { Cautions } from "../../ui/Cautions";
import { Field } from "../../ui/Field";
import { Findings } from "../../ui/Findings";
import { Button, ButtonLink, Facts, Mono, Sheet, Trouble, Waiting } from "../../ui/parts";
import { type Option, Pick } from "../../ui/Pick";
import { StationFrame } from "../../ui/StationFrame";
import { BoardChoice } from "./BoardChoice";
import { HeaderMap } from "./HeaderMap";
import { PartChoice } from "./PartChoice";
import { PowerPicture } from "./PowerPicture";
import { JobTime, ShoppingList } from "./ShoppingList";
import { WaysOut } from "./WaysOut";

type Plan = Shapes["PlanOut"];

const text = (value: number | null | undefined) => (value == null ? "" : String(value));

/** Choices that lie in one column of the plan. */
const CHOSEN = ["board_unit_id", "supply_id", "cable_id", "owned_card_id", "card_gb", "way", "network_id", "load_share"] as const;

const WAYS = { wifi: "Wi-Fi", cable: "Cable" } as const;

/** What the core says of an option, for the line behind its name. */
const hint = (o: Shapes["OptionOut"]) => [o.text, o.reason, o.used_by[0] && `planned for ${o.used_by[0]}`].filter(Boolean).join("; ");

const asOptions = (options: readonly Shapes["OptionOut"][]): Option[] => options.map((o) => ({ value: String(o.id), text: o.name, hint: hint(o) }));

export function PlanStation({ id }: { id: number }) {
  const key = ["deployment", id, "plan"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/plan", path)));
  const change = useChange(
    key,
    (body: Shapes["PlanIn"]) => answer(PUT("/api/deployments/{pk}/plan", { ...path, body })),
    (old: Plan, body) => ({ ...old, ...body, was: old.was }) as Plan,
  );
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the plan" />;
  // What is chosen says what was chosen before, so that two who choose at once are told.
  const save = (body: Shapes["PlanIn"], was: Record<string, string> = {}) => {
    const chosen = CHOSEN.filter((field) => field in body).map((field) => [field, data[field] ?? null]);
    change.mutate({ ...body, was: { ...Object.fromEntries(chosen), ...was } });
  };
  const done = data.deployment.line.marks[0]?.mark;
  const fits = done === "ok" || done === "check";
  const waits = data.findings.find((f) => f.severity === "stop") ?? data.findings.find((f) => f.severity === "yet");
  const busy = change.isPending;
  const judged = data.findings.filter((f) => f.where?.part !== "cautions");
  const waysOut = (f: Finding) => {
    const proposals = f.severity === "stop" || f.severity === "check" ? data.proposals.filter((p) => p.cures === f.code) : [];
    return proposals.length > 0 ? <WaysOut proposals={proposals} busy={busy} onTake={save} /> : undefined;
  };
  return (
    <StationFrame
      deployment={data.deployment}
      station="plan"
      main={
        fits ? (
          <ButtonLink main to={stationPath(id, "image")}>
            Go on to Image
          </ButtonLink>
        ) : (
          <Button go disabled>
            Go on to Image
          </Button>
        )
      }
      waits={fits ? undefined : waits?.title}
    >
      <Trouble error={change.error} />
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <Sheet title={data.was ? "What went together" : "What goes together"} hint={`${data.deployment.appliance}, ${data.deployment.kind}`}>
          {data.was ? <Was data={data} was={data.was} /> : <Choices data={data} save={save} />}
        </Sheet>
        {/* What stops comes first where there is room for one column only. */}
        <div className={`flex flex-col gap-3.5 ${judged.some((f) => f.severity === "stop") ? "max-md:order-first" : ""}`}>
          <Sheet title="Does it fit?">
            <Findings findings={judged} deploymentId={id} onAction={(field, value) => save({ [field]: value })} below={waysOut} />
          </Sheet>
          <Cautions texts={data.cautions} />
        </div>
      </div>
      <div className="grid items-start gap-3.5 md:grid-cols-2">
        {data.power && (
          <Sheet title="Power" hint="by consumer, and over the cable">
            <PowerPicture power={data.power} loadShare={data.load_share} onLoadShare={(load_share) => save({ load_share })} />
          </Sheet>
        )}
        <Sheet title="Parts list">
          <ShoppingList list={data.shopping} />
        </Sheet>
        {data.picture && (data.picture.drawing || data.picture.printed_mark) && (
          <Sheet title={data.picture.name} hint={data.picture.printed_mark ? <>marked <Mono>{data.picture.printed_mark}</Mono></> : undefined}>
            <Picture picture={data.picture} />
          </Sheet>
        )}
        <div className="flex flex-col gap-3.5">
          {data.header && data.header.pins.length > 8 && (
            <Sheet title="Header" hint={data.header.pins.some((p) => p.clash) ? "two want the same pin" : "which pins are taken"}>
              <HeaderMap header={data.header} />
            </Sheet>
          )}
          {data.time && (
            <Sheet title="The whole job">
              <JobTime time={data.time} />
            </Sheet>
          )}
        </div>
      </div>
    </StationFrame>
  );
}

function Choices({ data, save }: { data: Plan; save: (body: Shapes["PlanIn"], was?: Record<string, string>) => void }) {
  const sizes = data.card_sizes.map((g) => ({ value: `gb ${g}`, text: `${g} GB card`, hint: g < data.least_gb ? "too small" : g === data.advised_gb ? "advised, any" : "any of that size" }));
  return (
    <div className="flex flex-col gap-2">
      <Field label="Name" value={data.name} onSave={(name, was) => save({ name }, { name: was })} />
      {data.units.length > 0 ? <BoardChoice data={data} onPick={(board_unit_id) => save({ board_unit_id })} /> : <ToShelf what="board" />}
      <Cards label="Way onto the network" value={data.way} onPick={(way) => save({ way })} className="grid grid-cols-[6.4rem_1fr_1fr] items-center gap-2 before:text-[0.92rem] before:text-ink-2 before:content-['Network_by']">
        {data.ways.map((w) => (
          <Card key={w} value={w} name={WAYS[w as keyof typeof WAYS]} className="!py-1" />
        ))}
      </Cards>
      {data.way === "wifi" && (
        <Pick
          label="Wi-Fi"
          value={text(data.network_id)}
          empty={data.networks.length ? "choose a network" : "add one under Site"}
          options={data.networks.map((n) => ({ value: String(n.id), text: n.ssid, hint: `${n.band_ghz} GHz` }))}
          onSave={(picked) => save({ network_id: Number(picked) })}
        />
      )}
      <Pick
        label="Card"
        value={data.owned_card_id == null ? (data.card_gb === null ? "" : `gb ${data.card_gb}`) : String(data.owned_card_id)}
        empty={`choose; ${data.advised_gb} GB advised`}
        options={[...asOptions(data.cards), ...sizes]}
        onSave={(picked) => save(picked.startsWith("gb ") ? { card_gb: Number(picked.slice(3)) } : { owned_card_id: Number(picked) })}
      />
      {data.supplies.length > 0 ? (
        <Pick label="Supply" value={text(data.supply_id)} empty="choose the one you will use" options={asOptions(data.supplies)} onSave={(picked) => save({ supply_id: Number(picked) })} />
      ) : (
        <ToShelf what="supply" />
      )}
      {data.needs_cable && <Pick label="Cable" value={text(data.cable_id)} empty="choose the one between them" options={asOptions(data.cables)} onSave={(picked) => save({ cable_id: Number(picked) })} />}
      {(data.ways_in.length > 1 || data.findings.some((f) => f.code === "plan.way-in-not-allowed")) && (
        <Pick label="Settings" value={data.way_in} empty="how they get in" options={data.ways_in.map((w) => ({ value: w.id, text: w.text }))} onSave={(way_in) => save({ way_in })} />
      )}
      <PartChoice data={data} onAdd={save} onDrop={(drop_part) => save({ drop_part })} />
    </div>
  );
}

/** A device in service: what went together then, whatever became of it. */
function Was({ data, was }: { data: Plan; was: Shapes["Names"] }) {
  const rows: [string, string | undefined][] = [
    ["Name", data.name],
    ["Board", was.unit.includes(was.board) ? was.unit : [was.unit, was.board].filter(Boolean).join(", ")],
    ["Network by", `${WAYS[data.way as keyof typeof WAYS] ?? data.way}${data.way === "wifi" && was.network ? `, ${was.network}` : ""}`],
    ["Card", was.card || (data.card_gb ? `${data.card_gb} GB card` : "")],
    ["Supply", was.supply],
    ["Cable", was.cable],
    ["Parts", data.parts.map((p) => p.name).join(", ")],
    ["Place", was.place],
  ];
  return <Facts rows={rows.filter((r): r is [string, string] => !!r[1])} />;
}

function ToShelf({ what }: { what: string }) {
  return (
    <p className="border-t border-dashed border-rule pt-2 text-[0.95rem]">
      No {what} is on the shelf yet.{" "}
      <Link to="/shelf" className="font-[550] text-mint underline">
        Put it there
      </Link>
      , then choose it here.
    </p>
  );
}

function Picture({ picture }: { picture: Shapes["BoardPictureOut"] }) {
  return (
    <div className="flex flex-col gap-2 text-[0.93rem]">
      {picture.drawing && <BoardDrawing drawing={picture.drawing} name={picture.name} />}
      {picture.mark_place && (
        <p>
          Its mark is on the <span className="font-[550]">{picture.mark_place}</span>.
        </p>
      )}
      {picture.telling_apart && <p className="text-ink-2">{picture.telling_apart}</p>}
    </div>
  );
}
