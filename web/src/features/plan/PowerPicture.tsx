// Where the current goes and where the volts go, to scale.
import type { Shapes } from "../../api/client";
import { Field } from "../../ui/Field";

type Power = Shapes["PowerSum"];

const amps = (a: number) => `${a.toFixed(2)} A`;
const volts = (v: number) => `${v.toFixed(2)} V`;
const FILLS = ["bg-mint", "bg-sky", "bg-amber-bright", "bg-ink-3"] as const;

export function PowerPicture({ power, loadShare, onLoadShare }: { power: Power; loadShare: number; onLoadShare: (share: number) => void }) {
  return (
    <div className="flex flex-col gap-3 text-[0.93rem]">
      <Current power={power} />
      <Volts power={power} />
      {power.battery_h !== null && power.battery_h !== undefined && (
        <div className="border-t border-rule-2 pt-2">
          <p>
            <b>About {power.battery_h.toFixed(1)} hours</b> <span className="text-ink-2">at {power.mean_w?.toFixed(2)} W in the mean</span>
          </p>
          <Field label="At load, %" value={String(Math.round(loadShare * 100))} onSave={(said) => {
            const percent = Number(said.replace(",", "."));
            if (percent >= 0 && percent <= 100) onLoadShare(percent / 100);
          }} hint="of the time" />
          <p className="mt-1 text-ink-2">Capacity, cell voltage and what is lost on the way are the battery's own, under Shelf.</p>
        </div>
      )}
    </div>
  );
}

function Current({ power }: { power: Power }) {
  const most = Math.max(power.supply_a ?? 0, power.wanted_a, 0.01);
  return (
    <div>
      <div className="relative h-5 overflow-hidden rounded bg-rule-2" role="img" aria-label={`At load ${amps(power.load_a)}, with a fifth to spare ${amps(power.wanted_a)}${power.supply_a ? `; the supply gives ${amps(power.supply_a)}` : ""}`}>
        <div className="flex h-full">
          {power.consumers.map((c, i) => (
            <span key={c.name} className={`h-full border-r border-sheet ${FILLS[i % FILLS.length]}`} style={{ width: `${(c.load_a / most) * 100}%` }} />
          ))}
        </div>
        {power.supply_a !== null && power.supply_a !== undefined && <span className="absolute inset-y-0 w-0.5 bg-stop" style={{ left: `calc(${(power.supply_a / most) * 100}% - 2px)` }} />}
      </div>
      <table className="mt-1.5 w-full [&_td+td]:pl-3 [&_td+td]:whitespace-nowrap">
        <thead className="text-left text-[0.85rem] text-ink-2">
          <tr>
            <th className="font-normal">draws</th>
            <th className="text-right font-normal">idle</th>
            <th className="text-right font-normal">at load</th>
          </tr>
        </thead>
        <tbody>
          {power.consumers.map((c, i) => (
            <tr key={c.name} className="border-t border-rule-2">
              <td className="py-0.5">
                <span aria-hidden className={`mr-2 inline-block h-2.5 w-2.5 rounded-sm ${FILLS[i % FILLS.length]}`} />
                {c.name}
              </td>
              <td className="text-right font-mono">{amps(c.idle_a)}</td>
              <td className="text-right font-mono">{amps(c.load_a)}</td>
            </tr>
          ))}
          <tr className="border-t border-rule font-[550]">
            <td className="py-0.5">together</td>
            <td className="text-right font-mono">{amps(power.idle_a)}</td>
            <td className="text-right font-mono">{amps(power.load_a)}</td>
          </tr>
          <tr className="border-t border-rule-2">
            <td className="py-0.5">with a fifth to spare</td>
            <td />
            <td className="text-right font-mono">{amps(power.wanted_a)}</td>
          </tr>
          {power.supply_a !== null && power.supply_a !== undefined && (
            <tr className="border-t border-rule-2">
              <td className="py-0.5">
                <span aria-hidden className="mr-2 inline-block h-2.5 w-2.5 bg-stop" />
                the supply gives
              </td>
              <td />
              <td className="text-right font-mono">{amps(power.supply_a)}</td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}

/** From the supply over the cable to the board, at load. */
function Volts({ power: p }: { power: Power }) {
  if (p.supply_v == null || p.board_load_v == null || p.drop_load_v == null || !p.wire) {
    return <p className="text-ink-2">{p.supply_v == null ? "Choose a supply to see the volts." : "The length of its cable is not written down, so nobody knows how many volts arrive."}</p>;
  }
  const [low, high] = [4.2, p.supply_v];
  const place = (v: number) => `${Math.max(0, Math.min(100, ((v - low) / (high - low)) * 100))}%`;
  const low_v = p.brown_out_v != null && p.board_load_v < p.brown_out_v;
  // What rests on a gauge nobody read off is no alarm.
  const short = low_v && p.wire.told;
  const perhaps = low_v && !p.wire.told;
  return (
    <div className="border-t border-rule-2 pt-2">
      <div className="relative h-5 rounded bg-rule-2" role="img" aria-label={`${volts(p.supply_v)} at the supply, ${volts(p.board_load_v)} at the board`}>
        <span className={`absolute inset-y-0 left-0 rounded-l ${short ? "bg-stop" : perhaps ? "bg-amber-bright" : "bg-mint"}`} style={{ width: place(p.board_load_v) }} />
        {p.brown_out_v != null && <span className="absolute -inset-y-1 w-0.5 bg-ink" style={{ left: place(p.brown_out_v) }} />}
      </div>
      <div className="mt-1 flex flex-wrap justify-between gap-x-3 text-ink-2">
        <span>
          at the board{perhaps && ", perhaps"} <b className={`font-mono ${short ? "text-stop" : "text-ink"}`}>{volts(p.board_load_v)}</b>
        </span>
        <span>
          the cable takes <span className="font-mono">{volts(p.drop_load_v)}</span>
        </span>
        <span>
          supply <span className="font-mono">{volts(p.supply_v)}</span>
        </span>
      </div>
      {p.assumed.length > 0 && <p className="text-[0.87rem] text-ink-3">Assumed: {p.assumed.join("; ")}.</p>}
      {p.brown_out_v != null && <p className="text-[0.87rem] text-ink-3">The black line is {volts(p.brown_out_v)}, where a board stumbles (from memory).</p>}
    </div>
  );
}
