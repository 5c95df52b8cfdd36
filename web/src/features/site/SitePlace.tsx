import { useForm } from "react-hook-form";
import { answer, DELETE, GET, POST, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { Findings } from "../../ui/Findings";
import { Button, Sheet, Trouble, Waiting } from "../../ui/parts";
import { useToast } from "../../ui/toast";
import { Network, NetworkForm } from "./Network";

const KEY = ["site"];

export function SitePlace() {
  const { data, error } = useAnswer(KEY, () => answer(GET("/api/site")));
  const toast = useToast();
  const change = useChange(KEY, (body: Shapes["SiteIn"]) => answer(PUT("/api/site", { body })));
  const add = useChange(KEY, (body: Shapes["NetworkIn"]) => answer(POST("/api/site/networks", { body })));
  const alter = useChange(KEY, ({ pk, body }: { pk: number; body: Shapes["NetworkIn"] }) => answer(PUT("/api/site/networks/{pk}", { params: { path: { pk } }, body })));
  const remove = useChange(KEY, (pk: number) => answer(DELETE("/api/site/networks/{pk}", { params: { path: { pk } } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the site" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header>
        <h1 className="text-[1.8rem]">Site</h1>
        <p className="text-ink-2">What every card that is filled here gets, unless a deployment says otherwise.</p>
      </header>
      <Trouble error={change.error ?? add.error ?? alter.error ?? remove.error} />
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <Sheet title="The place">
          <PlaceForm site={data} onSave={(body) => change.mutate(body, { onSuccess: () => toast({ text: "Saved." }) })} />
          {data.findings.length > 0 && <Findings findings={data.findings} />}
        </Sheet>
        <Sheet title="Wi-Fi networks" hint="passphrases are kept encrypted">
          {data.wifi.length === 0 && <p className="mb-2 text-ink-2">None yet. Add the one your devices shall join.</p>}
          {data.wifi.map((n) => (
            <Network key={n.id} network={n} onSave={(body) => alter.mutate({ pk: n.id, body }, { onSuccess: () => toast({ text: `${body.ssid} saved.` }) })} onRemove={() => remove.mutate(n.id)} />
          ))}
          <details className="border-t border-rule-2 pt-2">
            <summary className="cursor-pointer font-[550] text-mint">Add a network</summary>
            <NetworkForm key={data.wifi.length} onSave={(body) => add.mutate(body)} button="Add it" />
          </details>
        </Sheet>
      </div>
    </div>
  );
}

interface PlaceValues {
  name: string;
  country: string;
  time_zone: string;
  keyboard: string;
  networks: string;
}

const FIELDS: readonly (readonly [keyof PlaceValues, string, string])[] = [
  ["name", "Name", ""],
  ["country", "Country", "two capital letters, such as GB"],
  ["time_zone", "Time zone", "such as Europe/London"],
  ["keyboard", "Keyboard", "such as gb or us"],
  ["networks", "Own network", "only these ranges are looked at"],
];

function PlaceForm({ site, onSave }: { site: Shapes["SiteOut"]; onSave: (body: Shapes["SiteIn"]) => void }) {
  const { register, handleSubmit, formState } = useForm<PlaceValues>({ values: { ...site, networks: site.networks.join(", ") } });
  const submit = handleSubmit((v) => onSave({ ...v, networks: v.networks.split(/[\s,]+/).filter(Boolean) }));
  return (
    <form onSubmit={(e) => void submit(e)} className="flex flex-col gap-2">
      {FIELDS.map(([name, label, hint]) => (
        <label key={name} className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
          <span className="text-[0.92rem] text-ink-2">{label}</span>
          <input className="w-full rounded-lg border border-rule bg-field px-2.5 py-1" spellCheck={false} {...register(name)} />
          {hint && <span className="col-start-2 text-[0.83rem] text-ink-3">{hint}</span>}
        </label>
      ))}
      <div className="mt-1">
        <Button type="submit" go disabled={!formState.isDirty}>
          Save the place
        </Button>
      </div>
    </form>
  );
}
