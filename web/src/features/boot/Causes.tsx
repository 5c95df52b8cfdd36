import type { Shapes } from "../../api/client";
import { stationPath } from "../../lib/stations";
import { ButtonLink, Sheet } from "../../ui/parts";

const NAMES: Record<string, string> = { plan: "Plan", image: "Image", settings: "Settings", card: "Card", boot: "First boot", find: "Find" };

/** Why it is late, the likeliest first, each with the station it sends you to. */
export function Causes({ causes, id }: { causes: readonly Shapes["Cause"][]; id: number }) {
  return (
    <Sheet title="Most likely why" hint="weighed by what is known of this card and board">
      <ol>
        {causes.map((c, i) => {
          const share = Math.round(c.share * 100);
          return (
            <li key={c.code} className="grid grid-cols-[1.2rem_minmax(0,1fr)] gap-x-3 gap-y-1 border-t border-rule-2 py-2.5 first:border-0 sm:grid-cols-[1.2rem_minmax(0,1fr)_auto]">
              <b className="font-mono text-ink-3">{i + 1}</b>
              <div className="min-w-0">
                <div className="flex flex-wrap items-center gap-x-3">
                  <b className="text-[1.05rem]">{c.title}</b>
                  <span className="flex items-center gap-2">
                    <span className="h-2 w-28 overflow-hidden rounded-full bg-rule-2">
                      <span className="block h-full bg-ink" style={{ width: `${share}%` }} />
                    </span>
                    <span className="font-mono text-[0.9rem] text-ink-2">{share}%</span>
                  </span>
                </div>
                {c.speaks_for.length > 0 && <div className="text-[0.93rem] text-mint-ink">for: {c.speaks_for.join("; ")}</div>}
                {c.speaks_against.length > 0 && <div className="text-[0.93rem] text-stop">against: {c.speaks_against.join("; ")}</div>}
              </div>
              <div className="max-sm:col-start-2 sm:text-right">
                <ButtonLink small to={stationPath(id, c.action.station)}>
                  {c.action.label}
                </ButtonLink>
                <div className="mt-0.5 text-[0.82rem] text-ink-3">goes to {NAMES[c.action.station] ?? c.action.station}</div>
              </div>
            </li>
          );
        })}
      </ol>
    </Sheet>
  );
}
