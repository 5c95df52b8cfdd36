import { type ReactNode, useId, useState } from "react";
import { Button } from "./parts";

interface Props {
  label: string;
  value: string;
  /** `was`: what stood there when one began to type. */
  onSave: (value: string, was: string) => void;
  mono?: boolean;
  hint?: ReactNode;
  tone?: "plain" | "check" | "stop";
  placeholder?: string;
  secret?: boolean;
  /** What is wrong with what stands there, in one sentence. A value that was refused stays until it is mended or Esc. */
  problem?: string | undefined;
}

const BORDERS = { plain: "border-rule", check: "border-amber-bright", stop: "border-stop" };

/** One line of text that is saved when one leaves it or presses Enter, and only when it changed. */
export function Field({ label, value, onSave, mono, hint, tone = "plain", placeholder, secret, problem }: Props) {
  const id = useId();
  const [draft, setDraft] = useState<string | null>(null);
  const [saved, setSaved] = useState(value);
  /** What stood there when one began to type, and what is on its way to the server. */
  const [was, setWas] = useState(value);
  const [sent, setSent] = useState<string | null>(null);
  if (saved !== value) {
    setSaved(value);
    // The server answered what was sent: that is what stands there now. What was typed since, or only typed, stays.
    if (draft === sent || draft === value) setDraft(null);
    else if (sent !== null) setWas(sent);
    setSent(null);
  }
  if (sent !== null && problem) setSent(null); // refused: it is still only typed
  const typing = draft !== null && draft !== value;
  const meanwhile = typing && !secret && sent === null && was !== value;
  const type = (text: string) => {
    if (draft === null) setWas(value);
    setDraft(text);
  };
  const save = (all = false) => {
    if (!typing || draft === null) setDraft(null);
    else if (!meanwhile || all) {
      if (draft === sent) return; // on its way already
      onSave(draft, meanwhile ? value : (sent ?? was));
      setWas(value);
      if (secret) setDraft(null);
      else setSent(draft);
    }
  };
  return (
    <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <label htmlFor={id} className="text-[0.92rem] text-ink-2">
        {label}
      </label>
      <div className={`flex items-center gap-2 rounded-lg border bg-field pr-2 ${problem ? BORDERS.stop : BORDERS[tone]}`}>
        <input
          id={id}
          type={secret ? "password" : "text"}
          autoComplete={secret ? "new-password" : "off"}
          spellCheck={false}
          aria-invalid={problem ? true : undefined}
          aria-describedby={problem ? `${id}-problem` : undefined}
          className={`min-w-0 flex-1 bg-transparent px-2.5 py-1 placeholder:text-ink-3 ${mono ? "font-mono" : ""}`}
          value={draft ?? value}
          placeholder={placeholder}
          onChange={(e) => type(e.target.value)}
          onBlur={() => save()}
          onKeyDown={(e) => {
            if (e.key === "Enter") {
              e.stopPropagation();
              save();
            }
            if (e.key === "Escape") setDraft(null);
          }}
        />
        {hint !== undefined && <span className="flex-none text-[0.82rem] text-ink-3">{hint}</span>}
      </div>
      {meanwhile && (
        <div role="alert" className="col-start-2 mt-1 rounded-lg bg-amber-2 px-2.5 py-1.5 text-[0.88rem]">
          <p className="break-words">
            Changed meanwhile to <b>{value || "nothing"}</b>. What you typed is still here.
          </p>
          <span className="mt-1 flex flex-wrap gap-2">
            <Button small onClick={() => setDraft(null)}>
              Take that
            </Button>
            <Button small onClick={() => save(true)}>
              Keep mine
            </Button>
          </span>
        </div>
      )}
      {problem && (
        <p id={`${id}-problem`} className="col-start-2 mt-0.5 text-[0.85rem] text-stop">
          {problem}
        </p>
      )}
    </div>
  );
}
