import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Controller, useForm } from "react-hook-form";
import { answer, GET, POST, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { changesOf } from "../../lib/changes";
import { Clash, clashOf, useClash } from "../../ui/Clash";
import { Findings } from "../../ui/Findings";
import { useChoices } from "../../ui/choices";
import { FormRow, INPUT, saved } from "../../ui/FormRow";
import { Mark } from "../../ui/Mark";
import { Button, Sheet, Trouble, Waiting } from "../../ui/parts";
import { type Option, Pick } from "../../ui/Pick";
import { PlacePicker, usePlaces } from "../../ui/PlacePicker";
import { useTakeOff } from "../../ui/TakeOff";
import { useToast } from "../../ui/toast";
import { Time } from "../../ui/Time";
import { Accounts } from "./Accounts";
import { Addresses } from "./Addresses";
import { Network, NetworkForm } from "./Network";
import { NewDevices } from "./NewDevices";

/** The places; one is shown at a time. */
export function SitePlace() {
  const { places, shown, pick, error } = usePlaces();
  const [name, setName] = useState("");
  const queries = useQueryClient();
  const again = () => void queries.invalidateQueries({ queryKey: ["sites"] });
  const add = useChange(["sites", "new"], (fresh: string) => answer(POST("/api/sites", { body: { name: fresh } })));
  if (!places) return error ? <Trouble error={error} /> : <Waiting what="the site" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <div>
          <h1 className="text-[1.8rem]">Site</h1>
          <p className="text-ink-2">What every card that is filled here gets, unless a deployment says otherwise.</p>
        </div>
        <PlacePicker places={places} shown={shown} onPick={pick} />
      </header>
      <Trouble error={add.error} />
      {shown && <OneSite key={shown.id} id={shown.id} only={places.length === 1} onGone={again} />}
      <form
        className="flex max-w-md flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(name, {
            onSuccess: (made) => {
              setName("");
              pick(made.id);
              again();
            },
          });
        }}
      >
        <input aria-label="Name of another place" className="min-w-0 flex-1 rounded-lg border border-rule bg-field px-2.5 py-1 placeholder:text-ink-3" placeholder="Another place" value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
        <Button type="submit" disabled={!name.trim() || add.isPending}>
          Add the place
        </Button>
      </form>
    </div>
  );
}

/** Fields that say themselves why they were refused. */
const SHOWN_AT = new Set(["name", "country", "time_zone", "keyboard", "locale", "networks", "ssid", "ssh_keys", "name_scheme", "admin_name", "admin_password"]);

