// Findings as the core made them; nothing is judged here.
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Finding, Severity } from "../api/client";
import { stationPath } from "../lib/stations";
import { Mark } from "./Mark";

interface Props {
  findings: readonly Finding[];
  deploymentId?: number;
  /** Called for an action that sets a field; without it such an action only leads to its station. */
  onAction?: (field: string, value: string) => void;
  empty?: string;
  /** What stands below one finding, such as its ways out; with it the finding's own action is left out. */
  below?: (finding: Finding) => ReactNode;
}

export function Findings({ findings, deploymentId, onAction, empty, below }: Props) {
  if (!findings.length) return <p className="text-[0.93rem] text-ink-2">{empty ?? "Nothing stands against it."}</p>;
  return (
    <ul>
      {findings.map((f) => {
        const more = below?.(f);
        return (
          <li key={`${f.code}${f.where?.file ?? ""}${f.where?.line ?? 0}${f.where?.field ?? ""}${f.where?.part ?? ""}`} className="flex gap-2.5 border-t border-rule-2 py-2 first:border-0">
            <span className="pt-0.5">
              <Mark name={f.severity as Severity} />
            </span>
            <div className="min-w-0 flex-1 text-[0.93rem]">
              <FindingText finding={f} />
              {more ?? <FindingAction finding={f} deploymentId={deploymentId} onAction={onAction} />}
            </div>
          </li>
        );
      })}
    </ul>
  );
}

function FindingText({ finding: f }: { finding: Finding }) {
  const place = f.where?.file ? `${f.where.file}${f.where.line ? `, line ${f.where.line}` : ""}` : "";
  return (
    <>
      <b className="text-[0.98rem] [overflow-wrap:anywhere]">{f.title}</b>
      {f.detail && <div className="[overflow-wrap:anywhere] text-ink-2">{f.detail}</div>}
      {f.fix && <div className="text-ink">{f.fix}</div>}
      {place && f.severity !== "ok" && <div className="font-mono text-[0.85rem] break-words text-ink-3">{place}</div>}
      {f.source && f.source !== "common practice" && f.severity !== "ok" && <div className="text-[0.85rem] text-ink-3">{f.source}</div>}
    </>
  );
}

const ACT = "mt-1.5 inline-block rounded-lg border border-rule bg-sheet px-2.5 py-0.5 font-[550] hover:border-ink-3";

function FindingAction({ finding: { action }, deploymentId, onAction }: { finding: Finding; deploymentId: number | undefined; onAction: Props["onAction"] }) {
  if (!action) return null;
  if (onAction && action.field && action.value) {
    return (
      <button type="button" className={ACT} onClick={() => onAction(action.field ?? "", action.value ?? "")}>
        {action.label}
      </button>
    );
  }
  return deploymentId === undefined ? null : (
    <Link className={ACT} to={stationPath(deploymentId, action.station)}>
      {action.label}
    </Link>
  );
}
