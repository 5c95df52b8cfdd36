// What was done to cards before, newest first; backups are handed over and removed here.
import { Download } from "lucide-react";
import { useState } from "react";
import { answer, POST, type Severity, type Shapes } from "../../api/client";
import { useChange } from "../../api/use";
import { duration } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Overlay } from "../../ui/Overlay";
import { Button, Mono, Sheet, Trouble } from "../../ui/parts";
import { Time } from "../../ui/Time";

type Work = Shapes["WorkOut"];

const DID: Record<string, string> = { "back-up": "Read back", prove: "Proven again", test: "Tested", clear: "Cleared" };

export function Before({ works }: { works: readonly Work[] }) {
  const [asked, setAsked] = useState<Work | null>(null);
  const remove = useChange(["cards"], (pk: number) => answer(POST("/api/cards/work/{pk}/remove", { params: { path: { pk } } })));
  if (works.length === 0) return null;
  return (
    <Sheet title="Done before">
      <Trouble error={remove.error} />
      <ul>
        {works.map((work) => (
          <li key={work.id} className="flex gap-3 border-t border-rule-2 py-2.5 first:border-0">
            <Mark name={markOf(work)} size={20} />
            <div className="min-w-0 flex-1">
              <p>
                <b>{work.finding?.title ?? (work.backup ? "Read back into a file" : `${DID[work.does] ?? work.does}: not to its end`)}</b>{" "}
                <span className="text-[0.93rem] [overflow-wrap:anywhere] text-ink-2">
                  <Time at={work.asked_at} day />, {work.reader || work.drive_path} on {work.bench_name}
                  {work.done_at !== null && `, in ${duration(work.took_s)}`}
                </span>
              </p>
              {work.whose && <p className="text-[0.93rem] text-ink-2">Then: {work.whose}.</p>}
              {work.finding && (
                <p className="text-[0.93rem] text-ink-2">
                  {work.finding.detail} {work.finding.fix}
                </p>
              )}
              {work.done_at === null && work.job?.trouble && <p className="text-[0.93rem] text-stop">{work.job.trouble}</p>}
              {work.backup && <Backup work={work} backup={work.backup} onRemove={() => setAsked(work)} />}
            </div>
          </li>
        ))}
      </ul>
      <Overlay title={`Remove ${asked?.backup?.file_name ?? "it"}?`} open={asked !== null} onClose={() => setAsked(null)}>
        <p>The file goes for good. What was done stays on this list.</p>
        <div className="flex flex-wrap justify-end gap-2">
          <Button onClick={() => setAsked(null)}>Leave it</Button>
          <Button
            go
            onClick={() => {
              if (asked) remove.mutate(asked.id);
              setAsked(null);
            }}
          >
            Remove the file
          </Button>
        </div>
      </Overlay>
    </Sheet>
  );
}

function markOf(work: Work): Severity {
  if (work.finding) return work.finding.severity;
  return work.backup ? "ok" : "check";
}

function Backup({ work, backup, onRemove }: { work: Work; backup: Shapes["BackupOut"]; onRemove: () => void }) {
  if (!backup.there) return <p className="text-[0.93rem] text-ink-2">{backup.file_name} was removed.</p>;
  return (
    <div className="flex flex-col gap-1 text-[0.93rem]">
      <a href={`/api/cards/work/${work.id}/file`} download={backup.file_name} className="inline-flex items-center gap-2 font-[550] text-mint hover:underline">
        <Download size={15} aria-hidden className="shrink-0" />
        <span className="min-w-0 break-all">
          {backup.file_name}, {backup.size_text}
        </span>
      </a>
      <p className="text-ink-2">
        In it: {backup.image_text}. Read again and compared with what was read. Any card writer takes it. Whatever was on the card is in it, a network&rsquo;s key too.
      </p>
      <p className="text-ink-2">
        SHA-256 <Mono className="break-all">{backup.sha256}</Mono>
      </p>
      <p className="flex flex-wrap gap-2">
        <a href={`/api/cards/work/${work.id}/checksum`} download={`${backup.file_name}.sha256`} className="font-[550] text-mint hover:underline">
          Its checksum file
        </a>
        <Button small className="ml-auto" aria-label={`Remove ${backup.file_name}`} onClick={onRemove}>
          Remove the file
        </Button>
      </p>
    </div>
  );
}
