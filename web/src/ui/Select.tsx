// One of a few, in a line of text.
import { Check, ChevronDown } from "lucide-react";
import { Select as Radix } from "radix-ui";

interface Props {
  label: string;
  value: string;
  options: readonly (readonly [value: string, text: string])[];
  onPick: (value: string) => void;
  className?: string;
}

export function Select({ label, value, options, onPick, className = "" }: Props) {
  return (
    <Radix.Root value={value} onValueChange={onPick}>
      <Radix.Trigger aria-label={label} className={`inline-flex items-center justify-between gap-2 rounded-lg border border-rule bg-field px-2.5 py-1 text-left ${className}`}>
        <Radix.Value />
        <Radix.Icon>
          <ChevronDown size={14} aria-hidden className="text-ink-3" />
        </Radix.Icon>
      </Radix.Trigger>
      <Radix.Portal>
        <Radix.Content position="popper" sideOffset={4} className="z-50 max-h-[50vh] min-w-[var(--radix-select-trigger-width)] overflow-auto rounded-xl border border-rule bg-sheet p-1.5 shadow-xl">
          <Radix.Viewport>
            {options.map(([key, text]) => (
              <Radix.Item key={key} value={key} className="flex cursor-pointer items-center gap-2 rounded-md px-2.5 py-1 outline-none data-[highlighted]:bg-mint-3">
                <span className="w-3.5 flex-none">
                  <Radix.ItemIndicator>
                    <Check size={14} aria-hidden />
                  </Radix.ItemIndicator>
                </span>
                <Radix.ItemText>{text}</Radix.ItemText>
              </Radix.Item>
            ))}
          </Radix.Viewport>
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
