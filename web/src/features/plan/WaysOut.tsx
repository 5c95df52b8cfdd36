// The ways out of one finding, each judged by the plan's own rules before it is shown here.
import type { Finding, Shapes } from "../../api/client";
import { Mark } from "../../ui/Mark";

type Proposal = Shapes["ProposalOut"];

interface Props {
  proposals: readonly Proposal[];
  onTake: (sets: Proposal["sets"]) => void;
  busy: boolean;
}

export function WaysOut({ proposals, onTake, busy }: Props) {
  if (!proposals.length) return null;
  return (
    <ul aria-label="Ways out" className="mt-2 flex flex-col gap-1.5">
      {proposals.map((p) => (
        <li key={p.title}>
          <button type="button" disabled={busy} onClick={() => onTake(p.sets)} className="flex w-full items-start gap-2 rounded-lg border border-rule bg-field px-2.5 py-1 text-left enabled:hover:border-mint">
            <span className="pt-0.5">
              <Mark name={p.verdict} size={16} />
            </span>
            <span className="min-w-0 flex-1">
              <span className="font-[550]">{p.title}</span> <span className="text-ink-2">{[p.effort_text, p.price && `about ${p.price}`].filter(Boolean).join(", ")}</span>
              <Left findings={p.findings} />
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}

/** What would still stand against the plan then. */
function Left({ findings }: { findings: readonly Finding[] }) {
  const left = findings.filter((f) => f.severity === "stop" || f.severity === "check");
  if (!left.length) return null;
  return <span className="block text-[0.87rem] text-ink-2">Then still: {left.map((f) => f.title).join("; ")}</span>;
}
