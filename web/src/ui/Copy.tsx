import { useState } from "react";
import { Button, Key } from "./parts";

const WORDS = { ready: "Copy", copied: "Copied", failed: "Could not copy: select it" } as const;

/** Copies `text`; the key C presses it when it is the screen's `address`. A browser may refuse, and then it says so. */
export function Copy({ text, address, className }: { text: string; address?: boolean; className?: string }) {
  const [state, setState] = useState<keyof typeof WORDS>("ready");
  const copy = async () => {
    let next: keyof typeof WORDS = "copied";
    try {
      await navigator.clipboard.writeText(text);
    } catch {
      next = "failed";
    }
    setState(next);
    window.setTimeout(() => setState("ready"), next === "copied" ? 1600 : 5000);
  };
  return (
    <Button onClick={() => void copy()} data-copy={address || undefined} className={className ?? ""} aria-live="polite">
      {WORDS[state]} {address && state === "ready" && <Key>C</Key>}
    </Button>
  );
}
