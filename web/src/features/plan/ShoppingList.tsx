// What is needed, what is there, what is to be bought, and how long the whole job takes.
import type { Shapes } from "../../api/client";
import { roughly } from "../../lib/words";

const STATES: Record<string, string> = { have: "on the shelf", any: "any of that size", buy: "to buy", open: "to choose", optional: "if you like" };

export function ShoppingList({ list }: { list: Shapes["PartsList"] }) {
  const total = (prices: Shapes["PartsList"]["to_buy"]) => prices.map((p) => `${p.amount.toFixed(2)} ${p.currency}`).join(" and ");
  return (
    <div className="text-[0.93rem]">
      <table className="w-full">
        <thead className="text-left text-[0.85rem] text-ink-2">
          <tr>
            <th className="font-normal">what</th>
            <th className="font-normal">where</th>
            <th className="text-right font-normal">about</th>
          </tr>
        </thead>
        <tbody>
          {list.items.map((i, n) => (
            <tr key={`${i.what}${n}`} className={`border-t border-rule-2 align-top ${i.state === "optional" ? "text-ink-2" : ""}`}>
              <td className="py-1 pr-2">
                <b className="font-[550]">{i.name}</b>
                <span className="block text-[0.87rem] text-ink-2">
                  {i.what}
                  {i.why && `: ${i.why}`}
                </span>
              </td>
              <td className="py-1 pr-2">
                <span className="whitespace-nowrap">{STATES[i.state] ?? i.state}</span>
                {i.owned && i.owned.length > 0 && <span className="block text-[0.87rem] text-ink-2">you have {i.owned.join(", ")}</span>}
              </td>
              <td className="py-1 text-right font-mono whitespace-nowrap">{i.state === "have" || i.state === "any" ? "–" : i.price ? `${i.price.amount.toFixed(2)} ${i.price.currency}` : "?"}</td>
            </tr>
          ))}
        </tbody>
        <tfoot>
          <tr className="border-t border-rule font-[550]">
            <td className="py-1" colSpan={2}>
              To buy{list.unpriced > 0 && `, without ${list.unpriced} whose price nobody wrote down`}
            </td>
            <td className="py-1 text-right font-mono whitespace-nowrap">{total(list.to_buy) || (list.unpriced ? "?" : "nothing")}</td>
          </tr>
          {total(list.with_optional) !== total(list.to_buy) && (
            <tr className="text-ink-2">
              <td className="pb-1" colSpan={2}>
                with everything optional
              </td>
              <td className="pb-1 text-right font-mono whitespace-nowrap">{total(list.with_optional)}</td>
            </tr>
          )}
        </tfoot>
      </table>
    </div>
  );
}

export function JobTime({ time }: { time: Shapes["TimeOut"] }) {
  return (
    <div className="text-[0.93rem]">
      <p className="text-[1.05rem]">
        <b>{roughly(time.from_s, time.to_s)}</b> <span className="text-ink-2">until it is in service</span>
      </p>
      <table className="mt-1 w-full">
        <tbody>
          {time.spans.map((s) => (
            <tr key={s.what} className="border-t border-rule-2 align-top">
              <td className="py-1 pr-2">
                {s.what}
                <span className="block text-[0.87rem] text-ink-3">{s.rests_on}</span>
              </td>
              <td className="py-1 text-right whitespace-nowrap">{roughly(s.from_s, s.to_s)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
