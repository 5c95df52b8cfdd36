// How the devices of a place are called and logged into, unless one says otherwise.
import { useState } from "react";
import type { Shapes } from "../../api/client";
import { Field } from "../../ui/Field";
import { Findings } from "../../ui/Findings";
import { Button } from "../../ui/parts";

interface Props {
  site: Shapes["SiteOut"];
  save: (body: Record<string, unknown>) => Promise<Shapes["SiteOut"]>;
  /** Why a field was not taken, where that is so. */
  refused: (field: string) => string | undefined;
}

export function NewDevices({ site, save, refused }: Props) {
  const [told, setTold] = useState<Shapes["Finding"][]>([]);
  const change = (body: Record<string, unknown>) => void save(body).catch(() => undefined);
  const setPassword = (admin_password: string) =>
    void save({ admin_password }).then(
      (fresh) => setTold(fresh.of_password),
      () => setTold([]),
    );
  return (
    <div className="flex flex-col gap-2">
      <Field label="Name scheme" mono value={site.name_scheme} placeholder="{place}-{name}-{n}" problem={refused("name_scheme")} onSave={(name_scheme, was) => change({ name_scheme, was: { name_scheme: was } })} />
      <p className="-mt-1 pl-[7rem] text-[0.85rem] text-ink-2">
        {site.name_example ? (
          <>
            A first printer would be <span className="font-mono">{site.name_example}</span>.
          </>
        ) : (
          "Of {place}, {appliance}, {name}, {board} and a number, {n} or {nn}. Empty: as each recipe calls it."
        )}
      </p>
      <Field label="Admin" mono value={site.admin_name} placeholder="such as keeper" problem={refused("admin_name")} onSave={(admin_name, was) => change({ admin_name, was: { admin_name: was } })} />
      <Field label="Password" secret mono value="" placeholder={site.admin_password_set ? "••••••••" : "each device its own"} hint={site.admin_password_set ? "hashed" : ""} problem={refused("admin_password")} onSave={setPassword} />
      <p className="-mt-1 pl-[7rem] text-[0.85rem] text-ink-2">
        One password for all opens all once one is lost; a device can have its own under Settings.{" "}
        {site.admin_password_set && (
          <Button small onClick={() => change({ admin_password_gone: true })}>
            Forget it
          </Button>
        )}
      </p>
      {told.length > 0 && <Findings findings={told} />}
    </div>
  );
}
