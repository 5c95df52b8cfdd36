// The parts of the plan: those that are in it, and what may be added, what is asked for first.
import { X } from "lucide-react";
import type { Shapes } from "../../api/client";
import { Pick } from "../../ui/Pick";
import { Tag } from "../../ui/parts";

interface Props {
  data: Shapes["PlanOut"];
  onAdd: (change: { add_parts: number[] } | { add_kinds: string[] }) => void;
  onDrop: (place: number) => void;
}

export function PartChoice({ data, onAdd, onDrop }: Props) {
  const key = (c: Shapes["PartChoiceOut"]) => (c.part_id === null || c.part_id === undefined ? `kind ${c.kind}` : `part ${c.part_id}`);
  return (
    <div className="flex flex-col gap-1.5">
      <p className="text-[0.92rem] text-ink-2">Parts</p>
      {data.parts.map((p) => (
        <div key={p.place} className="flex items-start gap-2 rounded-lg border border-rule bg-field px-2.5 py-1">
          <span className="min-w-0 flex-1">
            <b>{p.name}</b> <span className="text-ink-2">{p.role}</span>{" "}
            {!p.owned && <Tag tone="check">to buy{p.price && `, about ${p.price}`}</Tag>}
            {p.seen && <span className="block text-[0.87rem] text-ink-2">{p.seen}</span>}
            {p.remarks && <span className="block text-[0.87rem]">{p.remarks}</span>}
            {p.overlay.length > 0 && (
              <span className="block text-[0.87rem] text-ink-2">
                Its driver wants <span className="font-mono">{p.overlay.join(", ")}</span>
              </span>
            )}
          </span>
          <button type="button" aria-label={`Leave out ${p.name}`} className="rounded p-1 text-ink-2 hover:text-ink" onClick={() => onDrop(p.place)}>
            <X size={16} aria-hidden />
          </button>
        </div>
      ))}
      <Pick
        label="Add a part"
        value=""
        empty={data.parts.length ? "one more" : "from the shelf, or to buy"}
        options={data.part_choices.map((c) => ({ value: key(c), text: c.name, hint: `${c.wanted ? "wanted: " : ""}${c.role}, ${c.text}` }))}
        onSave={(picked) => {
          const choice = data.part_choices.find((c) => key(c) === picked);
          if (choice) onAdd(choice.part_id === null || choice.part_id === undefined ? { add_kinds: [choice.kind] } : { add_parts: [choice.part_id] });
        }}
      />
    </div>
  );
}
