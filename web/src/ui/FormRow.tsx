// Rows of a small form: the label at the left, the field beside it.
import type { ReactNode } from "react";
import { Button } from "./parts";

export const INPUT = "w-full rounded-lg border border-rule bg-field px-2.5 py-1";

export function FormRow({ label, hint, children }: { label: string; hint?: string; children: ReactNode }) {
  return (
    <label className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <span className="text-[0.92rem] text-ink-2">{label}</span>
      {children}
      {hint && <span className="col-start-2 text-[0.83rem] text-ink-3">{hint}</span>}
    </label>
  );
}

/** The buttons below: save, and remove where there is something to remove. */
export function FormButtons({ save, onRemove }: { save: string; onRemove?: (() => void) | undefined }) {
  return (
    <div className="flex gap-2 pl-[7rem]">
      <Button type="submit" go small>
        {save}
      </Button>
      {onRemove && (
        <Button small onClick={onRemove}>
          Remove it
        </Button>
      )}
    </div>
  );
}
