import { useRef, useState } from "react";
import { useForm } from "react-hook-form";
import { Link, useNavigate, useSearchParams } from "react-router";
import { answer, GET, POST, type Severity, type Shapes } from "../../api/client";
import { useAnswer, useMaking } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Card, Cards } from "../../ui/Cards";
import { ExamplesFold } from "../../ui/Examples";
import { Mark } from "../../ui/Mark";
import { Button, Tag, Trouble, Waiting } from "../../ui/parts";
import { Select } from "../../ui/Select";

type Matrix = Shapes["MatrixOut"];

const RANK: Record<Severity, number> = { ok: 0, note: 1, yet: 2, check: 3, stop: 4 };

/** From what one wants, or from what lies in the drawer. Either may be chosen first; the other list then says what fits. */
export function NewDeployment() {
  const [asked] = useSearchParams();
  const sites = useAnswer(["sites"], () => answer(GET("/api/sites"))).data ?? [];
  const place = useAnswer(["place"], () => answer(GET("/api/place"))).data;
  const [site, setSite] = useState(0);
  const here = site || place?.site_id || 0;
  const { data, error } = useAnswer(["shelf", here, "matrix"], () => (here ? answer(GET("/api/sites/{site_pk}/matrix", { params: { path: { site_pk: here } } })) : Promise.resolve(null)));
  if (error) return <Trouble error={error} />;
  if (!data || !place) return <Waiting what="the appliances" />;
  return (
    <Form
      key={here}
      data={data}
      start={{ recipe: asked.get("recipe") ?? "", unit: Number(asked.get("board") ?? 0) }}
      site={here}
      places={
        sites.length > 1 && (
          <label className="flex max-w-md flex-col gap-1">
            <span className="text-ink-2">Where does it go?</span>
            <Select label="Where does it go?" value={String(here)} options={sites.map((s) => [String(s.id), s.name])} onPick={(id) => setSite(Number(id))} />
          </label>
        )
      }
    />
  );
}

