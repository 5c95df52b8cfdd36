// Numbers as people at the bench meet them.

/** `2:41` for 161 seconds. */
export function clock(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  const two = (part: number) => String(part).padStart(2, "0");
  const minutes = Math.floor(whole / 60);
  return minutes < 60 ? `${minutes}:${two(whole % 60)}` : `${Math.floor(minutes / 60)}:${two(minutes % 60)}:${two(whole % 60)}`;
}

/** `34 s`, `2 min 41 s`. */
export function duration(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  if (whole < 60) return `${whole} s`;
  return whole % 60 ? `${Math.floor(whole / 60)} min ${whole % 60} s` : `${whole / 60} min`;
}

/** `137 MB`, in units of 10ⁿ as printed on packets. */
export function decimalSize(bytes: number): string {
  if (bytes >= 1e9) return `${(bytes / 1e9).toPrecision(3)} GB`;
  if (bytes >= 1e6) return `${Math.round(bytes / 1e6)} MB`;
  if (bytes < 1000) return `${bytes} bytes`;
  return `${Math.round(bytes / 1e3)} kB`;
}

/** `48 MiB`, in units of 2ⁿ as systems show them. */
export function binarySize(bytes: number): string {
  if (bytes >= 2 ** 30) return `${trim(bytes / 2 ** 30)} GiB`;
  if (bytes >= 2 ** 20) return `${trim(bytes / 2 ** 20)} MiB`;
  if (bytes < 2 ** 10) return `${bytes} bytes`;
  return `${trim(bytes / 2 ** 10)} KiB`;
}

const trim = (value: number) => value.toFixed(1).replace(/\.0$/, "");

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
