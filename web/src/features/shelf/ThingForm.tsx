// One thing of the shelf as a form. What a thing has is said once, in `things.ts`; this draws it.
import { Controller, useForm, useWatch } from "react-hook-form";
import { BoardDrawing } from "../../ui/BoardDrawing";
import { Clash, useClash } from "../../ui/Clash";
import { FormButtons, FormRow, INPUT, saved } from "../../ui/FormRow";
import { Pick } from "../../ui/Pick";
import { Select } from "../../ui/Select";
import type { ThingField, Values } from "./things";

interface Props {
  fields: readonly ThingField[];
  start: Values;
  button: string;
  /** `was`: what stood in the form when it was opened. */
  onSave: (values: Values, was: Values) => Promise<unknown>;
  onRemove?: (() => void) | undefined;
}

const filled = (value: string) => value.trim() !== "";

export function ThingForm({ fields, start, button, onSave, onRemove }: Props) {
  const { register, handleSubmit, control, setError, reset, formState } = useForm<Values>({ defaultValues: start });
  const values = useWatch({ control }) as Values;
  const shown = fields.filter((f) => !f.when || f.when(values));
  const { was, theirs, watch, settle } = useClash(start);
  const send = (from: Values) =>
    handleSubmit((said) => {
      const saving = onSave(said, from);
      watch(saving);
      return saved(saving, fields.map((f) => f.name), setError);
    })();
  return (
    <form onSubmit={(e) => {
        e.preventDefault();
        void send(was);
      }} className="mt-2 flex flex-col gap-2">
      {shown.map((f) => {
        const problem = formState.errors[f.name]?.message;
        const needed = f.needed ? { required: f.needed } : {};
        if (f.kind === "pick") {
          const more = f.more?.(values[f.name] ?? "");
          const picture = f.picture?.(values[f.name] ?? "");
          return (
            <div key={f.name} className="flex flex-col gap-1">
              <Controller name={f.name} control={control} rules={needed} render={({ field }) => <Pick label={f.label} empty={f.placeholder ?? ""} value={field.value ?? ""} options={f.options} onSave={field.onChange} problem={problem} />} />
              {more && <p className="text-[0.9rem] text-ink-2">{more}</p>}
              {picture && <BoardDrawing drawing={picture.drawing} name={picture.name} />}
            </div>
          );
        }
        if (f.kind === "select") {
          return (
            <FormRow key={f.name} label={f.label} {...(f.hint ? { hint: f.hint } : {})} problem={problem}>
              <Controller name={f.name} control={control} render={({ field }) => <Select label={f.label} value={field.value ?? ""} options={f.options.map((o) => [o.value, o.text])} onPick={field.onChange} />} />
            </FormRow>
          );
        }
        const rules = f.kind === "number" ? { ...needed, validate: (said: string | undefined) => !said || !filled(said) || Number.isFinite(Number(said.replace(",", "."))) || "A number, such as 2.5" } : needed;
        return (
          <FormRow key={f.name} label={f.label} {...(f.hint ? { hint: f.hint } : {})} problem={problem}>
            <input className={INPUT} maxLength={f.kind === "number" ? 12 : 300} inputMode={f.kind === "number" ? "decimal" : "text"} placeholder={f.placeholder} {...register(f.name, rules)} />
          </FormRow>
        );
      })}
      {theirs && <Clash theirs={theirs} label={(name) => fields.find((f) => f.name === name)?.label ?? name} onMine={() => void send(settle())} onTheirs={() => reset(settle())} />}
      <FormButtons save={button} onRemove={onRemove} />
    </form>
  );
}
