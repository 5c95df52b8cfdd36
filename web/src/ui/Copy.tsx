import { useState } from "react";
import { Button, Key } from "./parts";

/** Copies `text`; the key C presses it when it is the screen's `address`. */
export function Copy({ text, address, className }: { text: string; address?: boolean; className?: string }) {
  const [copied, setCopied] = useState(false);
  const copy = () => {
    void navigator.clipboard.writeText(text).then(() => {
      setCopied(true);
      window.setTimeout(() => setCopied(false), 1600);
    });
  };
  return (
    <Button onClick={copy} data-copy={address || undefined} className={className ?? ""} aria-live="polite">
      {copied ? "Copied" : "Copy"} {address && <Key>C</Key>}
    </Button>
  );
}
