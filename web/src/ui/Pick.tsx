// One of many, found by typing: the likely one on top, the full list below.
import { Command } from "cmdk";
import { Check, ChevronsUpDown } from "lucide-react";
import { Popover } from "radix-ui";
import { type ReactNode, useId, useState } from "react";

export interface Option {
  value: string;
  text: string;
  /** Said after it in small: what one sees on it, who uses it. */
  hint?: string | undefined;
}

interface Props {
  label: string;
  value: string;
  options: readonly Option[];
  onSave: (value: string) => void;
  /** What stands there while nothing is chosen. */
  empty: string;
  /** Put on top and named: what the site says. */
  first?: { value: string; why: string };
  hint?: ReactNode;
  tone?: "plain" | "check" | "stop";
  problem?: string | undefined;
  /** Where the list is longer than what was sent: asked with what is typed. */
  onSearch?: (text: string) => void;
  more?: boolean;
}

const BORDERS = { plain: "border-rule", check: "border-amber-bright", stop: "border-stop" };
const ITEM = "flex cursor-pointer items-baseline gap-2 rounded-md px-2.5 py-1 data-[selected=true]:bg-mint-3";

export function Pick(props: Props) {
  const { label, value, options, empty, hint, tone = "plain", problem } = props;
  const id = useId();
  const [open, setOpen] = useState(false);
  const chosen = options.find((o) => o.value === value);
  return (
    <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <label id={`${id}-label`} htmlFor={id} className="text-[0.92rem] text-ink-2">
        {label}
      </label>
      <Popover.Root open={open} onOpenChange={setOpen}>
        <Popover.Trigger
          id={id}
          type="button"
          role="combobox"
          aria-expanded={open}
          aria-controls={`${id}-list`}
          aria-labelledby={`${id}-label ${id}`}
          aria-invalid={problem ? true : undefined}
          aria-describedby={problem ? `${id}-problem` : undefined}
          className={`flex w-full min-w-0 items-center gap-2 rounded-lg border bg-field px-2.5 py-1 text-left ${problem ? BORDERS.stop : BORDERS[tone]}`}
        >
          <span className={`min-w-0 flex-1 truncate ${value ? "" : "text-ink-3"}`}>{chosen ? chosen.text : value || empty}</span>
          {hint !== undefined && <span className="flex-none text-[0.82rem] text-ink-3">{hint}</span>}
          <ChevronsUpDown size={14} aria-hidden className="flex-none text-ink-3" />
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content align="start" sideOffset={4} className="z-50 w-[max(var(--radix-popover-trigger-width),17rem)] max-w-[calc(100vw-2rem)] rounded-xl border border-rule bg-sheet p-1.5 shadow-xl">
            <Choices {...props} id={id} close={() => setOpen(false)} />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      {problem && (
        <p id={`${id}-problem`} className="col-start-2 mt-0.5 text-[0.85rem] text-stop">
          {problem}
        </p>
      )}
    </div>
  );
}

function Choices({ label, value, options, onSave, first, onSearch, more, id, close }: Props & { id: string; close: () => void }) {
  const top = first && options.find((o) => o.value === first.value);
  const rest = top ? options.filter((o) => o !== top) : options;
  const take = (next: string) => {
    close();
    if (next !== value) onSave(next);
  };
  const item = (o: Option, why?: string) => (
    <Command.Item key={o.value} value={o.value} keywords={[o.text, o.hint ?? ""]} className={ITEM} onSelect={() => take(o.value)}>
      <Check size={14} aria-hidden className={`flex-none self-center ${o.value === value ? "" : "invisible"}`} />
      <span className="min-w-24 flex-1">{o.text}</span>
      <span className="max-w-[62%] text-right text-[0.82rem] text-ink-3">{why ?? o.hint}</span>
    </Command.Item>
  );
  return (
    <Command label={label} shouldFilter={!onSearch} defaultValue={value}>
      <Command.Input placeholder="Type to find it" className="mb-1 w-full rounded-lg border border-rule bg-field px-2.5 py-1 placeholder:text-ink-3" {...(onSearch ? { onValueChange: onSearch } : {})} />
      <Command.List id={`${id}-list`} className="max-h-[40vh] overflow-auto">
        <Command.Empty className="px-2.5 py-1 text-ink-2">Nothing is called that.</Command.Empty>
        {top && item(top, first?.why)}
        {top && rest.length > 0 && <Command.Separator className="my-1 h-px bg-rule-2" />}
        {rest.map((o) => item(o))}
      </Command.List>
      {more && <p className="px-2.5 pt-1 text-[0.85rem] text-ink-3">There are more; type to find them.</p>}
    </Command>
  );
}
