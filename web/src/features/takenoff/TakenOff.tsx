// What was taken off: put back whole, or removed for good.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answer, DELETE, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { Overlay } from "../../ui/Overlay";
import { Button, Tag, Trouble, Waiting } from "../../ui/parts";
import { Time } from "../../ui/Time";

type Row = Shapes["TakenOffOut"];

const KEY = ["taken-off"];

/** What goes with it for good, beside the thing itself. */
const ALSO: Record<string, string> = {
  deployment: "Its writes, boots, readings and secrets go too. The log keeps its lines, under its name.",
  network: "Its passphrase goes too.",
  image: "Its file goes from the library folder.",
};

export function TakenOff() {
  const queries = useQueryClient();
  const { data, error } = useAnswer(KEY, () => answer(GET("/api/taken-off")));
  const [asked, setAsked] = useState<Row | null>(null);
  const path = (row: Row) => ({ params: { path: { kind: row.kind, pk: row.id } } });
  const all = { onSuccess: () => void queries.invalidateQueries() };
  const back = useChange(KEY, (row: Row) => answer(POST("/api/taken-off/{kind}/{pk}/put-back", path(row))));
  const remove = useChange(KEY, (row: Row) => answer(DELETE("/api/taken-off/{kind}/{pk}", path(row))));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="what was taken off" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header>
        <h1 className="text-[1.8rem]">Taken off</h1>
        <p className="text-ink-2">What you took off the bench, the shelf or a place. It can be put back whole until you remove it for good.</p>
      </header>
      <Trouble error={back.error ?? remove.error} />
      {data.length === 0 && <p className="text-ink-2">Nothing is taken off. What you take off comes here.</p>}
      <ul className="rounded-xl border border-rule bg-sheet px-4 py-1 empty:hidden">
        {data.map((row) => (
          <li key={`${row.kind}/${row.id}`} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule-2 py-2 first:border-0">
            <Tag>{row.what}</Tag>
            <span className="min-w-0 flex-1 basis-52">
              <b className="[overflow-wrap:anywhere]">{row.name}</b>{" "}
              <span className="text-[0.93rem] text-ink-2">
                taken off <Time at={row.removed_at} day />
                {row.users.length > 0 && `; goes back to ${row.users.join(", ")}`}
                {row.stays && `; ${row.stays}`}
              </span>
            </span>
            <span className="ml-auto flex gap-2">
              {!row.stays && (
                <Button small aria-label={`Remove ${row.name} for good`} onClick={() => setAsked(row)}>
                  Remove for good
                </Button>
              )}
              <Button small go aria-label={`Put ${row.name} back`} disabled={back.isPending} onClick={() => back.mutate(row, all)}>
                Put back
              </Button>
            </span>
          </li>
        ))}
      </ul>
      <Overlay title={`Remove ${asked?.name ?? "it"} for good?`} open={asked !== null} onClose={() => setAsked(null)}>
        <p>{(asked && ALSO[asked.kind]) ?? ""} It cannot be put back afterwards.</p>
        <div className="flex flex-wrap justify-end gap-2">
          <Button onClick={() => setAsked(null)}>Leave it</Button>
          <Button
            go
            onClick={() => {
              if (asked) remove.mutate(asked, all);
              setAsked(null);
            }}
          >
            Remove it for good
          </Button>
        </div>
      </Overlay>
    </div>
  );
}
