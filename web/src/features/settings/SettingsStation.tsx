import { Tabs } from "radix-ui";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { answer, GET, POST, type Problem, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange, useOnce } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { plural } from "../../lib/words";
import { Field } from "../../ui/Field";
import { Findings } from "../../ui/Findings";
import { Button, Facts, Mono, Sheet, Trouble, Waiting } from "../../ui/parts";
import { useChoices } from "../../ui/choices";
import { Pick } from "../../ui/Pick";
import { Select } from "../../ui/Select";
import { StationFrame } from "../../ui/StationFrame";
import { FileView } from "../../ui/FileView";
import { Address } from "./Address";
import { AlsoKnows } from "./AlsoKnows";
import { ByHand } from "./ByHand";
import { PutOnCard } from "./PutOnCard";

type SettingsAnswer = Shapes["SettingsOut"];
type Change = Shapes["SettingsIn"];

export function SettingsStation({ id }: { id: number }) {
  const key = ["deployment", id, "settings"];
  const path = { params: { path: { pk: id } } };
  const navigate = useNavigate();
  const { data, error } = useAnswer(key, () => answer(GET("/api/deployments/{pk}/settings", path)));
  const change = useChange(key, (body: Change) => answer(PUT("/api/deployments/{pk}/settings", { ...path, body })));
  const [ofPassword, setOfPassword] = useState<SettingsAnswer["of_password"]>([]);
  const save = (body: Change) => change.mutate(body, { onSuccess: (fresh) => body.admin_password !== undefined && setOfPassword(fresh.of_password) });
  const agree = useChange(key, () => answer(POST("/api/deployments/{pk}/settings/agree", path)));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the settings" />;
  const stop = data.findings.find((f) => f.severity === "stop");
  const stopped = stop !== undefined || (!data.image_read && data.writes_card) || (data.fills && !data.files.length);
  return (
    <StationFrame
      deployment={data.deployment}
      station="settings"
      main={
        <Button main disabled={stopped || agree.isPending} onClick={() => agree.mutate(undefined, { onSuccess: () => void navigate(stationPath(id, data.writes_card ? "card" : "boot")) })}>
          {data.writes_card ? "Put on a card" : "Go on to First boot"}
        </Button>
      }
      waits={stopped ? stop?.title ?? (data.image_read ? "a value stands in the way" : "choose the image") : undefined}
    >
      <Trouble error={change.error ?? agree.error} />
      <div className="grid items-start gap-3.5 lg:grid-cols-[318px_minmax(0,1fr)_262px]">
        <Sheet
          title="What goes in"
          aside={
            <Link to="/site" className="text-[0.93rem] text-mint hover:underline">
              Edit the site
            </Link>
          }
        >
          <Values data={data} save={save} ofPassword={ofPassword ?? []} refused={change.error} id={id} />
        </Sheet>
        <div className="min-w-0 max-lg:order-3">
          {data.by_hand.length > 0 && <ByHand data={data} id={id} />}
          {!data.fills && data.files.length > 0 && <PutOnCard id={id} stopped={stop !== undefined} />}
          {(data.fills || data.files.length > 0) && <Files data={data} id={id} />}
        </div>
        <aside className="flex min-w-0 flex-col gap-3">
          <Sheet title={data.writes_card ? "Before it goes on the card" : "Before it is powered"}>
            <Findings findings={data.findings} deploymentId={id} onAction={(field, value) => change.mutate({ [field]: value })} />
          </Sheet>
          <p className="px-1 text-[0.92rem] text-ink-2">
            A file from elsewhere does not work?{" "}
            <Link to={`/doctor?for=${id}`} className="text-mint-ink underline">
              Show it to the doctor
            </Link>
          </p>
          <Sheet title="Facts">
            <Facts
              rows={[
                [
                  "Page",
                  <span key="p">
                    <Mono>{data.page_url}</Mono> <span className="text-ink-2">if its name answers, else at its address</span>
                  </span>,
                ],
                ["Joins in", data.joins_text || "a board is not chosen"],
              ]}
            />
          </Sheet>
        </aside>
      </div>
    </StationFrame>
  );
}

