import { useState } from "react";
import { Controller, useForm, useWatch } from "react-hook-form";
import { answer, POST, type Severity, type Shapes } from "../../api/client";
import { useOnce } from "../../api/use";
import { Clash, useClash } from "../../ui/Clash";
import { FormButtons, FormRow, INPUT, saved } from "../../ui/FormRow";
import { Mark } from "../../ui/Mark";
import { Button, Mono, Tag } from "../../ui/parts";
import { QrCode } from "../../ui/QrCode";
import { CodePhoto } from "./CodePhoto";
import { Select } from "../../ui/Select";

export type Values = Required<Shapes["NetworkIn"]>;

interface Props {
  network: Shapes["NetworkOut"];
  onSave: (values: Values, was: Values) => Promise<unknown>;
  onRemove: () => void;
}

export function Network({ network: n, onSave, onRemove }: Props) {
  const [editing, setEditing] = useState(false);
  const [shown, setShown] = useState("");
  const show = useOnce(() => answer(POST("/api/networks/{pk}/passphrase", { params: { path: { pk: n.id } } })));
  const guests = useOnce(() => answer(POST("/api/networks/{pk}/join-code", { params: { path: { pk: n.id } } })));
  const [code, setCode] = useState<Shapes["GuestCodeOut"] | null>(null);
  const worst = n.findings[0];
  return (
    <div className="border-t border-rule-2 py-2.5 first:border-0">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Mark name={worst && worst.severity !== "ok" ? (worst.severity as Severity) : "ok"} />
        <b>{n.ssid}</b>
        <span className="text-ink-2">
          {n.band_ghz} GHz{n.hidden ? ", hidden" : ""}
          {n.channel ? `, channel ${n.channel}` : ""}
          {n.wpa3_only ? ", WPA3 only" : ""}
          {n.open ? ", open" : ""}
        </span>
        <Mono className="break-all text-ink-2">{shown || (n.open ? "anybody joins" : n.passphrase_set ? "••••••••••••" : "no passphrase")}</Mono>
        {n.used_by.map((name) => (
          <Tag key={name}>
            <span className="min-w-0 [overflow-wrap:anywhere]">{name}</span>
          </Tag>
        ))}
        <span className="ml-auto flex gap-2">
          {n.passphrase_set && !n.open && (
            <Button small onClick={() => (shown ? setShown("") : show.mutate(undefined, { onSuccess: (s) => setShown(s.value) }))}>
              {shown ? "Hide" : "Show"}
            </Button>
          )}
          {(n.passphrase_set || n.open) && (
            <Button small aria-expanded={code !== null} onClick={() => (code ? setCode(null) : guests.mutate(undefined, { onSuccess: setCode }))}>
              For guests
            </Button>
          )}
          <Button small onClick={() => setEditing(!editing)} aria-expanded={editing}>
            Change
          </Button>
        </span>
      </div>
      {worst && worst.severity !== "ok" && (
        <p className="pl-8 text-[0.93rem] text-ink-2">
          {worst.title}. {worst.fix}
        </p>
      )}
      {code && (
        <div className="mt-2 flex flex-wrap items-center gap-4 pl-8">
          <QrCode path={code.qr_path} size={code.qr_size} label={`Join code of ${n.ssid}`} className="w-40 rounded-md" />
          <p className="max-w-72 text-[0.93rem] text-ink-2">
            A phone that looks at it is offered <b>{n.ssid}</b>.{n.open ? "" : " The passphrase is in it: show it to guests, put no picture of it anywhere."}
          </p>
        </div>
      )}
      {editing && (
        <NetworkForm
          start={{ ssid: n.ssid, band_ghz: n.band_ghz, hidden: n.hidden, wpa3_only: n.wpa3_only, open: n.open, channel: n.channel, passphrase: "" }}
          onSave={async (values, was) => {
            await onSave(values, was);
            setEditing(false);
            setShown("");
            setCode(null);
          }}
          onRemove={onRemove}
          button="Save it"
        />
      )}
    </div>
  );
}

interface FormProps {
  start?: Values;
  /** `was`: what stood in the form when it was opened. */
  onSave: (values: Values, was: Values) => Promise<unknown>;
  onRemove?: () => void;
  button: string;
}

