import type { Shapes } from "../../api/client";
import { decimalSize, duration } from "../../lib/words";
import { Bar } from "../../ui/Bar";
import { Mark } from "../../ui/Mark";
import { Button } from "../../ui/parts";

const PHASES = [
  ["filling", "Fill", 1],
  ["filling-room", "Fill its room", 5],
  ["writing", "Write", 5],
  ["flushing", "Flush", 1],
  ["reading-back", "Read back and compare", 5],
  ["reading-room", "Read its room back", 5],
] as const;
const ROOM = ["filling-room", "reading-room"];
const MOVING = ["filling-room", "writing", "reading-back", "reading-room"];

interface Props {
  job: Shapes["JobOut"];
  /** All of the room beyond the image is written and read back too. */
  whole: boolean;
  /** As the same card went before; null where nobody knows. */
  leftInAll: number | null;
  onStop: () => void;
  onPause: (paused: boolean) => void;
  stopping: boolean;
}

/** The phases as pieces of one bar; bytes, rate and time left of the one at work. */
export function WriteProgress({ job, whole, leftInAll, onStop, onPause, stopping }: Props) {
  const phases = PHASES.filter(([name]) => whole || !ROOM.includes(name));
  const at = Math.max(0, phases.findIndex(([name]) => name === job.phase));
  const part = job.total_bytes && job.phase !== "filling" ? job.done_bytes / job.total_bytes : 0;
  const title = job.paused ? "Waiting for you: leave the card in the reader" : job.state === "queued" ? "Waiting for the worker" : `${phases[at]?.[1]}: leave the card in the reader`;
  const moving = MOVING.includes(job.phase);
  return (
    <section className="rounded-xl border border-rule bg-sheet px-4 py-3">
      {/* Told at its steps; the numbers below move on by themselves. */}
      <p role="status" className="sr-only">
        {title}
      </p>
      <header className="flex flex-wrap items-center gap-3">
        <Mark name="run" size={22} />
        <h2 className="text-[1.2rem]">{title}</h2>
        <Button className="ml-auto" onClick={() => onPause(!job.paused)} disabled={job.state === "queued"}>
          {job.paused ? "Go on" : "Pause"}
        </Button>
        <Button onClick={onStop} disabled={stopping}>
          {stopping ? "Stopping…" : "Stop"}
        </Button>
      </header>
      <ol className="mt-3 grid gap-1.5" style={{ gridTemplateColumns: phases.map(([, , share]) => `${share}fr`).join(" ") }}>
        {phases.map(([name, title], i) => (
          <li key={name} className="min-w-0">
            <Bar label={title} value={i < at ? 1 : i > at ? 0 : moving ? part : null} done={i < at} />
            <span className={`block truncate text-[0.85rem] max-sm:hidden ${i === at ? "font-bold" : "text-ink-2"}`}>{title}</span>
          </li>
        ))}
      </ol>
      <p className="mt-1 text-[0.93rem] text-ink-2 sm:hidden">Part {at + 1} of {phases.length}: {phases.map(([, title]) => title.toLowerCase()).join(", ")}.</p>
      <p className="mt-1 font-mono text-[0.93rem] text-ink-2">
        {moving
          ? `${decimalSize(job.done_bytes)} of ${decimalSize(job.total_bytes)}, ${decimalSize(job.rate_bytes_per_s)}/s${job.left_s === null ? "" : `, ${duration(job.left_s)} left in this part`}${leftInAll === null ? "" : `; about ${duration(leftInAll)} in all, as this card went before`}`
          : "a moment"}
      </p>
    </section>
  );
}