function Files({ data, id }: { data: SettingsAnswer; id: number }) {
  const [open, setOpen] = useState(0);
  const file = data.files[open] ?? data.files[0];
  if (!file) {
    return (
      <Sheet title="As on the card">
        <p className="text-ink-2">
          {data.image_read ? "A value stands in the way; mend it and the files show here as they will be." : "Choose the image first: its own files are filled and shown here."}
        </p>
      </Sheet>
    );
  }
  return (
    <Tabs.Root value={file.path} onValueChange={(path) => setOpen(data.files.findIndex((f) => f.path === path))} className="flex min-w-0 flex-col rounded-xl border border-rule bg-sheet">
      <Tabs.List aria-label="Files" className="flex flex-wrap items-center gap-2 border-b border-rule px-3.5 py-2.5">
        {data.files.map((f) => (
          <Tabs.Trigger key={f.path} value={f.path} title={f.path} className="rounded-md bg-rule-2 px-2 py-0.5 font-mono text-[0.88rem] text-ink-2 data-[state=active]:bg-mint-2 data-[state=active]:font-semibold data-[state=active]:text-mint-ink">
            {f.path.length > 30 ? `…/${f.path.split("/").at(-1)}` : f.path}
          </Tabs.Trigger>
        ))}
        <span className="ml-auto text-[0.85rem] text-ink-2">{data.fills ? "as on the card" : "as it has to stand on the card"}</span>
      </Tabs.List>
      <Tabs.Content value={file.path} tabIndex={-1}>
        <p className="flex flex-wrap items-center gap-2 px-3.5 pt-2 text-[0.9rem] text-ink-2">
          {file.title}. {plural(file.changed_lines, "line")} changed, all others as they came.
          {!data.fills && (
            <a className="font-[550] text-mint-ink underline" href={`/api/deployments/${id}/settings/files/${data.files.indexOf(file)}`} download>
              Save this file
            </a>
          )}
        </p>
        {file.meaning && (
          <p className="px-3.5 pt-1 [overflow-wrap:anywhere]">
            <span className="text-ink-2">The device:</span> {file.meaning}
          </p>
        )}
        <FileView lines={file.lines} label={file.path} />
      </Tabs.Content>
    </Tabs.Root>
  );
}

interface ValuesProps {
  data: SettingsAnswer;
  save: (body: Change) => void;
  refused: Problem | null;
  /** What was said of the password that was typed last: it is a hash now, and nobody can say it again. */
  ofPassword: NonNullable<SettingsAnswer["of_password"]>;
  id: number;
}

