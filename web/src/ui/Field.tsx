import { type ReactNode, useId, useState } from "react";

interface Props {
  label: string;
  value: string;
  onSave: (value: string) => void;
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
  if (saved !== value) {
    // The server answered with another value: that is what stands there now.
    setSaved(value);
    setDraft(null);
  }
  const save = () => {
    if (draft !== null && draft !== value) onSave(draft);
    else setDraft(null);
    if (secret) setDraft(null);
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
          onChange={(e) => setDraft(e.target.value)}
          onBlur={save}
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
      {problem && (
        <p id={`${id}-problem`} className="col-start-2 mt-0.5 text-[0.85rem] text-stop">
          {problem}
        </p>
      )}
    </div>
  );
}
