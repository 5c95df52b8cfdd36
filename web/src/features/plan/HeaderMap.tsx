// The header as it lies: two rows, pin 1 marked, who takes which pin, and where two want the same.
import type { Shapes } from "../../api/client";
import { Mark } from "../../ui/Mark";

type Pin = Shapes["HeaderMap"]["pins"][number];

const STEP = 11;

const look = (pin: Pin) =>
  pin.clash ? "fill-stop-2 stroke-stop" : pin.takers.length ? "fill-mint-2 stroke-mint" : pin.fixed === "5 V" ? "fill-amber-2 stroke-amber" : pin.fixed ? "fill-rule stroke-ink-3" : "fill-field stroke-ink-3";

const said = (pin: Pin) => `pin ${pin.number}${pin.fixed && `, ${pin.fixed}`}${pin.takers.length ? `: ${pin.takers.join(" and ")}, ${pin.carries.join(" and ")}${pin.clash ? ", both want it" : ""}` : ""}`;

export function HeaderMap({ header }: { header: Shapes["HeaderMap"] }) {
  const columns = header.pins.length / 2;
  const busy = header.pins.filter((p) => p.takers.length);
  const takers = [...new Set(busy.flatMap((p) => p.takers))];
  return (
    <div className="flex flex-col gap-2 text-[0.93rem]">
      <svg viewBox={`0 0 ${columns * STEP + 2} ${2 * STEP + (busy.some((p) => p.clash) ? 10 : 1)}`} role="img" aria-label={`Header of ${header.pins.length} pins. ${busy.map(said).join("; ") || "All free."}`} className="w-full" style={{ maxWidth: `${Math.max(200, columns * 26)}px` }}>
        {header.pins.map((pin) => {
          const x = 1 + Math.floor((pin.number - 1) / 2) * STEP;
          const y = pin.number % 2 ? STEP + 1 : 1;
          return (
            <g key={pin.number}>
              <rect x={x} y={y} width={STEP - 2} height={STEP - 2} rx={pin.number === 1 ? 0 : 4.5} className={look(pin)} strokeWidth={pin.clash ? 1.4 : 0.7} />
              <text x={x + (STEP - 2) / 2} y={y + 6.2} textAnchor="middle" fontSize={4.6} className="fill-ink font-mono">
                {pin.number}
              </text>
              {pin.clash && (
                <text x={x + (STEP - 2) / 2} y={2 * STEP + 7} textAnchor="middle" fontSize={5} className="fill-stop font-sans font-bold">
                  ▲
                </text>
              )}
            </g>
          );
        })}
      </svg>
      <p className="text-ink-2">
        Square is pin 1: {header.pin_1}. Amber gives 5 V, grey is 3.3 V and ground for all.
      </p>
      {takers.map((name) => (
        <p key={name}>
          <b>{name}</b>{" "}
          <span className="text-ink-2">
            {busy
              .filter((p) => p.takers.includes(name))
              .map((p) => `${p.number} ${p.carries[p.takers.indexOf(name)] ?? ""}`)
              .join(", ")}
          </span>
        </p>
      ))}
      {header.one_row_off && (
        <p className="flex gap-2 border-t border-rule-2 pt-2">
          <Mark name="check" size={16} /> <span>{header.one_row_off}</span>
        </p>
      )}
    </div>
  );
}
