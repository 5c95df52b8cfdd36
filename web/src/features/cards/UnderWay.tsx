// What is being done to a card: which part of it, how far, and stop.
import type { Shapes } from "../../api/client";
import { decimalSize, duration } from "../../lib/words";
import { Bar } from "../../ui/Bar";
import { Mark } from "../../ui/Mark";
import { Button } from "../../ui/parts";

const PARTS: Record<string, string> = {
  "filling-room": "Writing all of it",
  writing: "Clearing both ends",
  flushing: "Flushing it to the card",
  "reading-back": "Reading it into a file",
  comparing: "Reading it again and comparing",
  "reading-room": "Reading it back",
};
/** A moment's work, without a rate worth telling. */
const SHORT = ["flushing", "writing", ""];

interface Props {
  work: Shapes["WorkOut"];
  job: Shapes["JobOut"];
  stopping: boolean;
  onStop: () => void;
  onPause: (paused: boolean) => void;
}

export function UnderWay({ work, job, stopping, onStop, onPause }: Props) {
  const title = job.paused ? "Waiting for you" : job.state === "queued" ? "Waiting for the worker" : (PARTS[job.phase] ?? "Looking at it");
  const part = job.total_bytes > 0 ? job.done_bytes / job.total_bytes : 0;
  const short = SHORT.includes(job.phase);
  return (
    <div className="mt-2.5 border-t border-rule-2 pt-2.5">
      <p role="status" className="flex items-center gap-2">
        <Mark name="run" size={18} />
        <b>{title}</b>
      </p>
      <div className="mt-1.5">
        <Bar label={title} value={short ? null : part} done={false} />
      </div>
      <div className="mt-1.5 flex flex-wrap items-center gap-2">
        <span className="font-mono text-[0.9rem] text-ink-2">
          {short ? "a moment" : `${decimalSize(job.done_bytes)} of ${decimalSize(job.total_bytes)}, ${decimalSize(job.rate_bytes_per_s)}/s${job.left_s === null ? "" : `, ${duration(job.left_s)} left in this part`}`}
        </span>
        <Button small className="ml-auto" disabled={job.state === "queued"} onClick={() => onPause(!job.paused)}>
          {job.paused ? "Go on" : "Pause"}
        </Button>
        <Button small disabled={stopping} aria-label={`Stop the work in ${work.reader || work.drive_path}`} onClick={onStop}>
          {stopping ? "Stopping…" : "Stop"}
        </Button>
      </div>
    </div>
  );
}
