// Somebody else changed the same meanwhile: both are shown, and the person says which it shall be.
import { useState } from "react";
import { Problem } from "../api/client";
import { Mark } from "./Mark";
import { Button } from "./parts";

/** What somebody else made of the fields one changed, where that is why it was not saved. */
export function clashOf(error: unknown): Record<string, unknown> | null {
  return error instanceof Problem && error.code === "refused.changed" ? error.theirs : null;
}

/** What a form started from, and what somebody else made of it meanwhile. `now` is what stands there. */
export function useClash<T>(now: T) {
  const [was, setWas] = useState(now);
  const [theirs, setTheirs] = useState<Record<string, unknown> | null>(null);
  return {
    was,
    theirs,
    /** Take what stands there for what the form starts from. */
    begin: () => was === now || setWas(now),
    /** Show what somebody else made of it, where that is why `saving` fails. */
    watch: (saving: Promise<unknown>) => void saving.catch((error: unknown) => setTheirs(clashOf(error))),
    /** Go on from what stands there; it is returned. */
    settle: () => {
      setTheirs(null);
      setWas(now);
      return now;
    },
  };
}

const said = (value: unknown) => (Array.isArray(value) ? value.join(" ") : value === null || value === "" ? "empty" : String(value));

interface Props {
  theirs: Record<string, unknown>;
  /** What a field is called on the screen. */
  label?: (field: string) => string;
  onMine: () => void;
  onTheirs: () => void;
}

export function Clash({ theirs, label = (field) => field.replaceAll("_", " "), onMine, onTheirs }: Props) {
  return (
    <div role="alert" className="flex flex-col gap-1.5 rounded-lg bg-amber-2 px-3 py-2 text-[0.93rem]">
      {Object.entries(theirs).map(([field, value]) => (
        <p key={field} className="flex gap-2">
          <Mark name="check" size={16} />
          <span className="min-w-0 break-words">
            Changed meanwhile: {label(field)} is now <b>{said(value)}</b>. What you typed is still here.
          </span>
        </p>
      ))}
      <div className="flex gap-2">
        <Button small onClick={onTheirs}>
          Take that
        </Button>
        <Button small onClick={onMine}>
          Keep mine
        </Button>
      </div>
    </div>
  );
}
