import { Progress } from "radix-ui";

/** How far something is; `value` from 0 to 1, null while that is not known. */
export function Bar({ label, value, done, className = "" }: { label: string; value: number | null; done?: boolean; className?: string }) {
  const percent = value === null ? null : Math.round(Math.min(1, Math.max(0, value)) * 1000) / 10;
  return (
    <Progress.Root aria-label={label} value={percent} className={`h-3 overflow-hidden rounded-full bg-rule-2 ${className}`}>
      <Progress.Indicator className={`h-full ${done ? "bg-mint" : "bg-sky"}`} style={{ width: percent === null ? "50%" : `${percent}%` }} />
    </Progress.Root>
  );
}
