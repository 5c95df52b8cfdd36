// Name and password, where others on the network can reach the page.
import { useQueryClient } from "@tanstack/react-query";
import { useForm } from "react-hook-form";
import { answer, POST, type Shapes } from "../api/client";
import { useChange } from "../api/use";
import { Button, Trouble } from "../ui/parts";

const KEY = ["session"];

export function LogIn() {
  const queries = useQueryClient();
  const { register, handleSubmit } = useForm<Shapes["LoginIn"]>({ defaultValues: { name: "", password: "" } });
  const logIn = useChange(KEY, (body: Shapes["LoginIn"]) => answer(POST("/api/session", { body })));
  const submit = handleSubmit((body) => logIn.mutate(body, { onSuccess: () => void queries.invalidateQueries() }));
  const input = "w-full rounded-lg border border-rule bg-field px-2.5 py-1.5";
  return (
    <main id="work" className="mx-auto flex min-h-screen max-w-sm flex-col justify-center gap-4 p-4">
      <h1 className="text-[1.65rem]">Mint Seed</h1>
      <p className="text-ink-2">Others on this network can reach it, so it asks who you are.</p>
      <form onSubmit={(e) => void submit(e)} className="flex flex-col gap-3">
        <label className="flex flex-col gap-1">
          <span className="text-ink-2">Name</span>
          <input className={input} autoComplete="username" autoCapitalize="none" spellCheck={false} {...register("name", { required: true })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="text-ink-2">Password</span>
          <input className={input} type="password" autoComplete="current-password" {...register("password", { required: true })} />
        </label>
        <Trouble error={logIn.error} />
        <Button type="submit" main disabled={logIn.isPending}>
          Come in
        </Button>
      </form>
    </main>
  );
}
