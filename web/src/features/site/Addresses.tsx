// The plan of a place's addresses, as its router has it: what fixed addresses are held against.
import { useForm } from "react-hook-form";
import type { Shapes } from "../../api/client";
import { changesOf } from "../../lib/changes";
import { Clash, useClash } from "../../ui/Clash";
import { FormRow, INPUT, saved } from "../../ui/FormRow";
import { Button } from "../../ui/parts";

interface Plan {
  net: string;
  gateway: string;
  dns: string;
  pool_from: string;
  pool_to: string;
  reserved: string;
}

const FIELDS = ["net", "gateway", "dns", "pool_from", "pool_to", "reserved"] as const;

const fieldsOf = ({ address_plan: p }: Shapes["SiteOut"]): Plan => ({
  net: p.net ?? "",
  gateway: p.gateway ?? "",
  dns: (p.dns ?? []).join(", "),
  pool_from: p.pool_from ?? "",
  pool_to: p.pool_to ?? "",
  reserved: (p.reserved ?? []).map((r) => `${r.address} ${r.what ?? ""}`.trim()).join("\n"),
});

const planOf = (v: Plan) => ({
  net: v.net.trim(),
  gateway: v.gateway.trim(),
  dns: v.dns.split(/[\s,]+/).filter(Boolean),
  pool_from: v.pool_from.trim(),
  pool_to: v.pool_to.trim(),
  reserved: v.reserved
    .split("\n")
    .map((line) => /^\s*(\S+)\s*(.*)$/.exec(line))
    .filter((m) => m !== null)
    .map((m) => ({ address: m[1] ?? "", what: (m[2] ?? "").trim() })),
});

export function Addresses({ site, onSave }: { site: Shapes["SiteOut"]; onSave: (body: Record<string, unknown>) => Promise<unknown> }) {
  const { register, handleSubmit, formState, setError, reset } = useForm<Plan>({ values: fieldsOf(site), resetOptions: { keepDirtyValues: true } });
  const { was, theirs, begin, watch, settle } = useClash(site);
  const send = (from: Shapes["SiteOut"]) =>
    handleSubmit((v) => {
      const saving = onSave(changesOf({ address_plan: from.address_plan }, { address_plan: planOf(v) }));
      watch(saving);
      return saved(saving, FIELDS, setError);
    })();
  if (!formState.isDirty) begin();
  const row = (name: keyof Plan, label: string, hint: string, place: string) => (
    <FormRow label={label} hint={hint} problem={formState.errors[name]?.message}>
      <input className={`${INPUT} font-mono text-[0.95rem] placeholder:text-ink-3`} spellCheck={false} autoCapitalize="off" placeholder={place} {...register(name)} />
    </FormRow>
  );
  return (
    <form
      className="flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void send(was);
      }}>
      {row("net", "Net", "", "192.168.1.0/24")}
      {row("gateway", "Router", "", "192.168.1.1")}
      {row("dns", "Name servers", "empty: the router", "")}
      <FormRow label="Handed out" hint="first and last address the router gives away" problem={formState.errors.pool_from?.message ?? formState.errors.pool_to?.message}>
        <span className="flex flex-wrap items-center gap-2">
          <input aria-label="First address handed out" className={`${INPUT} min-w-[9.5rem] flex-1 font-mono text-[0.95rem] placeholder:text-ink-3`} spellCheck={false} placeholder="192.168.1.100" {...register("pool_from")} />
          <span className="text-ink-2">to</span>
          <input aria-label="Last address handed out" className={`${INPUT} min-w-[9.5rem] flex-1 font-mono text-[0.95rem] placeholder:text-ink-3`} spellCheck={false} placeholder="192.168.1.199" {...register("pool_to")} />
        </span>
      </FormRow>
      <FormRow label="Reserved" hint="one a line: the address, and what has it">
        <textarea className={`${INPUT} min-h-[3.4rem] font-mono text-[0.88rem] placeholder:text-ink-3`} spellCheck={false} rows={2} placeholder="192.168.1.9 the old printer" {...register("reserved")} />
      </FormRow>
      {theirs && <Clash theirs={{ address_plan: "another plan" }} onMine={() => void send(settle())} onTheirs={() => reset(fieldsOf(settle()))} />}
      <div className="mt-1">
        <Button type="submit" disabled={!formState.isDirty || formState.isSubmitting}>
          Save the plan
        </Button>
      </div>
    </form>
  );
}
