// The board, by the mark printed on it: those of the shelf, the best first, each with its reason.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, GET, type Shapes } from "../../api/client";
import { useRested } from "../../lib/rested";
import { Card, Cards } from "../../ui/Cards";
import { INPUT } from "../../ui/FormRow";
import { Mark } from "../../ui/Mark";

type Unit = Shapes["BoardOptionOut"];

/** Boards that lie open; of more, the rest is shown on request. */
const OPEN = 4;

export function BoardChoice({ data, onPick }: { data: Shapes["PlanOut"]; onPick: (id: number) => void }) {
  const [all, setAll] = useState(false);
  const [typed, setTyped] = useState("");
  const search = useRested(typed.trim());
  const id = data.deployment.id;
  const found = useQuery({
    queryKey: ["deployment", id, "plan", "boards", search],
    enabled: search !== "",
    queryFn: () => answer(GET("/api/deployments/{pk}/plan", { params: { path: { pk: id }, query: { units: search } } })),
  });
  const units = search && found.data ? found.data.units : data.units;
  const chosen = units.find((u) => u.id === data.board_unit_id);
  const short = units.slice(0, OPEN);
  const shown = all || search ? units : chosen && !short.includes(chosen) ? [...short, chosen] : short;
  return (
    <div className="my-1">
      <p className="mb-1 text-[0.92rem] text-ink-2">Board, by the mark printed on it; the best first</p>
      {data.more_units && all && (
        <input type="search" aria-label="Find a board" placeholder="Name or mark" className={`${INPUT} mb-1 placeholder:text-ink-3`} value={typed} maxLength={80} onChange={(e) => setTyped(e.target.value)} />
      )}
      <Cards label="Board, by the mark printed on it" value={data.board_unit_id === null ? "" : String(data.board_unit_id)} onPick={(picked) => onPick(Number(picked))}>
        {shown.map((u) => (
          <BoardCard key={u.id} unit={u} />
        ))}
      </Cards>
      {units.length > shown.length && (
        <button type="button" className="mt-1.5 rounded px-1 font-[550] text-mint underline" onClick={() => setAll(true)}>
          Show all {units.length}
          {data.more_units && " and more"}
        </button>
      )}
    </div>
  );
}

function BoardCard({ unit: u }: { unit: Unit }) {
  return (
    <Card value={String(u.id)} name={<b>{u.name}</b>} className="!py-1.5">
      {" "}
      <span className="font-mono text-[0.87rem] text-ink-2">{u.printed_mark}</span>
      <span className="flex items-start gap-1.5 text-[0.87rem] text-ink-2">
        <span className="pt-0.5">
          <Mark name={u.verdict} size={14} />
        </span>
        <span>
          {u.reason || u.text}
          {u.used_by.length > 0 && `; planned for ${u.used_by.join(", ")}`}
        </span>
      </span>
    </Card>
  );
}
