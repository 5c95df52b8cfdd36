// Who comes in where others reach the page: accounts, what each may do, a new password, away with one.
import { useState } from "react";
import { useForm } from "react-hook-form";
import { answer, DELETE, GET, POST, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { FormButtons, FormRow, INPUT, saved } from "../../ui/FormRow";
import { Overlay } from "../../ui/Overlay";
import { Button, Sheet, Tag, Trouble } from "../../ui/parts";
import { Select } from "../../ui/Select";
import { Time } from "../../ui/Time";
import { useToast } from "../../ui/toast";

type Account = Shapes["AccountOut"];
type Role = Account["role"];

const KEY = ["accounts"];

const ROLES: readonly (readonly [Role, string])[] = [
  ["owner", "owner: everything"],
  ["bench", "bench: the line, no passphrase shown"],
  ["look", "look: changes nothing"],
];

/** Shown to an owner; nobody else may see who there is. */
export function Accounts() {
  const session = useAnswer(["session"], () => answer(GET("/api/session"))).data;
  return session?.role === "owner" ? <List asked={session.door === "account"} /> : null;
}

function List({ asked }: { asked: boolean }) {
  const { data, error } = useAnswer(KEY, () => answer(GET("/api/accounts")));
  const toast = useToast();
  const make = useChange(KEY, (body: Shapes["AccountIn"]) => answer(POST("/api/accounts", { body })));
  const change = useChange(KEY, ({ pk, body }: { pk: number; body: Shapes["AccountChangeIn"] }) => answer(PUT("/api/accounts/{pk}", { params: { path: { pk } }, body })));
  const remove = useChange(KEY, (pk: number) => answer(DELETE("/api/accounts/{pk}", { params: { path: { pk } } })));
  const [going, setGoing] = useState<Account | null>(null);
  const [made, setMade] = useState(0);
  return (
    <Sheet title="Accounts" hint={asked ? "who comes in, and as what" : "asked for once others on the network reach this page"}>
      <Trouble error={error ?? change.error ?? remove.error} />
      {data?.length === 0 && <p className="text-ink-2">None yet. One is needed before others on your network can come in.</p>}
      {data?.map((one) => (
        <One
          key={one.id}
          account={one}
          onRole={(role) => change.mutate({ pk: one.id, body: { role } })}
          onPassword={(password) => change.mutateAsync({ pk: one.id, body: { password } }, { onSuccess: () => toast({ text: `${one.name} has a new password.` }) })}
          onRemove={() => setGoing(one)}
        />
      ))}
      <details className="border-t border-rule-2 pt-2">
        <summary className="cursor-pointer font-[550] text-mint">Add an account</summary>
        <NewAccount key={made} onSave={(body) => make.mutateAsync(body, { onSuccess: () => setMade(made + 1) })} />
      </details>
      <Overlay title={`Remove the account ${going?.name ?? ""}?`} open={going !== null} onClose={() => setGoing(null)}>
        <p className="text-ink-2">Whoever is in by it is shut out at once. What was done by it stays in the log, with its name.</p>
        <div className="flex flex-wrap justify-end gap-2">
          <Button onClick={() => setGoing(null)}>Leave it</Button>
          <Button
            go
            onClick={() => {
              if (going) remove.mutate(going.id);
              setGoing(null);
            }}
          >
            Remove it
          </Button>
        </div>
      </Overlay>
    </Sheet>
  );
}

interface OneProps {
  account: Account;
  onRole: (role: Role) => void;
  onPassword: (password: string) => Promise<unknown>;
  onRemove: () => void;
}

function One({ account: a, onRole, onPassword, onRemove }: OneProps) {
  const [editing, setEditing] = useState(false);
  const { register, handleSubmit, setError, formState } = useForm({ defaultValues: { password: "" } });
  const submit = handleSubmit(async (v) => {
    if (await saved(onPassword(v.password), ["password"], setError)) setEditing(false);
  });
  return (
    <div className="border-t border-rule-2 py-2 first:border-0">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <b className="min-w-0 [overflow-wrap:anywhere]">{a.name}</b>
        <Tag>{a.you ? `${a.role}, you` : a.role}</Tag>
        <span className="text-[0.93rem] text-ink-2">{a.last_came_in ? <>came in <Time at={a.last_came_in} day /></> : "never came in"}</span>
        <Button small className="ml-auto" aria-label={`Change ${a.name}`} aria-expanded={editing} onClick={() => setEditing(!editing)}>
          Change
        </Button>
      </div>
      {editing && (
        <div className="mt-2 flex flex-col gap-2">
          <FormRow label="May do">
            <Select label={`What ${a.name} may do`} value={a.role} options={ROLES} onPick={(role) => onRole(role as Role)} />
          </FormRow>
          <form onSubmit={(e) => void submit(e)} className="flex flex-col gap-2">
            <FormRow label="Password" problem={formState.errors.password?.message}>
              <input className={INPUT} type="password" autoComplete="new-password" placeholder="a new one" maxLength={500} {...register("password", { required: "Type the new one" })} />
            </FormRow>
            <div className="flex flex-wrap gap-2 pl-[7rem]">
              <Button type="submit" go small>
                Give it
              </Button>
              <Button small onClick={onRemove}>
                Remove the account
              </Button>
            </div>
          </form>
        </div>
      )}
    </div>
  );
}

function NewAccount({ onSave }: { onSave: (body: Shapes["AccountIn"]) => Promise<unknown> }) {
  const [role, setRole] = useState<Role>("bench");
  const { register, handleSubmit, setError, formState } = useForm({ defaultValues: { name: "", password: "" } });
  const submit = handleSubmit((v) => saved(onSave({ ...v, role }), ["name", "password"], setError));
  return (
    <form onSubmit={(e) => void submit(e)} className="mt-2 flex flex-col gap-2">
      <FormRow label="Name" problem={formState.errors.name?.message}>
        <input className={INPUT} autoComplete="off" spellCheck={false} maxLength={80} {...register("name", { required: "An account has a name" })} />
      </FormRow>
      <FormRow label="Password" problem={formState.errors.password?.message}>
        <input className={INPUT} type="password" autoComplete="new-password" maxLength={500} {...register("password", { required: "It needs one" })} />
      </FormRow>
      <FormRow label="May do">
        <Select label="What it may do" value={role} options={ROLES} onPick={(picked) => setRole(picked as Role)} />
      </FormRow>
      <FormButtons save="Make the account" />
    </form>
  );
}
