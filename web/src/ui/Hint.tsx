import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";

export const Hints = Tooltip.Provider;

/** What is too long to stand there, shown when one points at it or comes to it by keyboard. */
export function Hint({ text, children }: { text: string; children: ReactNode }) {
  if (!text) return children;
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content sideOffset={4} className="z-50 max-w-80 rounded-lg bg-ink px-2.5 py-1.5 text-[0.9rem] text-paper shadow-lg">
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
