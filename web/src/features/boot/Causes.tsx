import type { Shapes } from "../../api/client";
import { stationPath } from "../../lib/stations";
import { ButtonLink, Sheet } from "../../ui/parts";

const NAMES: Record<string, string> = { plan: "Plan", image: "Image", settings: "Settings", card: "Card", boot: "First boot", find: "Find" };

/** Why it is late, the likeliest first, each with the station it sends you to. */
export function Causes({ causes, id }: { causes: readonly Shapes["Cause"][]; id: number }) {
  return (
    <Sheet title="Most likely why" hint="in this order by what is known; nobody measured how often each is true">
      <ol>
        {causes.map((c, i) => (
            <li key={c.code} className="grid grid-cols-[1.2rem_minmax(0,1fr)] gap-x-3 gap-y-1 border-t border-rule-2 py-2.5 first:border-0 sm:grid-cols-[1.2rem_minmax(0,1fr)_auto]">
              <b className="font-mono text-ink-3">{i + 1}</b>
              <div className="min-w-0">
                <b className="text-[1.05rem]">{c.title}</b>
                {c.speaks_for.length > 0 && <div className="text-[0.93rem] text-mint-ink">for: {c.speaks_for.join("; ")}</div>}
                {c.speaks_against.length > 0 && <div className="text-[0.93rem] text-stop">against: {c.speaks_against.join("; ")}</div>}
                {c.what_to_try && <div className="text-[0.93rem]">Try: {c.what_to_try}</div>}
              </div>
              <div className="max-sm:col-start-2 sm:text-right">
                <ButtonLink small to={stationPath(id, c.action.station)}>
                  {c.action.label}
                </ButtonLink>
                <div className="mt-0.5 text-[0.82rem] text-ink-3">goes to {NAMES[c.action.station] ?? c.action.station}</div>
              </div>
            </li>
        ))}
      </ol>
    </Sheet>
  );
}