function Values({ data, save, refused, ofPassword, id }: ValuesProps) {
  const lists = useChoices();
  const wifi = data.way === "wifi";
  const from = (v: Shapes["ValueOut"]) => (v.from_site ? "site" : `site says ${v.site_value}`);
  const tone = (v: Shapes["ValueOut"]) => (v.from_site ? "plain" : "check");
  const site = (v: Shapes["ValueOut"]) => ({ first: { value: v.site_value, why: "the site's" } });
  /** What is wrong with a field: the core's finding about it, or why it was not taken. */
  const problem = (field: string) => (refused?.where === field ? refused.message : data.findings.find((f) => f.severity === "stop" && f.where?.field === field)?.title);
  return (
    <div className="flex flex-col gap-2">
      <h3 className="cap">Network</h3>
      {wifi ? (
        <>
          <Row label="Wi-Fi">
            {data.ssid || "none chosen"} <span className="text-ink-3">{data.band_ghz ? `${data.band_ghz} GHz` : ""}</span>
          </Row>
          {data.open_network ? <Row label="Passphrase">none: it takes anybody</Row> : <Passphrase data={data} save={save} id={id} problem={problem("passphrase")} />}
          <Pick label="Country" empty="pick the country" value={data.country.value} options={lists.countries} hint={from(data.country)} tone={tone(data.country)} problem={problem("country")} {...site(data.country)} onSave={(country) => save({ country, was: { country: data.country.value } })} />
        </>
      ) : (
        <Row label="By">cable</Row>
      )}
      {wifi && <AlsoKnows data={data} save={save} problem={problem("also")} />}
      <Address data={data} save={save} problem={problem("address")} />
      <h3 className="cap mt-2">This device</h3>
      <Field label="Host name" mono value={data.host_name} problem={problem("host_name")} onSave={(host_name, was) => save({ host_name, was: { host_name: was } })} />
      {data.name_by_scheme && (
        <p className="-mt-1 pl-[7rem] text-[0.85rem] text-ink-2">
          The place’s scheme makes it{" "}
          <button type="button" className="text-left font-mono [overflow-wrap:anywhere] text-mint hover:underline" onClick={() => save({ host_name: data.name_by_scheme, was: { host_name: data.host_name } })}>
            {data.name_by_scheme}
          </button>
        </p>
      )}
      <Pick label="Time zone" empty="pick the zone" value={data.time_zone.value} options={lists.time_zones} hint={from(data.time_zone)} tone={tone(data.time_zone)} problem={problem("time_zone")} {...site(data.time_zone)} onSave={(time_zone) => save({ time_zone, was: { time_zone: data.time_zone.value } })} />
      <Pick label="Keyboard" empty="pick the layout" value={data.keyboard.value} options={lists.keyboards} hint={from(data.keyboard)} tone={tone(data.keyboard)} problem={problem("keyboard")} {...site(data.keyboard)} onSave={(keyboard) => save({ keyboard, was: { keyboard: data.keyboard.value } })} />
      {data.takes_locale && (
        <Pick label="Language" empty="as the image comes" value={data.locale.value} options={data.locale.site_value ? lists.languages.filter((o) => o.value) : lists.languages} hint={from(data.locale)} tone={tone(data.locale)} problem={problem("locale")} {...site(data.locale)} onSave={(locale) => save({ locale, was: { locale: data.locale.value } })} />
      )}
      {data.asks.length > 0 && <h3 className="cap mt-2">Asked by this appliance</h3>}
      {data.asks.map((ask) => (
        <div key={ask.id}>
          {ask.choices.length > 0 ? (
            <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
              <span className="text-[0.92rem] text-ink-2">{ask.title}</span>
              <Select label={ask.title} value={ask.value} options={ask.choices.map((c) => [c.value, c.text || c.value] as const)} onPick={(value) => save({ answers: { [ask.id]: value } })} className="w-full" />
              {problem(`answers.${ask.id}`) && <span className="col-start-2 text-[0.88rem] text-stop">{problem(`answers.${ask.id}`)}</span>}
            </div>
          ) : (
          <Field
            label={ask.title}
            secret={ask.secret}
            mono
            value={ask.value}
            placeholder={ask.secret && ask.given ? "••••••••" : ""}
            problem={problem(`answers.${ask.id}`)}
            onSave={(value) => save({ answers: { [ask.id]: value } })}
          />
          )}
          {ask.hint && <p className="pl-[7rem] text-[0.83rem] text-ink-3">{ask.hint}</p>}
        </div>
      ))}
      <h3 className="cap mt-2">Way in</h3>
      {data.takes_admin ? (
        <>
          {data.own_account ? (
            <p className="text-[0.93rem]">
              <span className="font-mono">{data.own_account}</span> <span className="text-ink-2">is the image’s own account; it gets the password you set here.</span>
            </p>
          ) : (
            <Field label="Admin" mono value={data.admin_name.value} placeholder="such as keeper" hint={data.admin_name.from_site && data.admin_name.value ? "site" : ""} problem={problem("admin_name")} onSave={(admin_name, was) => save({ admin_name, was: { admin_name: was } })} />
          )}
          <Field
            label="Password"
            secret
            mono
            value=""
            placeholder={data.admin_password_set ? "••••••••" : "10 or more"}
            hint={data.admin_from_site ? "site" : data.admin_password_set ? "hashed" : ""}
            problem={problem("admin_password")}
            onSave={(admin_password) => save({ admin_password })}
          />
          {ofPassword.length > 0 && <Findings findings={ofPassword} />}
        </>
      ) : (
        <p className="text-[0.93rem] text-ink-2">This image takes no account beforehand. Its own login is changed under Set up.</p>
      )}
      {data.fills && (
        <p className="mt-2 border-t border-dashed border-rule pt-2 text-[0.9rem] text-ink-2">
          The files are filled in the image, <b>before</b> writing: no editor, no remounting of the card.
        </p>
      )}
    </div>
  );
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <span className="text-[0.92rem] text-ink-2">{label}</span>
      <span className="min-w-0 break-words">{children}</span>
    </div>
  );
}

function Passphrase({ data, save, id, problem }: { data: SettingsAnswer; save: (body: Change) => void; id: number; problem: string | undefined }) {
  const [shown, setShown] = useState("");
  const show = useOnce(() => answer(POST("/api/deployments/{pk}/settings/passphrase", { params: { path: { pk: id } } })));
  const goesIn = !data.fills && data.files.length === 0 ? "you type it on the device" : data.wpa3_only ? "WPA3 takes the words themselves" : "the derived key goes in, not the words";
  const toggle = () => (shown ? setShown("") : show.mutate(undefined, { onSuccess: (s) => setShown(s.value) }));
  return (
    <>
      <Field
        label="Passphrase"
        mono
        secret={!shown}
        value={shown}
        placeholder={data.passphrase_set ? "••••••••••••" : "none yet"}
        problem={problem}
        tone={data.passphrase_from_site ? "plain" : "check"}
        hint={
          <button type="button" className="text-mint hover:underline" onClick={toggle}>
            {shown ? "hide" : "show"}
          </button>
        }
        onSave={(passphrase) => {
          setShown("");
          save({ passphrase });
        }}
      />
      <p className="-mt-1 pl-[7rem] text-[0.85rem] text-ink-3">
        {data.passphrase_from_site ? (
          `the site's; ${goesIn}`
        ) : (
          <>
            only for this card.{" "}
            <button
              type="button"
              className="text-mint hover:underline"
              onClick={() => {
                setShown("");
                save({ passphrase: "" });
              }}
            >
              Use the site's
            </button>
          </>
        )}
      </p>
    </>
  );
}
