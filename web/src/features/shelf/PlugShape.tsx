// The openings of the plugs that power boards, seen from the front.
export const PLUG_SHAPES = [
  { plug: "USB-C", seen: "small and round at both ends; goes in either way up" },
  { plug: "micro-USB", seen: "small, flat, with two slanted corners" },
  { plug: "barrel plug", seen: "round, with a pin in the middle" },
  { plug: "header pins", seen: "wires on its rows of pins" },
] as const;

export type Plug = (typeof PLUG_SHAPES)[number]["plug"];

export function PlugShape({ plug }: { plug: Plug }) {
  const line = { fill: "none", stroke: "currentColor", strokeWidth: 1.8 };
  return (
    <svg viewBox="0 0 40 24" width="40" height="24" aria-hidden className="shrink-0 text-ink-2">
      {plug === "USB-C" && (
        <>
          <rect x="4" y="6" width="32" height="12" rx="6" {...line} />
          <rect x="10" y="11" width="20" height="2" fill="currentColor" />
        </>
      )}
      {plug === "micro-USB" && (
        <>
          <path d="M5 6h30v6l-4 6H9l-4-6z" {...line} />
          <rect x="11" y="10" width="18" height="2.4" fill="currentColor" />
        </>
      )}
      {plug === "barrel plug" && (
        <>
          <circle cx="20" cy="12" r="9" {...line} />
          <circle cx="20" cy="12" r="3" fill="currentColor" />
        </>
      )}
      {plug === "header pins" && [6, 13, 20, 27, 34].map((x) => [7, 17].map((y) => <rect key={`${x}-${y}`} x={x - 2} y={y - 2} width="4" height="4" fill="currentColor" />))}
    </svg>
  );
}
