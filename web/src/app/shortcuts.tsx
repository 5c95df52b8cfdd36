// Everything by keyboard. Screens mark what a key presses: data-main, data-copy, data-open, data-step.
import { Switch } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { Overlay } from "../ui/Overlay";

const PLACES: Record<string, string> = { b: "/", i: "/images", h: "/shelf", r: "/recipes", s: "/site", l: "/log" };
const PRESSED: Record<string, string> = {
  Enter: "[data-main]",
  c: "[data-copy]",
  o: "[data-open]",
  "[": "[data-step=previous]",
  "]": "[data-step=next]",
};

const OFF = "mintseed-shortcuts-off";

/** Single letters can be switched off: some people type with their voice, or lean on keys. Ctrl K and Enter stay. */
const lettersOff = () => localStorage.getItem(OFF) === "yes";

export const SHORTCUTS: readonly (readonly [string, string])[] = [
  ["N", "new deployment"],
  ["Enter", "the main button, unless it powers a board or writes a card"],
  ["[  ]", "previous and next station"],
  ["C", "copy the address"],
  ["O", "open its page"],
  ["G then B I H R S L", "go to Bench, Images, Shelf, Recipes, Site, Log"],
  ["/  or  Ctrl K", "search and go"],
  ["?", "this list"],
];

const taken = (target: EventTarget | null, key: string) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || (key === "Enter" && /^(A|BUTTON)$/.test(target.tagName)));

export function useShortcuts({ openPalette, openHelp }: { openPalette: () => void; openHelp: () => void }): void {
  const navigate = useNavigate();
  const going = useRef(0);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
      if ((event.ctrlKey || event.metaKey) && key === "k") {
        event.preventDefault();
        openPalette();
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey || taken(event.target, key) || document.querySelector("[role=dialog]")) return;
      if (event.key.length === 1 && lettersOff()) return;
      const place = PLACES[key];
      if (Date.now() - going.current < 1500 && place) {
        going.current = 0;
        void navigate(place);
      } else if (key === "g") going.current = Date.now();
      else if (key === "/") {
        event.preventDefault();
        openPalette();
      } else if (key === "?") openHelp();
      else if (key === "n") void navigate("/new");
      else {
        const pressed = PRESSED[key] ? document.querySelector<HTMLElement>(PRESSED[key]) : null;
        if (pressed) {
          event.preventDefault();
          pressed.click();
        }
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [navigate, openPalette, openHelp]);
}

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
