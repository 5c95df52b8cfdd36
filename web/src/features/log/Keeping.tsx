// How long is kept what only adds up; the owner's to say.
import { useForm } from "react-hook-form";
import { answer, GET, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { FormButtons, FormRow, INPUT, saved } from "../../ui/FormRow";
import { Trouble } from "../../ui/parts";
import { useToast } from "../../ui/toast";

const KEY = ["keeping"];
const FIELDS = [
  ["log_days", "This log", "days, 30 or more"],
  ["jobs_days", "Ended work", "days: how far each job was, judgements since replaced"],
  ["copy_hours", "Filled images", "hours, 168 at most: they hold a network's key"],
] as const;

const NAMES = FIELDS.map(([name]) => name);

export function Keeping() {
  const { data, error } = useAnswer(KEY, () => answer(GET("/api/keeping")));
  return (
    <details className="max-w-xl rounded-xl border border-rule bg-sheet px-4 py-2.5">
      <summary className="cursor-pointer font-[550] text-mint">How long things are kept</summary>
      {data ? <KeepingForm values={data} /> : <Trouble error={error} />}
    </details>
  );
}

function KeepingForm({ values }: { values: Shapes["KeepingOut"] }) {
  const toast = useToast();
  const { register, handleSubmit, setError, formState } = useForm<Shapes["KeepingIn"]>({ values, resetOptions: { keepDirtyValues: true } });
  const change = useChange(KEY, (body: Shapes["KeepingIn"]) => answer(PUT("/api/keeping", { body })));
  const submit = handleSubmit((body) => saved(change.mutateAsync(body, { onSuccess: () => toast({ text: "Saved." }) }), NAMES, setError));
  return (
    <form onSubmit={(e) => void submit(e)} className="mt-2 flex flex-col gap-2">
      {FIELDS.map(([name, label, hint]) => (
        <FormRow key={name} label={label} hint={hint} problem={formState.errors[name]?.message}>
          <input type="number" className={INPUT} {...register(name, { valueAsNumber: true, required: true })} />
        </FormRow>
      ))}
      <p className="text-[0.9rem] text-ink-2">What was written to a card, booted, found and measured stays with its device, however old.</p>
      <FormButtons save="Save" />
    </form>
  );
}
