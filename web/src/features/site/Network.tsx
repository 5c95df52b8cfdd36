import { useState } from "react";
import { useForm } from "react-hook-form";
import { answer, POST, type Severity, type Shapes } from "../../api/client";
import { useOnce } from "../../api/use";
import { Mark } from "../../ui/Mark";
import { Button, Mono } from "../../ui/parts";

type Values = Required<Shapes["NetworkIn"]>;

interface Props {
  network: Shapes["NetworkOut"];
  onSave: (body: Shapes["NetworkIn"]) => void;
  onRemove: () => void;
}

export function Network({ network: n, onSave, onRemove }: Props) {
  const [editing, setEditing] = useState(false);
  const [shown, setShown] = useState("");
  const show = useOnce(() => answer(POST("/api/site/networks/{pk}/passphrase", { params: { path: { pk: n.id } } })));
  const worst = n.findings[0];
  return (
    <div className="border-t border-rule-2 py-2.5 first:border-0">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Mark name={worst && worst.severity !== "ok" ? (worst.severity as Severity) : "ok"} />
        <b>{n.ssid}</b>
        <span className="text-ink-2">
          {n.band_ghz} GHz{n.hidden ? ", hidden" : ""}
        </span>
        <Mono className="break-all text-ink-2">{shown || (n.passphrase_set ? "••••••••••••" : "no passphrase")}</Mono>
        <span className="ml-auto flex gap-2">
          {n.passphrase_set && (
            <Button small onClick={() => (shown ? setShown("") : show.mutate(undefined, { onSuccess: (s) => setShown(s.value) }))}>
              {shown ? "Hide" : "Show"}
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
      {editing && (
        <NetworkForm
          start={{ ssid: n.ssid, band_ghz: n.band_ghz, hidden: n.hidden, passphrase: "" }}
          onSave={(body) => {
            setEditing(false);
            setShown("");
            onSave(body);
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
  onSave: (body: Shapes["NetworkIn"]) => void;
  onRemove?: () => void;
  button: string;
}

const EMPTY: Values = { ssid: "", band_ghz: 2.4, hidden: false, passphrase: "" };

export function NetworkForm({ start = EMPTY, onSave, onRemove, button }: FormProps) {
  const { register, handleSubmit } = useForm<Values>({ defaultValues: start });
  const submit = handleSubmit((v) => onSave({ ...v, band_ghz: Number(v.band_ghz) }));
  const input = "w-full rounded-lg border border-rule bg-field px-2.5 py-1";
  const row = "grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5";
  return (
    <form onSubmit={(e) => void submit(e)} className="mt-2 flex flex-col gap-2">
      <label className={row}>
        <span className="text-[0.92rem] text-ink-2">Name</span>
        <input className={input} spellCheck={false} {...register("ssid", { required: true })} />
      </label>
      <label className={row}>
        <span className="text-[0.92rem] text-ink-2">Passphrase</span>
        <input className={`${input} font-mono`} type="password" autoComplete="new-password" placeholder={start.ssid ? "empty leaves it as it is" : ""} {...register("passphrase")} />
      </label>
      <label className={row}>
        <span className="text-[0.92rem] text-ink-2">Band</span>
        <select className={input} {...register("band_ghz")}>
          <option value={2.4}>2.4 GHz</option>
          <option value={5}>5 GHz</option>
        </select>
      </label>
      <label className="flex items-center gap-2 pl-[7rem] text-[0.95rem]">
        <input type="checkbox" className="accent-mint" {...register("hidden")} /> the router hides its name
      </label>
      <div className="flex gap-2 pl-[7rem]">
        <Button type="submit" go small>
          {button}
        </Button>
        {onRemove && (
          <Button small onClick={onRemove}>
            Remove it
          </Button>
        )}
      </div>
    </form>
  );
}
