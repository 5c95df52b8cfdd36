// One of several things with more to them than a word: each on a card of its own, arrow keys go from one to the next.
import { RadioGroup } from "radix-ui";
import { type ReactNode, useId } from "react";

interface GroupProps {
  label: string;
  value: string;
  onPick: (value: string) => void;
  disabled?: boolean;
  className?: string;
  children: ReactNode;
}

export function Cards({ label, value, onPick, disabled = false, className = "flex flex-col gap-1.5", children }: GroupProps) {
  return (
    <RadioGroup.Root aria-label={label} value={value} onValueChange={onPick} disabled={disabled} className={className}>
      {children}
    </RadioGroup.Root>
  );
}

interface CardProps {
  value: string;
  /** What it is called; the rest describes it. */
  name: ReactNode;
  children?: ReactNode;
  className?: string;
}

export function Card({ value, name, children, className = "" }: CardProps) {
  const id = useId();
  return (
    <label
      className={`flex cursor-pointer items-start gap-3 rounded-lg border border-rule bg-field px-3 py-2 has-focus-visible:outline-2 has-focus-visible:outline-sky has-[[data-state=checked]]:border-mint has-[[data-state=checked]]:bg-mint-3 has-[[data-state=unchecked]]:hover:border-ink-3 ${className}`}
    >
      <RadioGroup.Item value={value} aria-labelledby={`${id}-name`} aria-describedby={`${id}-more`} className="mt-1 h-4 w-4 flex-none rounded-full border-2 border-ink-3 outline-none data-[state=checked]:border-mint">
        <RadioGroup.Indicator className="m-auto block h-2 w-2 rounded-full bg-mint" />
      </RadioGroup.Item>
      <span className="min-w-0 flex-1">
        <span id={`${id}-name`}>{name}</span>
        <span id={`${id}-more`}>{children}</span>
      </span>
    </label>
  );
}
