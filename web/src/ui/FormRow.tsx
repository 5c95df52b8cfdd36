// Rows of a small form: the label at the left, the field beside it, what is wrong with it below.
import { cloneElement, isValidElement, type ReactElement, type ReactNode, useId } from "react";
import type { FieldValues, Path, UseFormSetError } from "react-hook-form";
import { Problem } from "../api/client";
import { Button } from "./parts";

export const INPUT = "w-full rounded-lg border border-rule bg-field px-2.5 py-1 aria-invalid:border-stop";

interface Props {
  label: string;
  hint?: string;
  problem?: string | undefined;
  children: ReactNode;
}

export function FormRow({ label, hint, problem, children }: Props) {
  const id = useId();
  const field = isValidElement(children)
    ? cloneElement(children as ReactElement<Record<string, unknown>>, {
        "aria-invalid": problem ? true : undefined,
        "aria-describedby": problem || hint ? `${id}-more` : undefined,
      })
    : children;
  return (
    <label className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <span className="text-[0.92rem] text-ink-2">{label}</span>
      {field}
      {(problem || hint) && (
        <span id={`${id}-more`} className={`col-start-2 text-[0.83rem] ${problem ? "text-stop" : "text-ink-3"}`}>
          {problem ?? hint}
        </span>
      )}
    </label>
  );
}

/** Save, and put a refusal beside the field it speaks of, with what was typed still there. Returns whether it was saved. */
export async function saved<V extends FieldValues>(saving: Promise<unknown>, fields: readonly Path<V>[], setError: UseFormSetError<V>): Promise<boolean> {
  try {
    await saving;
    return true;
  } catch (error) {
    const field = error instanceof Problem && error.code !== "refused.changed" ? fields.find((f) => f === error.where) : undefined;
    if (field) setError(field, { message: (error as Problem).message });
    return false;
  }
}

/** The buttons below: save, and remove where there is something to remove. */
export function FormButtons({ save, onRemove, busy = false }: { save: string; onRemove?: (() => void) | undefined; busy?: boolean }) {
  return (
    <div className="flex gap-2 pl-[7rem]">
      <Button type="submit" go small disabled={busy}>
        {save}
      </Button>
      {onRemove && (
        <Button small onClick={onRemove}>
          Take it off
        </Button>
      )}
    </div>
  );
}
