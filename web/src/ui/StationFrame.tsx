// One station of one deployment: the line on top, its work below, findings and facts at the right.
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Deployment } from "../api/client";
import { Line } from "./Line";
import { Tag, WAITS_ID } from "./parts";
import { Time, ZoneOfSite } from "./Time";

interface Props {
  deployment: Deployment;
  station: string;
  main?: ReactNode;
  /** What the main button waits for; said beside it while it cannot be pressed. */
  waits?: string | undefined;
  children: ReactNode;
}

export function StationFrame({ deployment, station, main, waits, children }: Props) {
  return (
    <ZoneOfSite value={deployment.time_zone}>
      <div className="flex flex-col gap-3.5 max-md:pb-20">
        <header className="flex flex-wrap items-end gap-x-3 gap-y-2">
          <div className="min-w-0">
            <div className="text-[0.88rem] text-ink-3">
              <Link to="/" className="hover:text-ink hover:underline">
                Bench
              </Link>{" "}
              /
            </div>
            <h1 className="text-[1.65rem] [overflow-wrap:anywhere]">{deployment.name}</h1>
          </div>
          <div className="flex flex-wrap gap-1.5 pb-0.5">
            <Tag>
              {deployment.appliance} {deployment.release}
            </Tag>
            {deployment.board_name && <Tag>{deployment.board_name}</Tag>}
            <Tag mono>{deployment.host_name}</Tag>
          </div>
          <div className="flex flex-col items-end gap-1 max-md:fixed max-md:inset-x-0 max-md:bottom-0 max-md:z-30 max-md:items-stretch max-md:border-t max-md:border-rule max-md:bg-paper max-md:px-4 max-md:pt-2 max-md:pb-[max(0.6rem,env(safe-area-inset-bottom))] md:ml-auto">
            <div className="flex flex-wrap gap-2 max-md:[&>*]:flex-1">{main}</div>
            {waits && <p id={WAITS_ID} className="text-[0.9rem] text-ink-2 max-md:text-center">First: {waits.replace(/\.$/, "")}.</p>}
          </div>
        </header>
        <div className="rounded-xl border border-rule bg-sheet px-4 py-2">
          <Line deployment={deployment} open={station} />
        </div>
        {deployment.closed_at && (
          <p role="note" className="rounded-xl border border-dashed border-rule bg-sheet px-4 py-2 text-[0.95rem] text-ink-2">
            In service since <Time at={deployment.closed_at} day />: shown as it was then. Write its card again to begin anew, or start the same again under Keep.
          </p>
        )}
        {children}
      </div>
    </ZoneOfSite>
  );
}
