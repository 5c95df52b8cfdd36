// The shelf as a table, out and in.
import { useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { answer, POST, type Shapes } from "../../api/client";
import { useOnce } from "../../api/use";
import { plural } from "../../lib/words";
import { INPUT } from "../../ui/FormRow";
import { Mark } from "../../ui/Mark";
import { Button, Sheet, Trouble } from "../../ui/parts";

export function ShelfTable({ site }: { site: number }) {
  const queries = useQueryClient();
  const [text, setText] = useState("");
  const id = useId();
  const take = useOnce((table: string) => answer(POST("/api/sites/{site_pk}/shelf/table", { params: { path: { site_pk: site } }, body: { text: table } })));
  const send = () =>
    take.mutate(text, {
      onSuccess: (came) => {
        if (!came.problems.length) setText("");
        void queries.invalidateQueries({ queryKey: ["shelf", site] });
      },
    });
  return (
    <Sheet title="As a table" hint="CSV, for a spreadsheet" aside={<a href={`/api/sites/${site}/shelf/table`} download className="rounded-lg border border-rule px-2.5 py-0.5 text-[0.93rem] font-[550] hover:border-ink-3">Save the shelf</a>}>
      <label htmlFor={id} className="text-[0.93rem] text-ink-2">
        Paste a table, or choose a file. Its first line names the columns, of which <span className="font-mono">what,name,kind</span> are enough for boards and parts.
      </label>
      <textarea id={id} rows={3} className={`${INPUT} mt-1 font-mono text-[0.9rem]`} placeholder={"what,name,kind\nboard,spare one,SPRIG 1"} value={text} onChange={(e) => setText(e.target.value)} />
      <div className="mt-1.5 flex flex-wrap gap-2">
        <Button small disabled={!text.trim() || take.isPending} onClick={send}>
          Put it on the shelf
        </Button>
        <label className="cursor-pointer rounded-[9px] border border-rule px-2.5 py-0.5 text-[0.93rem] font-[550] has-focus-visible:outline-2 has-focus-visible:outline-sky hover:border-ink-3">
          Choose a file
          <input type="file" accept=".csv,text/csv,text/plain" className="sr-only" onChange={(e) => void e.target.files?.[0]?.text().then(setText)} />
        </label>
      </div>
      <Trouble error={take.error} />
      {take.data && <Came came={take.data} />}
    </Sheet>
  );
}

function Came({ came }: { came: Shapes["TableOut"] }) {
  return (
    <div role="status" className="mt-2 text-[0.93rem]">
      <p>
        {plural(came.added, "thing")} added{came.there > 0 && `, ${came.there} there already`}.
      </p>
      {came.problems.map((p) => (
        <p key={p.line} className="flex gap-2 text-ink-2">
          <Mark name="stop" size={16} /> Line {p.line}: {p.message}
        </p>
      ))}
    </div>
  );
}
