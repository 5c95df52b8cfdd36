// The settings files of a card that lies in a reader: read, judged, and taken up one at a time.
import { CardSim } from "lucide-react";
import { useState } from "react";
import { answer, POST, type Severity } from "../../api/client";
import { CardList } from "../../ui/CardList";
import { type Drive, picked, useErrand } from "../../ui/errand";
import { Mark } from "../../ui/Mark";
import { Button, Mono, Sheet, Trouble } from "../../ui/parts";
import type { OnCard } from "./PutBack";

const WORST: readonly Severity[] = ["stop", "check", "note"];

export function FromCard({ deployment, onPick }: { deployment: number | null; onPick: (file: OnCard) => void }) {
  const [drive, setDrive] = useState<Drive | null>(null);
  const { start, errand, going, error } = useErrand((d: Drive) => answer(POST("/api/card-files", { body: { ...picked(d), deployment } })));
  return (
    <Sheet title="From a card" hint="its settings files are read as their readers would">
      <Trouble error={error} />
      <CardList none="No card in a reader. Put one in, and it shows here.">
        {(d) => (
          <Button
            small
            disabled={going}
            aria-label={`Read the files on ${d.model || d.name}`}
            onClick={() => {
              setDrive(d);
              start(d);
            }}>
            <CardSim size={14} aria-hidden /> {going && drive?.id === d.id ? "Reading…" : "Read its files"}
          </Button>
        )}
      </CardList>
      {errand?.state === "failed" && (
        <p role="alert" className="mt-2 text-stop">
          {errand.trouble}
        </p>
      )}
      {errand?.state === "done" && drive && (
        <ul aria-label="Settings files on the card" className="mt-2 border-t border-rule pt-1">
          {errand.files.length === 0 && <li className="py-1.5 text-ink-2">No settings file is on its boot volume.</li>}
          {errand.files.map((f) => {
            const worst = WORST.find((s) => f.findings.some((one) => one.severity === s));
            const first = f.findings.find((one) => one.severity === worst);
            return (
              <li key={f.name} className="flex flex-wrap items-center gap-x-2.5 gap-y-0.5 py-1.5">
                <Mark name={worst === "stop" || worst === "check" ? worst : "ok"} size={18} />
                <button type="button" className="text-left font-[550] text-mint-ink underline" onClick={() => onPick({ name: f.name, was: f.content, drive })}>
                  <Mono>{f.name}</Mono>
                </button>
                <span className="text-[0.92rem] text-ink-2">{first && worst !== "note" ? first.title : f.kind || f.dialect}</span>
              </li>
            );
          })}
        </ul>
      )}
      {errand?.state === "done" && errand.left_out > 0 && <p className="text-[0.92rem] text-ink-2">{errand.left_out} more are too much to be shown here.</p>}
    </Sheet>
  );
}
