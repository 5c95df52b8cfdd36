// Numbers as people at the bench meet them.

/** `2:41` for 161 seconds. */
export function clock(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  const two = (part: number) => String(part).padStart(2, "0");
  const minutes = Math.floor(whole / 60);
  return minutes < 60 ? `${minutes}:${two(whole % 60)}` : `${Math.floor(minutes / 60)}:${two(minutes % 60)}:${two(whole % 60)}`;
}

/** `34 s`, `2 min 41 s`, `1 h 5 min`. */
export function duration(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  const minutes = Math.floor(whole / 60);
  if (whole < 60) return `${whole} s`;
  if (whole >= 3600) return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
  return whole % 60 ? `${minutes} min ${whole % 60} s` : `${minutes} min`;
}

/** The first of `units` of which there is at least one, once rounded by `round`. */
function inUnits(bytes: number, units: readonly (readonly [number, string])[], round: (value: number) => number): string {
  for (const [unit, name] of units) {
    const value = round(bytes / unit);
    if (value >= 1) return `${value} ${name}`;
  }
  return plural(bytes, "byte");
}

const POWERS_OF_TEN = [[1e12, "TB"], [1e9, "GB"], [1e6, "MB"], [1e3, "kB"]] as const;
const POWERS_OF_TWO = [[2 ** 30, "GiB"], [2 ** 20, "MiB"], [2 ** 10, "KiB"]] as const;

/** `137 MB`, in units of 10ⁿ as printed on packets. */
export const decimalSize = (bytes: number) => inUnits(bytes, POWERS_OF_TEN, (value) => Number(value.toPrecision(3)));

/** `48 MiB`, in units of 2ⁿ as systems show them. */
export const binarySize = (bytes: number) => inUnits(bytes, POWERS_OF_TWO, (value) => Number(value.toFixed(1)));

export const plural = (count: number, word: string) => `${count} ${word}${count === 1 ? "" : "s"}`;

/** `3 to 14 s`, `15 to 40 min`, `25 min to 1 h 10 min`: a span in the coarsest unit that still tells both ends apart. */
export function roughly(fromSeconds: number, toSeconds: number): string {
  if (toSeconds < 1) return "under 1 s";
  if (toSeconds < 90) return `${Math.round(fromSeconds)} to ${Math.round(toSeconds)} s`;
  const [from, to] = [Math.max(1, Math.round(fromSeconds / 60)), Math.round(toSeconds / 60)];
  const words = (minutes: number) => (minutes < 60 ? `${minutes} min` : minutes % 60 ? `${Math.floor(minutes / 60)} h ${minutes % 60} min` : `${minutes / 60} h`);
  if (from === to) return `about ${words(to)}`;
  return to < 60 ? `${from} to ${to} min` : `${words(from)} to ${words(to)}`;
}
