// Everything by keyboard. Screens mark what a key presses: data-main, data-copy, data-open, data-step.
import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";

const PLACES: Record<string, string> = { b: "/", i: "/images", h: "/shelf", r: "/recipes", d: "/doctor", s: "/site", l: "/log" };
const PRESSED: Record<string, string> = {
  Enter: "[data-main]",
  c: "[data-copy]",
  o: "[data-open]",
  "[": "[data-step=previous]",
  "]": "[data-step=next]",
};

/** Milliseconds after a g within which a letter leads somewhere: long enough for a page that is busy showing the place before. */
const GO_WITHIN_MS = 4000;

export const OFF = "mintseed-shortcuts-off";

/** Single letters can be switched off: some people type with their voice, or lean on keys. Ctrl K and Enter stay. */
export const lettersOff = () => localStorage.getItem(OFF) === "yes";

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
      if (Date.now() - going.current < GO_WITHIN_MS && place) {
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
