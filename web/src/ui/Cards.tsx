// One of several things with more to them than a word: each on a card of its own, arrow keys go from one to the next.
import { RadioGroup } from "radix-ui";
import { type ReactNode, useEffect, useId, useRef, useState } from "react";

/** Milliseconds on one of them after which somebody who came by arrow keys has settled there. */
const SETTLED_MS = 800;

interface GroupProps {
  label: string;
  value: string;
  onPick: (value: string) => void;
  disabled?: boolean;
  className?: string;
  children: ReactNode;
}

export function Cards({ label, value, onPick, disabled = false, className = "flex flex-col gap-1.5", children }: GroupProps) {
  // Arrow keys go through the list; what is chosen is where one settles, or what one presses.
  const [at, setAt] = useState<string | null>(null);
  const byArrow = useRef(false);
  const settle = () => {
    if (at !== null && at !== value) onPick(at);
    setAt(null);
  };
  const settled = useRef(settle);
  useEffect(() => {
    settled.current = settle;
  });
  useEffect(() => {
    if (at === null) return undefined;
    const timer = setTimeout(() => settled.current(), SETTLED_MS);
    return () => clearTimeout(timer);
  }, [at]);
  const move = (next: string) => {
    if (byArrow.current) return setAt(next);
    setAt(null);
    return onPick(next);
  };
  const press = (key: string) => {
    byArrow.current = key.startsWith("Arrow");
    if (key === " " || key === "Enter") settle();
  };
  return (
    <RadioGroup.Root
      aria-label={label}
      value={at ?? value}
      onValueChange={move}
      onKeyDownCapture={(e) => press(e.key)}
      onPointerDownCapture={() => {
        byArrow.current = false;
      }}
      onBlur={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget)) settle();
      }}
      disabled={disabled}
      className={className}
    >
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
