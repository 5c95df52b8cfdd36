// The filled image as a file, plain or packed: asked for, made and checked by the worker, offered for a while.
import { Download } from "lucide-react";
import { useState } from "react";
import { answer, POST, type Shapes } from "../../api/client";
import { useChange } from "../../api/use";
import { decimalSize } from "../../lib/words";
import { Button, Mono, Trouble } from "../../ui/parts";
import { Select } from "../../ui/Select";
import { Time } from "../../ui/Time";

type Packing = Shapes["CopyIn"]["packing"];

const PACKINGS = [
  ["raw", "plain, .img"],
  ["gzip", "packed, .img.gz"],
  ["xz", "packed smallest, .img.xz"],
  ["zstd", "packed, .img.zst"],
] as const;

export function FilledCopy({ id, copy }: { id: number; copy: Shapes["CopyOut"] | null }) {
  const key = ["deployment", id, "card"];
  const path = { params: { path: { pk: id } } };
  const [packing, setPacking] = useState<Packing>((copy?.packing as Packing | undefined) ?? "raw");
  const make = useChange(key, () => answer(POST("/api/deployments/{pk}/card/copies", { ...path, body: { packing } })));
  const stop = useChange(key, () => answer(POST("/api/deployments/{pk}/card/copies/stop", path)));
  const job = copy?.job;
  const there = copy?.made_at != null;
  return (
    <section className="mt-3 flex flex-col gap-1.5 border-t border-dashed border-rule pt-3 text-[0.93rem]">
      <h3 className="text-[1rem]">As a file, for a card writer elsewhere</h3>
      <Trouble error={make.error ?? stop.error} />
      {job?.active ? (
        <div className="flex flex-wrap items-center gap-2">
          <span className="text-ink-2" aria-live="polite">
            {job.state === "queued" ? "Waiting for the worker" : `Filling and checking it: ${decimalSize(job.done_bytes)} of ${decimalSize(job.total_bytes)}`}
          </span>
          <Button small onClick={() => stop.mutate(undefined)} disabled={stop.isPending}>
            Stop
          </Button>
        </div>
      ) : (
        <>
          {job?.trouble && <p className="text-stop">{job.trouble}</p>}
          {copy && there && (
            <>
              <a
                href={`/api/deployments/${id}/card/copies/${copy.id}/file`}
                download={copy.file_name}
                className="inline-flex items-center gap-2 font-[550] text-mint hover:underline"
              >
                <Download size={15} aria-hidden className="shrink-0" />
                <span className="min-w-0 break-all">
                  {copy.file_name}, {copy.size_text}
                </span>
              </a>
              <div className="text-ink-2">
                SHA-256 <Mono className="break-all">{copy.sha256}</Mono>,{" "}
                <a href={`/api/deployments/${id}/card/copies/${copy.id}/checksum`} download={`${copy.file_name}.sha256`} className="font-[550] whitespace-nowrap text-mint hover:underline">
                  its checksum file
                </a>
              </div>
              {!copy.current && <p className="text-amber">It is older than the settings: what changed since is not in it.</p>}
              {copy.kept_until && (
                <p className="text-ink-2">
                  Kept until <Time at={copy.kept_until} />, then removed. It holds your network's key: treat it like one.
                </p>
              )}
            </>
          )}
          <div className="flex flex-wrap items-center gap-2">
            <Select label="How it is packed" value={packing} options={PACKINGS} onPick={(one) => setPacking(one as Packing)} />
            <Button small onClick={() => make.mutate(undefined)} disabled={make.isPending}>
              {there ? "Make it again" : "Make the filled image"}
            </Button>
          </div>
        </>
      )}
    </section>
  );
}
