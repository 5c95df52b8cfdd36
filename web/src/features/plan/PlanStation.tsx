import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { answer, GET, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Cautions } from "../../ui/Cautions";
import { Card, Cards } from "../../ui/Cards";
import { Field } from "../../ui/Field";
import { Findings } from "../../ui/Findings";
import { Button, ButtonLink, Sheet, Trouble, Waiting } from "../../ui/parts";
import { Pick } from "../../ui/Pick";
import { StationFrame } from "../../ui/StationFrame";

type Unit = Shapes["PlanOut"]["units"][number];

const text = (value: number | null) => (value === null ? "" : String(value));

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
  const waits = data.findings.find((f) => f.severity === "stop") ?? data.findings.find((f) => f.severity === "yet");
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
        <div className="flex flex-col gap-3.5">
          <Sheet title="What goes together" hint={`${data.deployment.appliance}, ${data.deployment.kind}`}>
            <div className="flex flex-col gap-2">
              <Field label="Name" value={data.name} onSave={(name) => save({ name })} />
              <BoardChoice data={data} onPick={(board_unit_id) => save({ board_unit_id })} />
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
                value={text(data.card_gb)}
                empty={`choose; ${data.advised_gb} GB advised`}
                options={data.card_sizes.map((g) => ({ value: String(g), text: `${g} GB`, hint: g < data.least_gb ? "too small" : g === data.advised_gb ? "advised" : undefined }))}
                onSave={(picked) => save({ card_gb: Number(picked) })}
              />
              <Pick
                label="Supply"
                value={text(data.supply_id)}
                empty="choose the one you will use"
                options={data.supplies.map((s) => ({ value: String(s.id), text: s.name, hint: s.text }))}
                onSave={(picked) => save({ supply_id: Number(picked) })}
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

/** A shelf of a few boards lies open; a longer one is searched. */
const OPEN_SHELF = 8;

function BoardChoice({ data, onPick }: { data: Shapes["PlanOut"]; onPick: (id: number) => void }) {
  const [typed, setTyped] = useState("");
  const search = useDeferredValue(typed.trim());
  const id = data.deployment.id;
  const found = useQuery({
    queryKey: ["deployment", id, "plan", "boards", search],
    enabled: search !== "",
    queryFn: () => answer(GET("/api/deployments/{pk}/plan", { params: { path: { pk: id }, query: { units: search } } })),
  });
  const facts = (u: Unit) => `${u.bits}-bit, ${u.radio}${u.ethernet ? ", Ethernet" : ""}`;
  const users = (u: Unit) => u.used_by.filter((name) => name !== data.name);
  if (data.units.length > OPEN_SHELF || data.more_units) {
    const units = search && found.data ? found.data.units : data.units;
    return (
      <Pick
        label="Board"
        value={text(data.board_unit_id)}
        empty="choose it by its printed mark"
        options={units.map((u) => ({ value: String(u.id), text: `${u.name} (${u.printed_mark})`, hint: users(u)[0] ? `in ${users(u)[0]}` : facts(u) }))}
        onSave={(picked) => onPick(Number(picked))}
        onSearch={setTyped}
        more={data.more_units && !search}
      />
    );
  }
  return (
    <div className="my-1">
      <p className="mb-1 text-[0.92rem] text-ink-2">Board, by the mark printed on it</p>
      <Cards label="Board, by the mark printed on it" value={text(data.board_unit_id)} onPick={(picked) => onPick(Number(picked))}>
        {data.units.map((u) => (
          <Card key={u.id} value={String(u.id)} name={<b>{u.name}</b>} className="!py-1.5">
            {" "}
            <span className="font-mono text-[0.87rem] text-ink-2">{u.printed_mark}</span>
            <span className="block text-[0.87rem] text-ink-2">
              {facts(u)}
              {users(u).length > 0 && `; planned for ${users(u).join(", ")}`}
            </span>
          </Card>
        ))}
      </Cards>
    </div>
  );
}