function Form({ data, start, site, places }: { data: Matrix; start: { recipe: string; unit: number }; site: number; places: React.ReactNode }) {
  const navigate = useNavigate();
  const [recipe, setRecipe] = useState(start.recipe);
  const [unit, setUnit] = useState(start.unit);
  const appliances = useRef<HTMLElement>(null);
  const { register, handleSubmit } = useForm<{ name: string }>({ defaultValues: { name: "" } });
  const create = useMaking(["bench", "new"], (name: string) =>
    answer(POST("/api/deployments", { body: { recipe, name, site_id: site, board_unit_id: unit || null, fill: true } })),
  );
  const chosen = data.recipes.find((r) => r.id === recipe);
  const board = data.units.find((u) => u.id === unit);
  const cell = (recipeId: string, boardId: string) => data.cells.find((c) => c.recipe === recipeId && c.board === boardId);
  const rank = (found: Matrix["cells"][number] | undefined) => (found ? RANK[found.verdict] : 9);
  const [examples, setExamples] = useState(data.recipes.some((r) => r.example && r.id === start.recipe));
  const offered = data.recipes.filter((r) => examples || !r.example);
  const recipes = board ? [...offered].sort((a, b) => rank(cell(a.id, board.board)) - rank(cell(b.id, board.board))) : offered;
  const fit = (u: Matrix["units"][number]) => (chosen ? rank(cell(chosen.id, u.board)) : 0);
  const units = [...data.units].sort((a, b) => fit(a) - fit(b) || Number(!!a.used_by) - Number(!!b.used_by));
  const pair = chosen && board && cell(chosen.id, board.board);
  const take = (id: string) => {
    setUnit(Number(id));
    // In one column what it could become stands above: bring it back into sight.
    if (!recipe && Number(id) && !matchMedia("(min-width: 1024px)").matches) appliances.current?.scrollIntoView({ block: "start" });
  };
  const begin = handleSubmit(({ name }) => {
    return create.once(name).then(
      (made) => navigate(stationPath(made.id, "plan")),
      () => undefined, // shown below
    );
  });
  return (
    <form onSubmit={(e) => void begin(e)} className="flex flex-col gap-4">
      <header className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <div>
          <div className="text-[0.88rem] text-ink-3">
            <Link to="/" className="hover:underline">
              Bench
            </Link>{" "}
            /
          </div>
          <h1 className="text-[1.65rem]">New deployment</h1>
          <p className="mt-1 text-ink-2">Begin with what you want, or with the board that lies in the drawer. The other list then says what fits, and why not.</p>
        </div>
        <Link to="/matrix" className="ml-auto rounded px-1 font-[550] text-mint-ink underline">
          Everything on everything
        </Link>
      </header>
      {/* What the keyboard comes to is never behind the bar at the bottom. */}
      <div className="grid items-start gap-4 lg:grid-cols-[minmax(0,1.25fr)_minmax(0,1fr)] [&_:is(a,button)]:scroll-mb-32 max-md:[&_:is(a,button)]:scroll-mb-52">
        <a href="#boards" className="rounded px-1 text-mint-ink underline lg:hidden">
          Begin with the board in your hand
        </a>
        <section ref={appliances} className="flex scroll-mt-4 flex-col gap-2">
          <h2 className="text-[1.1rem]">{board ? `What ${board.name} could become` : "What shall it become?"}</h2>
          <Cards label="Appliance" value={recipe} onPick={setRecipe} className="grid gap-2 sm:grid-cols-2">
            {recipes.map((r) => (
              <RecipeCard key={r.id} recipe={r} found={board && cell(r.id, board.board)} />
            ))}
          </Cards>
          {recipes.length === 0 && (
            <p className="text-ink-2">
              Nothing of yours is described yet.{" "}
              <Link to="/images" className="font-[550] text-mint-ink underline">
                Open an image of your own
              </Link>{" "}
              and use it: its recipe is drafted from what stands in it.
            </p>
          )}
          <ExamplesFold count={data.recipes.filter((r) => r.example).length} open={examples} onToggle={() => setExamples(!examples)} />
          <Link to="/recipes" className="self-start rounded px-1 text-[0.95rem] text-mint-ink underline">
            It is not here: bring its recipe
          </Link>
        </section>
        <section id="boards" className="flex scroll-mt-4 flex-col gap-2">
          <h2 className="text-[1.1rem]">{chosen ? `Which board for ${chosen.name}?` : "Or: which board do you have?"}</h2>
          {data.units.length === 0 && (
            <p className="text-ink-2">
              No board is on the shelf.{" "}
              <Link to="/shelf" className="font-[550] text-mint-ink underline">
                Put one there
              </Link>
              , or begin without.
            </p>
          )}
          <Cards label="Board" value={String(unit)} onPick={take} className="flex flex-col gap-1.5">
            <Card value="0" name={chosen ? "the best that is free" : "any"} className="!py-1" />
            {units.map((u) => (
              <UnitCard key={u.id} unit={u} mark={data.kinds.find((k) => k.id === u.board)?.printed_mark ?? ""} found={chosen && cell(chosen.id, u.board)} />
            ))}
          </Cards>
          {data.more_units && <p className="text-[0.9rem] text-ink-3">There are more boards on the shelf; the plan finds them.</p>}
        </section>
      </div>
      <div className="sticky bottom-0 z-10 flex flex-wrap items-end gap-3 border-t border-rule bg-paper py-3 max-md:-mx-4 max-md:px-4">
        <label className="flex min-w-0 flex-1 basis-64 flex-col gap-1">
          <span className="text-[0.92rem] text-ink-2">What do you call it? The place it goes to makes a good name.</span>
          <input className="w-full max-w-md rounded-lg border border-rule bg-field px-3 py-1.5 placeholder:text-ink-3" placeholder={chosen ? `${chosen.name} ${chosen.kind}` : "Reading-room press"} maxLength={80} {...register("name")} />
        </label>
        {places}
        <div className="flex flex-col items-end gap-1 max-md:w-full max-md:items-stretch max-md:text-center">
          <Button type="submit" main disabled={!recipe || create.isPending}>
            {chosen ? `Start with ${chosen.name}` : "Start it"}
          </Button>
          <span className="text-[0.9rem] text-ink-2">{!chosen ? "First: pick an appliance." : pair?.verdict === "stop" ? `The plan will say why not, and the way out: ${pair.reason}.` : "The plan comes filled with the best of your shelf."}</span>
        </div>
      </div>
      <Trouble error={create.error} />
    </form>
  );
}

function Verdict({ found }: { found: Matrix["cells"][number] | undefined }) {
  if (!found) return null;
  return (
    <span className="mt-1 flex items-start gap-1.5 text-[0.88rem]">
      <span className="pt-0.5">
        <Mark name={found.verdict === "stop" ? "no" : found.verdict} size={15} />
      </span>
      <span className={found.verdict === "stop" ? "text-ink-2" : ""}>{found.reason}</span>
    </span>
  );
}

function RecipeCard({ recipe: r, found }: { recipe: Shapes["RecipeOut"]; found: Matrix["cells"][number] | undefined }) {
  return (
    <Card
      value={r.id}
      className="!bg-sheet"
      name={
        <span className="flex flex-wrap items-baseline gap-x-2">
          <b className="font-head text-[1.08rem]">{r.name}</b>
          <span className="text-ink-2">{r.kind}</span>
        </span>
      }
    >
      {r.brought && <Tag>your own</Tag>}
      {found ? <Verdict found={found} /> : <span className="mt-0.5 block text-[0.88rem] text-ink-2">{r.summary}</span>}
    </Card>
  );
}

function UnitCard({ unit: u, mark, found }: { unit: Matrix["units"][number]; mark: string; found: Matrix["cells"][number] | undefined }) {
  return (
    <Card value={String(u.id)} name={<b>{u.name}</b>} className="!bg-sheet !py-1.5">
      {" "}
      <span className="font-mono text-[0.87rem] text-ink-2">{mark}</span>
      {u.used_by && <span className="block text-[0.87rem] text-ink-2">planned for {u.used_by}</span>}
      <Verdict found={found} />
    </Card>
  );
}
