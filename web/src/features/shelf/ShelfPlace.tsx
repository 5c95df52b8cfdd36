// Shelf: the boards and supplies one owns, at one place.
import { type ReactNode, useDeferredValue, useState } from "react";
import { Controller, useForm, useWatch } from "react-hook-form";
import { answer, DELETE, GET, POST, PUT, type Severity, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { FormButtons, FormRow, INPUT, saved } from "../../ui/FormRow";
import { Mark } from "../../ui/Mark";
import { Button, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { Pick } from "../../ui/Pick";
import { PlacePicker, usePlaces } from "../../ui/PlacePicker";
import { Select } from "../../ui/Select";
import { useToast } from "../../ui/toast";

type Unit = Shapes["ShelfUnitOut"];
type Supply = Shapes["ShelfSupplyOut"];

export function ShelfPlace() {
  const { places, shown, pick, error } = usePlaces();
  if (!places) return error ? <Trouble error={error} /> : <Waiting what="the shelf" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <div>
          <h1 className="text-[1.8rem]">Shelf</h1>
          <p className="text-ink-2">What you own. A plan takes its board and its supply from here.</p>
        </div>
        <PlacePicker places={places} shown={shown} onPick={pick} />
      </header>
      {shown && <OneShelf key={shown.id} id={shown.id} />}
    </div>
  );
}

function OneShelf({ id }: { id: number }) {
  const at = { params: { path: { site_pk: id } } };
  const [typed, setTyped] = useState("");
  const [pages, setPages] = useState<readonly number[]>([0]);
  const search = useDeferredValue(typed.trim());
  const after = pages.at(-1) ?? 0;
  const key = ["shelf", id, search, after];
  const { data, error } = useAnswer(key, () => answer(GET("/api/sites/{site_pk}/shelf", { params: { ...at.params, query: { search, after } } })));
  const toast = useToast();
  const addUnit = useChange(key, (body: Shapes["UnitIn"]) => answer(POST("/api/sites/{site_pk}/shelf/boards", { ...at, body })));
  const changeUnit = useChange(key, ({ pk, body }: { pk: number; body: Shapes["UnitIn"] }) => answer(PUT("/api/shelf/boards/{pk}", { params: { path: { pk } }, body })));
  const removeUnit = useChange(key, (pk: number) => answer(DELETE("/api/shelf/boards/{pk}", { params: { path: { pk } } })));
  const addSupply = useChange(key, (body: Shapes["SupplyIn"]) => answer(POST("/api/sites/{site_pk}/shelf/supplies", { ...at, body })));
  const changeSupply = useChange(key, ({ pk, body }: { pk: number; body: Shapes["SupplyIn"] }) => answer(PUT("/api/shelf/supplies/{pk}", { params: { path: { pk } }, body })));
  const removeSupply = useChange(key, (pk: number) => answer(DELETE("/api/shelf/supplies/{pk}", { params: { path: { pk } } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the shelf" />;
  const told = { onSuccess: () => toast({ text: "Saved." }) };
  return (
    <>
      <Trouble error={addUnit.error ?? changeUnit.error ?? removeUnit.error ?? addSupply.error ?? changeSupply.error ?? removeSupply.error} />
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <Sheet title="Boards" hint="told apart by the mark printed on them">
          {(search !== "" || pages.length > 1 || data.units_after !== null) && (
            <input type="search" aria-label="Find a board" placeholder="Name or mark" className={`${INPUT} mb-1 placeholder:text-ink-3`} value={typed} maxLength={80} onChange={(e) => {
              setTyped(e.target.value);
              setPages([0]);
            }} />
          )}
          {data.units.length === 0 && <p className="text-ink-2">{search ? "No board is called that." : "None yet. Add the one in your hand."}</p>}
          {data.units.map((u) => (
            <UnitRow key={u.id} unit={u} kinds={data.kinds} onSave={(body) => changeUnit.mutateAsync({ pk: u.id, body }, told)} onRemove={() => removeUnit.mutate(u.id)} />
          ))}
          {(pages.length > 1 || data.units_after !== null) && (
            <div className="flex gap-2 py-2">
              <Button small disabled={pages.length < 2} onClick={() => setPages(pages.slice(0, -1))}>
                Those before
              </Button>
              <Button small disabled={data.units_after === null} onClick={() => setPages([...pages, data.units_after ?? 0])}>
                Those after
              </Button>
            </div>
          )}
          <details className="border-t border-rule-2 pt-2" open={data.units.length === 0 && !search}>
            <summary className="cursor-pointer font-[550] text-mint">Add a board</summary>
            <UnitForm key={data.units.length} kinds={data.kinds} onSave={(body) => addUnit.mutateAsync(body, told)} button="Add the board" />
          </details>
        </Sheet>
        <Sheet title="Supplies" hint="as printed on them">
          {data.supplies.length === 0 && <p className="text-ink-2">None yet. Read the numbers off the one you will use.</p>}
          {data.supplies.map((s) => (
            <SupplyRow key={s.id} supply={s} connectors={data.connectors} onSave={(body) => changeSupply.mutateAsync({ pk: s.id, body }, told)} onRemove={() => removeSupply.mutate(s.id)} />
          ))}
          <details className="border-t border-rule-2 pt-2" open={data.supplies.length === 0}>
            <summary className="cursor-pointer font-[550] text-mint">Add a supply</summary>
            <SupplyForm key={data.supplies.length} connectors={data.connectors} onSave={(body) => addSupply.mutateAsync(body, told)} button="Add the supply" />
          </details>
        </Sheet>
      </div>
    </>
  );
}

/** One thing on the shelf: its facts, who plans with it, and the form to change it. */
function Owned({ name, facts, usedBy, form, children }: { name: string; facts: string; usedBy: readonly string[]; form: (close: () => void) => ReactNode; children?: ReactNode }) {
  const [editing, setEditing] = useState(false);
  return (
    <div className="border-t border-rule-2 py-2 first:border-0">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <b>{name}</b>
        <span className="text-ink-2">{facts}</span>
        {usedBy.map((user) => (
          <Tag key={user}>{user}</Tag>
        ))}
        <Button small className="ml-auto" aria-label={`Change ${name}`} aria-expanded={editing} onClick={() => setEditing(!editing)}>
          Change
        </Button>
      </div>
      {children}
      {editing && form(() => setEditing(false))}
    </div>
  );
}

function UnitRow({ unit: u, kinds, onSave, onRemove }: { unit: Unit; kinds: Shapes["ShelfOut"]["kinds"]; onSave: (body: Shapes["UnitIn"]) => Promise<unknown>; onRemove: () => void }) {
  const form = (close: () => void) => (
    <UnitForm
      start={{ name: u.name, board: u.board }}
      kinds={kinds}
      button="Save it"
      onRemove={onRemove}
      onSave={async (body) => {
        await onSave(body);
        close();
      }}
    />
  );
  return (
    <Owned name={u.name} facts={u.board_name} usedBy={u.used_by} form={form}>
      {u.findings.map((f) => (
        <p key={f.code} className="flex gap-2 text-[0.93rem] text-ink-2">
          <Mark name={f.severity as Severity} size={16} /> {f.title}. {f.fix}
        </p>
      ))}
    </Owned>
  );
}

interface UnitFormProps {
  start?: Shapes["UnitIn"];
  kinds: Shapes["ShelfOut"]["kinds"];
  button: string;
  onSave: (body: Shapes["UnitIn"]) => Promise<unknown>;
  onRemove?: () => void;
}

function UnitForm({ start, kinds, button, onSave, onRemove }: UnitFormProps) {
  const { register, handleSubmit, control, setError, formState } = useForm<Shapes["UnitIn"]>({ defaultValues: start ?? { name: "", board: "" } });
  const board = useWatch({ control, name: "board" });
  const kind = kinds.find((k) => k.id === board);
  const submit = handleSubmit((body) => saved(onSave(body), ["name", "board"], setError));
  return (
    <form onSubmit={(e) => void submit(e)} className="mt-2 flex flex-col gap-2">
      <Controller
        name="board"
        control={control}
        rules={{ required: "Pick what is printed on it" }}
        render={({ field }) => (
          <Pick
            label="Kind"
            empty="What is printed on it?"
            value={field.value}
            options={kinds.map((k) => ({ value: k.id, text: k.printed_mark, hint: `${k.name}, ${k.radio}` }))}
            onSave={field.onChange}
            problem={formState.errors.board?.message}
          />
        )}
      />
      {kind && (
        <p className="text-[0.9rem] text-ink-2">
          {kind.bits}-bit, {kind.radio}, {kind.ethernet ? "network socket" : "no network socket"}; wants {kind.supply_text}.
          {kind.twin && ` Looks like ${kind.twin}: read the mark twice.`}
        </p>
      )}
      <FormRow label="Name" problem={formState.errors.name?.message}>
        <input className={INPUT} maxLength={80} placeholder="such as: in the clear case" {...register("name", { required: "Give it a name you will know it by" })} />
      </FormRow>
      <FormButtons save={button} onRemove={onRemove} />
    </form>
  );
}

function SupplyRow({ supply: s, connectors, onSave, onRemove }: { supply: Supply; connectors: readonly string[]; onSave: (body: Shapes["SupplyIn"]) => Promise<unknown>; onRemove: () => void }) {
  const form = (close: () => void) => (
    <SupplyForm
      start={s}
      connectors={connectors}
      button="Save it"
      onRemove={onRemove}
      onSave={async (body) => {
        await onSave(body);
        close();
      }}
    />
  );
  return <Owned name={s.name} facts={`${s.voltage_v} V, ${s.current_a} A, ${s.connector}`} usedBy={s.used_by} form={form} />;
}

interface SupplyFormProps {
  start?: Supply;
  connectors: readonly string[];
  button: string;
  onSave: (body: Shapes["SupplyIn"]) => Promise<unknown>;
  onRemove?: () => void;
}

interface SupplyValues {
  name: string;
  voltage_v: number;
  current_a: number;
  connector: string;
}

function SupplyForm({ start, connectors, button, onSave, onRemove }: SupplyFormProps) {
  const { register, handleSubmit, control, setError, formState } = useForm<SupplyValues>({ defaultValues: start ?? { name: "", voltage_v: 5.1, current_a: 2.5, connector: connectors[0] ?? "" } });
  const submit = handleSubmit((v) =>
    saved(onSave({ ...v, voltage_v: Number(v.voltage_v), current_a: Number(v.current_a), connector: v.connector as Shapes["SupplyIn"]["connector"] }), ["name", "voltage_v", "current_a", "connector"], setError),
  );
  return (
    <form onSubmit={(e) => void submit(e)} className="mt-2 flex flex-col gap-2">
      <FormRow label="Name" problem={formState.errors.name?.message}>
        <input className={INPUT} maxLength={80} placeholder="such as: the black one" {...register("name", { required: "Give it a name you will know it by" })} />
      </FormRow>
      <FormRow label="Volts" problem={formState.errors.voltage_v?.message}>
        <input className={INPUT} type="number" step="0.1" min="0.1" max="60" {...register("voltage_v", { required: true })} />
      </FormRow>
      <FormRow label="Amperes" problem={formState.errors.current_a?.message}>
        <input className={INPUT} type="number" step="0.1" min="0.1" max="30" {...register("current_a", { required: true })} />
      </FormRow>
      <FormRow label="Plug">
        <Controller name="connector" control={control} render={({ field }) => <Select label="Plug" value={field.value} options={connectors.map((c) => [c, c])} onPick={field.onChange} />} />
      </FormRow>
      <FormButtons save={button} onRemove={onRemove} />
    </form>
  );
}