function OneSite({ id, only, onGone }: { id: number; only: boolean; onGone: () => void }) {
  const KEY = ["site", id];
  const at = { params: { path: { pk: id } } };
  const { data, error } = useAnswer(KEY, () => answer(GET("/api/sites/{pk}", at)));
  const toast = useToast();
  const change = useChange(KEY, (body: Record<string, unknown>) => answer(PUT("/api/sites/{pk}", { ...at, body })));
  const add = useChange(KEY, (body: Shapes["NetworkIn"]) => answer(POST("/api/sites/{site_pk}/networks", { params: { path: { site_pk: id } }, body })));
  const alter = useChange(KEY, ({ pk, body }: { pk: number; body: Record<string, unknown> }) => answer(PUT("/api/networks/{pk}", { params: { path: { pk } }, body })));
  const takeOff = useTakeOff();
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the site" />;
  return (
    <div className="flex flex-col gap-3.5">
      <Trouble error={[change.error, add.error, alter.error].find((e) => e && !SHOWN_AT.has(e.where) && !clashOf(e))} />
      <FromThisMachine site={data} />
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <Sheet title="The place">
          <PlaceForm site={data} onSave={(body) => change.mutateAsync(body, { onSuccess: () => toast({ text: "Saved." }) })} />
          {data.findings.length > 0 && <Findings findings={data.findings} />}
          {!only && (
            <p className="mt-3 border-t border-rule-2 pt-2.5 text-[0.93rem] text-ink-2">
              You are not there any more?{" "}
              <Button small onClick={() => takeOff({ kind: "place", id, name: data.name, then: onGone })}>
                Take the place off
              </Button>
            </p>
          )}
        </Sheet>
        <Sheet title="Wi-Fi networks" hint="passphrases are kept encrypted">
          {data.wifi.length === 0 && <p className="mb-2 text-ink-2">None yet. Add the one your devices shall join.</p>}
          {data.wifi.map((n) => (
            <Network key={n.id} network={n} onSave={(values, was) => alter.mutateAsync({ pk: n.id, body: changesOf(was, values) }, { onSuccess: () => toast({ text: `${values.ssid} saved.` }) })} onRemove={() => takeOff({ kind: "network", id: n.id, name: n.ssid })} />
          ))}
          <details className="border-t border-rule-2 pt-2">
            <summary className="cursor-pointer font-[550] text-mint">Add a network</summary>
            <NetworkForm key={data.wifi.length} onSave={(body) => add.mutateAsync(body)} button="Add it" />
          </details>
        </Sheet>
        <Sheet title="Addresses" hint="as on the router’s page; for devices with a fixed one">
          <Addresses site={data} onSave={(body) => change.mutateAsync(body, { onSuccess: () => toast({ text: "Saved." }) })} />
        </Sheet>
        <Sheet title="New devices" hint="what each gets, unless it says otherwise">
          <NewDevices site={data} save={(body) => change.mutateAsync(body, { onSuccess: () => toast({ text: "Saved." }) })} refused={(field) => (change.error?.where === field ? change.error.message : data.findings.find((f) => f.severity === "stop" && f.where?.field === field)?.title)} />
        </Sheet>
        <Sheet title="Benches" hint="where cards are written">
          {data.benches.length === 0 && <p className="text-ink-2">None stands here. A bench joins when its worker is started.</p>}
          <ul>
            {data.benches.map((b) => (
              <li key={b.id} className="flex flex-wrap items-center gap-x-3 border-t border-rule-2 py-2 first:border-0">
                <Mark name={b.coming_up ? "run" : b.alive && !b.trouble ? "ok" : "check"} />
                <b>{b.name}</b>
                <span className="text-ink-2">
                  {{ standin: "stand-in", machine: "virtual machines", real: "real" }[b.kind]}; {b.coming_up ? "its worker is coming up" : b.alive ? "its worker answers" : b.seen_at ? <>last heard of <Time at={b.seen_at} day /></> : "never heard of"}
                </span>
                {!b.alive && !b.coming_up && (
                  <Button small className="ml-auto" aria-label={`Take ${b.name} off`} onClick={() => takeOff({ kind: "bench", id: b.id, name: b.name })}>
                    Take it off
                  </Button>
                )}
              </li>
            ))}
          </ul>
        </Sheet>
        <Accounts />
      </div>
    </div>
  );
}

interface PlaceValues {
  name: string;
  country: string;
  time_zone: string;
  keyboard: string;
  locale: string;
  networks: string;
  shared_range: boolean;
  ssh_keys: string;
}

const ALL = ["name", "country", "time_zone", "keyboard", "locale", "networks", "shared_range", "ssh_keys"] as const;

const FIELDS = ["name", "country", "time_zone", "keyboard", "locale", "networks", "ssh_keys"] as const;

/** What stands in the form: nothing else of the place moves it. */
const fieldsOf = (site: Shapes["SiteOut"]): PlaceValues => ({
  name: site.name, country: site.country, time_zone: site.time_zone, keyboard: site.keyboard, locale: site.locale, networks: site.networks.join(", "), shared_range: site.shared_range, ssh_keys: site.ssh_keys,
});

const PROPOSED: Record<Shapes["Proposal"]["field"], string> = { country: "Country", time_zone: "Time zone", keyboard: "Keyboard", locale: "Language", networks: "Own network", wifi: "Wi-Fi" };

