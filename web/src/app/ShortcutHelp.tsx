import { Switch } from "radix-ui";
import { useState } from "react";
import { Overlay } from "../ui/Overlay";
import { lettersOff, OFF } from "./shortcuts";

const SHORTCUTS: readonly (readonly [string, string])[] = [
  ["N", "new deployment"],
  ["Enter", "the main button, unless it powers a board or writes a card"],
  ["[  ]", "previous and next station"],
  ["C", "copy the address"],
  ["O", "open its page"],
  ["G then B I H R D S L", "go to Bench, Images, Shelf, Recipes, Doctor, Site, Log"],
  ["/  or  Ctrl K", "search and go"],
  ["?", "this list"],
];

export function ShortcutHelp({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [off, setOff] = useState(lettersOff());
  const turn = (on: boolean) => {
    localStorage.setItem(OFF, on ? "no" : "yes");
    setOff(!on);
  };
  return (
    <Overlay title="Shortcuts" open={open} onClose={onClose}>
      <dl className="grid grid-cols-[auto_1fr] gap-x-6 gap-y-1.5">
        {SHORTCUTS.map(([keys, what]) => (
          <div key={keys} className="contents">
            <dt className="font-mono font-semibold">{keys}</dt>
            <dd className="text-ink-2">{what}</dd>
          </div>
        ))}
      </dl>
      <label className="flex items-center gap-3 border-t border-rule-2 pt-3">
        <Switch.Root checked={!off} onCheckedChange={turn} className="flex h-6 w-11 flex-none items-center rounded-full border border-ink-3 bg-rule-2 px-0.5 data-[state=checked]:justify-end data-[state=checked]:border-mint data-[state=checked]:bg-mint">
          <Switch.Thumb className="block h-4.5 w-4.5 rounded-full bg-sheet shadow" />
        </Switch.Root>
        <span>
          Single letters do something
          <span className="block text-[0.9rem] text-ink-2">Off, only Enter and Ctrl K are heard.</span>
        </span>
      </label>
    </Overlay>
  );
}
