// The cards in the readers, each with what can be done with it here.
import type { ReactNode } from "react";
import { type Drive, useDrives } from "./errand";
import { Trouble } from "./parts";

export function CardList({ children, none }: { children: (drive: Drive) => ReactNode; none: string }) {
  const { data, error } = useDrives();
  if (!data) return <Trouble error={error} />;
  if (data.length === 0) return <p className="text-ink-2">{none}</p>;
  return (
    <ul>
      {data.map((d) => (
        <li key={d.id} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-rule-2 py-2 first:border-0">
          <span className="min-w-0">
            <b className="[overflow-wrap:anywhere]">{d.model || d.name}</b> <span className="text-ink-2">{d.nominal_gb ? `${d.nominal_gb} GB` : d.size_text}</span>
            {d.whose && <span className="block text-[0.9rem] [overflow-wrap:anywhere] text-ink-2">{d.whose}</span>}
          </span>
          <span className="ml-auto">{children(d)}</span>
        </li>
      ))}
    </ul>
  );
}
