// Every appliance on every kind of board one owns: what could this old board still do, and which board for this?
import { useState } from "react";
import { Link } from "react-router";
import { answer, GET, type Shapes } from "../../api/client";
import { useAnswer } from "../../api/use";
import { Mark } from "../../ui/Mark";
import { ExamplesFold } from "../../ui/Examples";
import { ButtonLink, Sheet, Trouble, Waiting } from "../../ui/parts";
import { PlacePicker, usePlaces } from "../../ui/PlacePicker";

type Matrix = Shapes["MatrixOut"];
type Cell = Matrix["cells"][number];

export function MatrixPlace() {
  const { places, shown, pick, error } = usePlaces();
  if (!places) return error ? <Trouble error={error} /> : <Waiting what="the shelf" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <div>
          <div className="text-[0.88rem] text-ink-3">
            <Link to="/shelf" className="hover:underline">
              Shelf
            </Link>{" "}
            /
          </div>
          <h1 className="text-[1.8rem]">What fits what</h1>
          <p className="text-ink-2">Every appliance on every kind of board you own. Press a mark for the reason; a dash is what does not go.</p>
        </div>
        <PlacePicker places={places} shown={shown} onPick={pick} />
      </header>
      {shown && <OneMatrix key={shown.id} id={shown.id} />}
    </div>
  );
}

function OneMatrix({ id }: { id: number }) {
  const { data, error } = useAnswer(["shelf", id, "matrix"], () => answer(GET("/api/sites/{site_pk}/matrix", { params: { path: { site_pk: id } } })));
  const [open, setOpen] = useState<Cell | null>(null);
  const [examples, setExamples] = useState(false);
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the shelf" />;
  if (!data.kinds.length) {
    return (
      <Sheet title="No board on the shelf yet">
        <p className="text-ink-2">Type in the marks of the boards you own; then this page says what each could become.</p>
        <ButtonLink to="/shelf" className="mt-2">
          To the Shelf
        </ButtonLink>
      </Sheet>
    );
  }
  const shown = open ?? data.cells.find((c) => examples || !data.recipes.find((r) => r.id === c.recipe)?.example);
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_20rem]">
      <div className="overflow-x-auto rounded-xl border border-rule bg-sheet px-3 py-2">
        <table className="w-full border-separate border-spacing-0">
          <thead>
            <tr>
              <td className="sticky left-0 bg-sheet" />
              {data.kinds.map((k) => (
                <th key={k.id} scope="col" className="px-1.5 pb-1.5 align-bottom text-[0.88rem] font-[550]">
                  {k.name}
                  {k.owned > 1 && <span className="font-normal text-ink-2"> ×{k.owned}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.recipes.filter((r) => examples || !r.example).map((r) => (
              <tr key={r.id}>
                <th scope="row" className="sticky left-0 border-t border-rule-2 bg-sheet py-1 pr-3 text-left font-normal">
                  <b className="font-[550]">{r.name}</b> <span className="text-[0.87rem] text-ink-2 max-md:block">{r.kind}</span>
                </th>
                {data.kinds.map((k) => {
                  const cell = data.cells.find((c) => c.recipe === r.id && c.board === k.id);
                  return (
                    <td key={k.id} className="border-t border-rule-2 text-center">
                      {cell && (
                        <button type="button" aria-label={`${r.name} on ${k.name}: ${cell.reason}`} aria-pressed={cell === shown} className="rounded-lg p-1.5 aria-pressed:bg-mint-3 aria-pressed:outline aria-pressed:outline-mint" onClick={() => setOpen(cell)}>
                          <Mark name={cell.verdict === "stop" ? "no" : cell.verdict} size={20} />
                        </button>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
        <ExamplesFold count={data.recipes.filter((r) => r.example).length} open={examples} onToggle={() => setExamples(!examples)} />
      </div>
      {shown && <Reason data={data} cell={shown} />}
    </div>
  );
}

function Reason({ data, cell }: { data: Matrix; cell: Cell }) {
  const recipe = data.recipes.find((r) => r.id === cell.recipe);
  const kind = data.kinds.find((k) => k.id === cell.board);
  const units = data.units.filter((u) => u.board === cell.board);
  const best = units.find((u) => !u.used_by) ?? units[0];
  if (!recipe || !kind) return null;
  return (
    <Sheet title={`${recipe.name} on ${kind.name}`} hint={recipe.kind} className="sticky top-2 z-10 max-lg:order-first max-lg:shadow-lg lg:top-4">
      <p className="flex items-start gap-2" role="status">
        <span className="pt-0.5">
          <Mark name={cell.verdict} />
        </span>
        <span>{cell.reason}.</span>
      </p>
      <ul className="mt-2 text-[0.93rem] text-ink-2">
        {units.map((u) => (
          <li key={u.id} className="border-t border-rule-2 py-1">
            <b className="font-[550] text-ink">{u.name}</b>
            {u.used_by && `, planned for ${u.used_by}`}
          </li>
        ))}
      </ul>
      {best && (
        <ButtonLink to={`/new?recipe=${encodeURIComponent(recipe.id)}&board=${best.id}`} className="mt-3 w-full">
          {cell.verdict === "stop" ? "Start it all the same" : `Start ${recipe.name} on it`}
        </ButtonLink>
      )}
    </Sheet>
  );
}
