// The top of a page that is one form: where one came from, what it is about, what it waits for, the one button.
import type { ReactNode } from "react";
import { Button, WAITS_ID } from "./parts";

interface Props {
  /** What lies above it, as links. */
  crumbs: ReactNode;
  title: string;
  lead: string;
  button: string;
  /** What is still wanted before it can be kept; empty when nothing is. */
  waits: string;
  busy: boolean;
  onKeep: () => void;
}

export function FormHead({ crumbs, title, lead, button, waits, busy, onKeep }: Props) {
  return (
    <header className="flex flex-wrap items-end gap-x-4 gap-y-2">
      <div className="min-w-0">
        <div className="text-[0.88rem] text-ink-3">{crumbs} /</div>
        <h1 className="text-[1.8rem]">{title}</h1>
        <p className="max-w-[60ch] text-ink-2">{lead}</p>
      </div>
      <div className="flex flex-wrap items-center gap-2 md:ml-auto">
        {waits && (
          <span className="text-[0.93rem] text-ink-2" id={WAITS_ID}>
            Waits for: {waits}
          </span>
        )}
        <Button main disabled={waits !== "" || busy} onClick={onKeep}>
          {button}
        </Button>
      </div>
    </header>
  );
}
