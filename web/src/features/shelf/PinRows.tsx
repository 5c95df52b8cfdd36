// Two rows of pins as they are seen from above, the first one square.
const STEP = 7;

export function PinRows({ pins }: { pins: number }) {
  const long = pins / 2;
  return (
    <svg viewBox={`0 0 ${long * STEP + 4} ${2 * STEP + 4}`} className="h-4 max-w-full text-ink-2" aria-hidden="true">
      <rect x="0.5" y="0.5" width={long * STEP + 3} height={2 * STEP + 3} rx="2" fill="none" stroke="currentColor" />
      {Array.from({ length: pins }, (_, n) => {
        const x = 2 + Math.floor(n / 2) * STEP + STEP / 2;
        const y = 2 + STEP * (n % 2 ? 0.5 : 1.5);
        return n === 0 ? <rect key={n} x={x - 2} y={y - 2} width="4" height="4" fill="currentColor" /> : <circle key={n} cx={x} cy={y} r="1.7" fill="currentColor" />;
      })}
    </svg>
  );
}
