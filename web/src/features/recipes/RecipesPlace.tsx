// Recipes, boards and parts: what is described here, and bringing a text of one's own.
import { Tabs } from "radix-ui";
import { type DragEvent, useState } from "react";
import { Link, useNavigate } from "react-router";
import { answer, GET, type Shapes } from "../../api/client";
import { useAnswer } from "../../api/use";
import { ExamplesBack, ExamplesFold } from "../../ui/Examples";
import { Button, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { handOver, type Kind } from "./drafts";

const KINDS: readonly (readonly [Kind, string, string])[] = [
  ["recipe", "Recipes", "an appliance: its releases, the files to fill, what it needs"],
  ["board", "Boards", "a model: its mark, sockets, radio and currents"],
  ["part", "Parts", "an add-on, a stick, a cable: where it goes and what it draws"],
];

export function RecipesPlace() {
  return (
    <div className="flex flex-col gap-3.5">
      <header>
        <h1 className="text-[1.8rem]">Recipes</h1>
        <p className="text-ink-2">What this program knows of appliances, boards and parts. All of it is text that you can read, change and pass on; none of it is run.</p>
      </header>
      <Tabs.Root defaultValue="recipe" className="flex flex-col gap-3">
        <Tabs.List className="flex gap-1 border-b border-rule">
          {KINDS.map(([kind, name]) => (
            <Tabs.Trigger key={kind} value={kind} className="-mb-px rounded-t-lg border border-transparent px-3.5 py-1.5 data-[state=active]:border-rule data-[state=active]:border-b-sheet data-[state=active]:bg-sheet data-[state=active]:font-[550]">
              {name}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        {KINDS.map(([kind, name, what]) => (
          <Tabs.Content key={kind} value={kind}>
            <OneKind kind={kind} name={name} what={what} />
          </Tabs.Content>
        ))}
      </Tabs.Root>
    </div>
  );
}

function OneKind({ kind, name, what }: { kind: Kind; name: string; what: string }) {
  const { data, error } = useAnswer(["descriptions", kind], () => answer(GET("/api/descriptions/{kind}", { params: { path: { kind } } })));
  const [examples, setExamples] = useState(false);
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="what is described" />;
  const listed = data.filter((d) => examples || !d.example);
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_20rem]">
      <Sheet title={name} hint={what}>
        <ul>
          {listed.map((d) => (
            <Row key={d.id} kind={kind} described={d} />
          ))}
          {listed.length === 0 && <li className="text-ink-2">None of your own yet.</li>}
        </ul>
        <ExamplesFold count={data.filter((d) => d.example).length} open={examples} onToggle={() => setExamples(!examples)} />
        <ExamplesBack />
      </Sheet>
      <Bring kind={kind} />
    </div>
  );
}

function Row({ kind, described: d }: { kind: Kind; described: Shapes["DescribedOut"] }) {
  const readable = d.brought || d.shipped;
  return (
    <li className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5 border-t border-rule-2 py-1.5 first:border-0">
      {readable ? (
        <Link to={`/recipes/${kind}/${encodeURIComponent(d.id)}`} className="font-[550] text-mint underline">
          {d.name}
        </Link>
      ) : (
        <b className="font-[550]">{d.name}</b>
      )}
      <span className="min-w-0 flex-1 basis-60 text-[0.93rem] text-ink-2">{d.summary}</span>
      {d.brought && <Tag tone="ok">{d.shipped ? "your own, in place of the one that came" : "your own"}</Tag>}
      {!readable && <Tag>described in a recipe</Tag>}
      {d.broken && <span className="basis-full text-[0.93rem] text-stop">{d.broken}</span>}
    </li>
  );
}

/** Paste, drop or choose a text; the editor then says what is wrong with it, at its line. */
function Bring({ kind }: { kind: Kind }) {
  const navigate = useNavigate();
  const [over, setOver] = useState(false);
  const open = (text: string) => {
    handOver(kind, text);
    void navigate(`/recipes/${kind}/new`);
  };
  const take = async (file: File | undefined) => {
    if (file) open(await file.text());
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void take(event.dataTransfer.files[0]);
  };
  return (
    <Sheet title="Bring your own">
      <div
        className={`flex flex-col gap-2 rounded-lg border border-dashed p-3 ${over ? "border-mint bg-mint-3" : "border-rule"}`}
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
      >
        <p className="text-[0.95rem] text-ink-2">Drop a file here, choose one, or paste its text into the editor.</p>
        <label className="inline-flex cursor-pointer items-center justify-center rounded-[9px] border border-rule bg-sheet px-3.5 py-1.5 font-[550] has-focus-visible:outline-2 has-focus-visible:outline-sky hover:border-ink-3">
          Choose a file
          <input type="file" accept=".yaml,.yml,text/yaml,application/yaml,text/plain" className="sr-only" onChange={(e) => void take(e.target.files?.[0])} />
        </label>
        <Button onClick={() => open("")}>Write or paste one</Button>
      </div>
      <p className="mt-2 text-[0.9rem] text-ink-2">Nothing is kept before it can be read whole. A text of an id that is here already takes its place, until you take it away again.</p>
    </Sheet>
  );
}
