import { Link } from "react-router";
import { answer, GET, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Cautions } from "../../ui/Cautions";
import { Choice, Field } from "../../ui/Field";
import { Findings } from "../../ui/Findings";
import { ButtonLink, Sheet, Trouble, Waiting } from "../../ui/parts";
import { StationFrame } from "../../ui/StationFrame";

const WAYS = { wifi: "Wi-Fi", cable: "Cable" } as const;

export function PlanStation({ id }: { id: number }) {
  const key = ["deployment", id, "plan"];
  const path = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/plan", path)));
  const change = useChange(
    key,
    (body: Shapes["PlanIn"]) => answer(PUT("/api/deployments/{pk}/plan", { ...path, body })),
    (old, body) => ({ ...old, ...body }) as Shapes["PlanOut"],
  );
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the plan" />;
  const save = (body: Shapes["PlanIn"]) => change.mutate(body);
  const done = data.deployment.line.marks[0]?.mark;
  const fits = done === "ok" || done === "check";
  return (
    <StationFrame
      deployment={data.deployment}
      station="plan"
      main={
        fits && (
          <ButtonLink main to={stationPath(id, "image")}>
            Go on to Image
          </ButtonLink>
        )
      }
    >
      <Trouble error={change.error} />
      <div className="grid items-start gap-3.5 md:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <div className="flex flex-col gap-3.5">
          <Sheet title="What goes together" hint={`${data.deployment.appliance}, ${data.deployment.kind}`}>
            <div className="flex flex-col gap-2">
              <Field label="Name" value={data.name} onSave={(name) => save({ name })} />
              <BoardChoice data={data} onPick={(board_unit_id) => save({ board_unit_id })} />
              <Choice
                label="Network by"
                value={data.way || null}
                empty="choose"
                options={data.ways.map((w) => ({ value: w, text: WAYS[w as keyof typeof WAYS] }))}
                onSave={(way) => save({ way })}
              />
              {data.way === "wifi" && (
                <Choice
                  label="Wi-Fi"
                  value={data.network_id}
                  empty={data.networks.length ? "choose a network" : "add one under Site"}
                  options={data.networks.map((n) => ({ value: n.id, text: `${n.ssid}, ${n.band_ghz} GHz` }))}
                  onSave={(network_id) => save({ network_id })}
                />
              )}
              <Choice
                label="Card"
                value={data.card_gb}
                empty={`choose; ${data.advised_gb} GB advised`}
                options={data.card_sizes.map((g) => ({ value: g, text: `${g} GB${g < data.least_gb ? ", too small" : ""}` }))}
                onSave={(card_gb) => save({ card_gb })}
              />
              <Choice
                label="Supply"
                value={data.supply_id}
                empty="choose the one you will use"
                options={data.supplies.map((s) => ({ value: s.id, text: `${s.name}: ${s.text}` }))}
                onSave={(supply_id) => save({ supply_id })}
              />
            </div>
            {(data.units.length === 0 || data.supplies.length === 0) && (
              <p className="mt-3 border-t border-dashed border-rule pt-3 text-[0.95rem]">
                {data.units.length === 0 ? "No board is on the shelf yet." : "No supply is on the shelf yet."}{" "}
                <Link to="/shelf" className="font-[550] text-mint underline">
                  Put it there
                </Link>
                , then choose it here.
              </p>
            )}
          </Sheet>
          <Cautions texts={data.cautions} />
        </div>
        <Sheet title="Does it fit?">
          <Findings findings={data.findings} deploymentId={id} onAction={(field, value) => save({ [field]: value })} />
        </Sheet>
      </div>
    </StationFrame>
  );
}

function BoardChoice({ data, onPick }: { data: Shapes["PlanOut"]; onPick: (id: number) => void }) {
  return (
    <fieldset className="my-1">
      <legend className="mb-1 text-[0.92rem] text-ink-2">Board, by the mark printed on it</legend>
      <div className="flex flex-col gap-1.5">
        {data.units.map((u) => (
          <label
            key={u.id}
            className={`flex cursor-pointer flex-wrap items-center gap-x-3 rounded-lg border px-3 py-1.5 has-focus-visible:outline-2 has-focus-visible:outline-sky ${data.board_unit_id === u.id ? "border-mint bg-mint-3" : "border-rule bg-field hover:border-ink-3"}`}
          >
            <input type="radio" name="board" className="accent-mint" checked={data.board_unit_id === u.id} onChange={() => onPick(u.id)} />
            <b>{u.name}</b>
            <span className="font-mono text-[0.87rem] text-ink-2">{u.printed_mark}</span>
            <span className="ml-auto text-[0.87rem] text-ink-2">
              {u.bits}-bit, {u.radio}
              {u.ethernet ? ", Ethernet" : ""}
            </span>
          </label>
        ))}
      </div>
    </fieldset>
  );
}
