import { useState } from "react";
import { useForm } from "react-hook-form";
import { Link, useNavigate } from "react-router";
import { answer, GET, POST } from "../../api/client";
import { useAnswer, useChange, useLasting } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Card, Cards } from "../../ui/Cards";
import { Button, Trouble, Waiting } from "../../ui/parts";
import { Select } from "../../ui/Select";

export function NewDeployment() {
  const { data, error } = useLasting(["recipes"], () => answer(GET("/api/recipes")));
  const navigate = useNavigate();
  const [recipe, setRecipe] = useState("");
  const { register, handleSubmit } = useForm<{ name: string }>({ defaultValues: { name: "" } });
  const sites = useAnswer(["sites"], () => answer(GET("/api/sites"))).data ?? [];
  const [site, setSite] = useState(0);
  const create = useChange(["bench", "new"], (name: string) => answer(POST("/api/deployments", { body: { recipe, name, site_id: site || null } })));
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the appliances" />;
  const chosen = data.find((r) => r.id === recipe);
  const start = handleSubmit(({ name }) => {
    create.mutate(name, { onSuccess: (made) => void navigate(stationPath(made.id, made.line.now)) });
  });
  return (
    <form onSubmit={(e) => void start(e)} className="flex max-w-3xl flex-col gap-4">
      <header>
        <div className="text-[0.88rem] text-ink-3">
          <Link to="/" className="hover:underline">
            Bench
          </Link>{" "}
          /
        </div>
        <h1 className="text-[1.65rem]">New deployment</h1>
        <p className="mt-1 text-ink-2">What shall the board become?</p>
      </header>
      <Cards label="Appliance" value={recipe} onPick={setRecipe} className="grid gap-3 sm:grid-cols-2">
        {data.map((r) => (
          <Card
            key={r.id}
            value={r.id}
            className="!bg-sheet !p-4"
            name={
              <span className="flex items-baseline gap-2">
                <b className="font-head text-[1.15rem]">{r.name}</b>
                <span className="text-ink-2">{r.kind}</span>
              </span>
            }
          >
            <span className="mt-1 block text-[0.95rem] text-ink-2">{r.summary}</span>
            <span className="mt-2 block text-[0.87rem] text-ink-3">Releases {r.releases.join(", ")}</span>
          </Card>
        ))}
      </Cards>
      <label className="flex max-w-md flex-col gap-1">
        <span className="text-ink-2">What do you call it? The place it goes to makes a good name.</span>
        <input className="rounded-lg border border-rule bg-field px-3 py-1.5 placeholder:text-ink-3" placeholder={chosen ? `${chosen.name} ${chosen.kind}` : "Reading-room press"} maxLength={80} {...register("name")} />
      </label>
      {sites.length > 1 && (
        <label className="flex max-w-md flex-col gap-1">
          <span className="text-ink-2">Where does it go?</span>
          <Select label="Where does it go?" value={String(site || sites[0]?.id || "")} options={sites.map((s) => [String(s.id), s.name])} onPick={(id) => setSite(Number(id))} />
        </label>
      )}
      <Trouble error={create.error} />
      <div>
        <Button type="submit" main disabled={!recipe || create.isPending}>
          {chosen ? `Start with ${chosen.name}` : "Start it"}
        </Button>
        {!chosen && <span className="ml-3 text-ink-2">First: pick an appliance.</span>}
      </div>
    </form>
  );
}
