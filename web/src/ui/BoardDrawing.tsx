// A board to scale, seen from above: which socket is which, and where its mark is printed.
import type { Shapes } from "../api/client";

const LOOKS: Record<string, string> = {
  mark: "fill-mint-2 stroke-mint",
  power: "fill-amber-2 stroke-amber",
  header: "fill-sky-2 stroke-sky",
  light: "fill-sheet stroke-ink-3",
};

const LEGEND = [
  ["mark", "printed mark"],
  ["power", "power"],
  ["header", "header"],
] as const;

export function BoardDrawing({ drawing, name }: { drawing: Shapes["Drawing"]; name: string }) {
  const { width_mm: w, height_mm: h } = drawing;
  return (
    <figure className="min-w-0">
      <svg viewBox={`-2 -2 ${w + 4} ${h + 4}`} role="img" aria-label={`${name} from above: ${drawing.places.map((p) => p.label).join(", ")}`} className="w-full" style={{ maxWidth: `${Math.max(170, w * 4.6)}px` }}>
        <rect width={w} height={h} rx={2.5} className="fill-field stroke-ink-3" strokeWidth={0.5} />
        {drawing.places.map((p) => (
          <g key={`${p.what}${p.x_mm}-${p.y_mm}`}>
            <rect x={p.x_mm} y={p.y_mm} width={p.width_mm} height={p.height_mm} rx={0.8} strokeWidth={0.4} className={LOOKS[p.what] ?? "fill-rule-2 stroke-ink-3"} />
            <PlaceLabel place={p} boardWidth={w} />
          </g>
        ))}
      </svg>
      <figcaption className="mt-1 flex flex-wrap gap-x-3 text-[0.82rem] text-ink-2">
        {LEGEND.map(([what, text]) => (
          <span key={what} className="inline-flex items-center gap-1.5">
            <svg width={11} height={11} aria-hidden>
              <rect x={0.5} y={0.5} width={10} height={10} rx={2} className={LOOKS[what]} />
            </svg>
            {text}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}

const LETTER_MM = 2.9;

/** The label inside its place, turned where that is narrow, or beside it where it is too small to hold it. */
function PlaceLabel({ place: p, boardWidth }: { place: Shapes["Drawing"]["places"][number]; boardWidth: number }) {
  const long_mm = p.label.length * LETTER_MM * 0.56;
  const cx = p.x_mm + p.width_mm / 2;
  const cy = p.y_mm + p.height_mm / 2;
  const look = "fill-ink font-sans";
  if (p.width_mm >= long_mm && p.height_mm >= 3) {
    return (
      <text x={cx} y={cy + 1} textAnchor="middle" fontSize={LETTER_MM} className={look}>
        {p.label}
      </text>
    );
  }
  if (p.height_mm >= long_mm && p.width_mm >= 3) {
    return (
      <text x={cx + 1} y={cy} textAnchor="middle" fontSize={LETTER_MM} className={look} transform={`rotate(-90 ${cx + 1} ${cy})`}>
        {p.label}
      </text>
    );
  }
  const above = p.y_mm > 12;
  const anchor = cx + long_mm / 2 > boardWidth ? "end" : cx - long_mm / 2 < 0 ? "start" : "middle";
  return (
    <text x={anchor === "end" ? boardWidth - 0.5 : anchor === "start" ? 0.5 : cx} y={above ? p.y_mm - 1 : p.y_mm + p.height_mm + 3} textAnchor={anchor} fontSize={LETTER_MM} className={look}>
      {p.label}
    </text>
  );
}