/** What the machine that stands here says of the place where nobody said anything yet: proposed, and changed at will. */
function FromThisMachine({ site }: { site: Shapes["SiteOut"] }) {
  const queries = useQueryClient();
  const key = ["site", site.id, "proposals"];
  const { data } = useAnswer(key, () => answer(GET("/api/sites/{pk}/proposals", { params: { path: { pk: site.id } } })));
  const take = useChange(["site", site.id, "proposed"], async (wanted: readonly Shapes["Proposal"][]) => {
    const body: Record<string, unknown> = {};
    for (const p of wanted.filter((p) => p.field !== "wifi")) body[p.field] = p.field === "networks" ? [...((body.networks as string[] | undefined) ?? site.networks), p.value] : (body[p.field] ?? p.value);
    const was = Object.fromEntries(Object.keys(body).map((name) => [name, site[name as "country"]]));
    if (Object.keys(body).length) await answer(PUT("/api/sites/{pk}", { params: { path: { pk: site.id } }, body: changesOf(was, body) }));
    for (const p of wanted.filter((p) => p.field === "wifi")) {
      await answer(POST("/api/sites/{site_pk}/networks", { params: { path: { site_pk: site.id } }, body: { ssid: p.value, band_ghz: p.band_ghz, hidden: false, wpa3_only: p.wpa3_only, open: false, channel: null, passphrase: "" } }));
    }
    return queries.invalidateQueries({ queryKey: ["site", site.id] });
  });
  if (!data?.length) return null;
  return (
    <Sheet title="Proposed for this place" hint="by this machine and the country; nothing is taken unasked">
      <Trouble error={take.error} />
      <ul>
        {data.map((p) => (
          <li key={p.field + p.value} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule-2 py-1.5 first:border-0">
            <span className="w-28 text-ink-2">{PROPOSED[p.field]}</span>
            <b className="font-[550] [overflow-wrap:anywhere]">{p.text}</b>
            <span className="text-[0.9rem] text-ink-2">{p.source}{p.field === "wifi" ? "; its passphrase is yours to type" : ""}</span>
            <Button small className="ml-auto" disabled={take.isPending} aria-label={`Take ${PROPOSED[p.field]} ${p.text}`} onClick={() => take.mutate([p])}>
              Take it
            </Button>
          </li>
        ))}
      </ul>
      {data.length > 1 && (
        <Button className="mt-2" disabled={take.isPending} onClick={() => take.mutate(data)}>
          Take them all
        </Button>
      )}
    </Sheet>
  );
}

function PlaceForm({ site, onSave }: { site: Shapes["SiteOut"]; onSave: (body: Record<string, unknown>) => Promise<unknown> }) {
  const lists = useChoices();
  const { register, control, handleSubmit, formState, setError, reset } = useForm<PlaceValues>({ values: fieldsOf(site), resetOptions: { keepDirtyValues: true, keepErrors: true } });
  const { was, theirs, begin, watch, settle } = useClash(site);
  const send = (from: Shapes["SiteOut"]) =>
    handleSubmit((v) => {
      const before = Object.fromEntries(ALL.map((name) => [name, from[name]]));
      const saving = onSave(changesOf(before, { ...v, networks: v.networks.split(/[\s,]+/).filter(Boolean) }));
      watch(saving);
      return saved(saving, FIELDS, setError);
    })();
  if (!formState.isDirty) begin(); // what one begins to change is what stands there
  const problem = (name: keyof PlaceValues) => formState.errors[name]?.message;
  const pick = (name: "country" | "time_zone" | "keyboard" | "locale", label: string, options: readonly Option[]) => (
    <Controller
      name={name}
      control={control}
      render={({ field }) => <Pick label={label} empty="pick one" value={field.value} options={options} onSave={field.onChange} problem={problem(name)} hint={name === "time_zone" ? undefined : field.value} />}
    />
  );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void send(was);
      }}
      className="flex flex-col gap-2"
    >
      <FormRow label="Name" problem={problem("name")}>
        <input className={INPUT} spellCheck={false} maxLength={80} {...register("name")} />
      </FormRow>
      {pick("country", "Country", lists.countries)}
      {pick("time_zone", "Time zone", lists.time_zones)}
      {pick("keyboard", "Keyboard", lists.keyboards)}
      {pick("locale", "Language", lists.languages)}
      <FormRow label="Own network" hint="only these ranges are looked at" problem={problem("networks")}>
        <input className={INPUT} spellCheck={false} {...register("networks")} />
      </FormRow>
      <label className="flex items-baseline gap-2 pl-[7rem] text-[0.92rem] text-ink-2">
        <input type="checkbox" className="accent-mint" {...register("shared_range")} />
        <span>100.64.0.0/10 belongs to this place, not to my provider</span>
      </label>
      <FormRow label="Public keys" hint="one a line, as in a file that ends in .pub; they open your devices" problem={problem("ssh_keys")}>
        <textarea className={`${INPUT} min-h-[4.2rem] font-mono text-[0.85rem]`} spellCheck={false} autoCapitalize="off" rows={2} wrap="off" {...register("ssh_keys")} />
      </FormRow>
      {theirs && <Clash theirs={theirs} onMine={() => void send(settle())} onTheirs={() => reset(fieldsOf(settle()))} />}
      <div className="mt-1">
        <Button type="submit" go disabled={!formState.isDirty || formState.isSubmitting}>
          Save the place
        </Button>
      </div>
    </form>
  );
}