const BANDS = [
  ["2.4", "2.4 GHz"],
  ["5", "5 GHz"],
] as const;

const EMPTY: Values = { ssid: "", band_ghz: 2.4, hidden: false, wpa3_only: false, open: false, channel: null, passphrase: "" };

/** How a network lets devices in: one of these, as a router's page says it. */
const SECURITY = [
  ["wpa2", "WPA2, also with WPA3 beside it"],
  ["wpa3", "WPA3 only, no WPA2 beside it"],
  ["open", "Open, without a passphrase"],
] as const;

export function NetworkForm({ start = EMPTY, onSave, onRemove, button }: FormProps) {
  const { register, handleSubmit, control, setError, setValue, reset, formState } = useForm<Values>({ defaultValues: start });
  const decode = useOnce((code: string) => answer(POST("/api/join-code", { body: { code } })));
  const { was, theirs, watch, settle } = useClash(start);
  const [open, wpa3] = useWatch({ control, name: ["open", "wpa3_only"] });
  const take = (code: string) =>
    decode.mutate(code, {
      onSuccess: (said) => {
        for (const name of ["ssid", "passphrase", "hidden", "wpa3_only", "open"] as const) setValue(name, said[name], { shouldDirty: true });
      },
      onError: (refused) => setError("ssid", { message: refused.message }),
    });
  const send = (from: Values) =>
    handleSubmit((v) => {
      const saving = onSave({ ...v, band_ghz: Number(v.band_ghz) }, from);
      watch(saving);
      return saved(saving, ["ssid", "channel"], setError);
    })();
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void send(was);
      }}
      className="mt-2 flex flex-col gap-2">
      <FormRow label="Name" problem={formState.errors.ssid?.message} {...(start.ssid ? {} : { hint: "as your phone lists it; a join code, WIFI:S:…, can be pasted here" })}>
        <input
          className={INPUT}
          aria-label="Name"
          spellCheck={false}
          {...register("ssid", { required: "A network has a name" })}
          onPaste={(e) => {
            const pasted = e.clipboardData.getData("text");
            if (!/^\s*WIFI:/i.test(pasted)) return;
            e.preventDefault();
            take(pasted);
          }}
        />
      </FormRow>
      {!start.ssid && <CodePhoto onRead={take} onNone={(why) => setError("ssid", { message: why })} />}
      <FormRow label="Security">
        <Select
          label="Security"
          value={open ? "open" : wpa3 ? "wpa3" : "wpa2"}
          options={SECURITY}
          onPick={(kind) => {
            setValue("open", kind === "open", { shouldDirty: true });
            setValue("wpa3_only", kind === "wpa3", { shouldDirty: true });
          }}
        />
      </FormRow>
      {!open && (
      <FormRow label="Passphrase">
        <input className={`${INPUT} font-mono`} type="password" autoComplete="new-password" placeholder={start.ssid ? "empty leaves it as it is" : ""} {...register("passphrase")} />
      </FormRow>
      )}
      <FormRow label="Band">
        <Controller name="band_ghz" control={control} render={({ field }) => <Select label="Band" value={String(field.value)} options={BANDS} onPick={(band) => field.onChange(Number(band))} />} />
      </FormRow>
      <FormRow label="Channel" problem={formState.errors.channel?.message} hint="where the router keeps to one; else empty">
        <input className={INPUT} inputMode="numeric" aria-label="Channel" {...register("channel", { setValueAs: (v: string | number | null) => (v === "" || v === null ? null : Number(v)), validate: (v) => v === null || (Number.isInteger(v) && v >= 1 && v <= 233) || "A channel is a number" })} />
      </FormRow>
      <label className="flex items-center gap-2 pl-[7rem] text-[0.95rem]">
        <input type="checkbox" className="accent-mint" {...register("hidden")} /> the router hides its name
      </label>
      {theirs && <Clash theirs={theirs} onMine={() => void send(settle())} onTheirs={() => reset(settle())} />}
      <FormButtons save={button} onRemove={onRemove} />
    </form>
  );
}
