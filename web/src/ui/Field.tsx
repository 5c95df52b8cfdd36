import { useId, useState, type ReactNode } from "react";

interface Props {
  label: string;
  value: string;
  onSave: (value: string) => void;
  mono?: boolean;
  hint?: ReactNode;
  tone?: "plain" | "check" | "stop";
  placeholder?: string;
  secret?: boolean;
}

const BORDERS = { plain: "border-rule", check: "border-amber-bright", stop: "border-stop" };

/** One line of text that is saved when one leaves it or presses Enter, and only when it changed. */
export function Field({ label, value, onSave, mono, hint, tone = "plain", placeholder, secret }: Props) {
  const id = useId();
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    if (draft !== null && draft !== value) onSave(draft);
    setDraft(null);
  };
  return (
    <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <label htmlFor={id} className="text-[0.92rem] text-ink-2">
        {label}
      </label>
      <div className={`flex items-center gap-2 rounded-lg border bg-field pr-2 ${BORDERS[tone]}`}>
        <input
          id={id}
          type={secret ? "password" : "text"}
          autoComplete={secret ? "new-password" : "off"}
          spellCheck={false}
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
    </div>
  );
}

interface ChoiceProps<V extends string | number> {
  label: string;
  value: V | null;
  options: readonly { value: V; text: string }[];
  onSave: (value: V) => void;
  empty: string;
}

/** One of a few, as the system's own list. */
export function Choice<V extends string | number>({ label, value, options, onSave, empty }: ChoiceProps<V>) {
  const id = useId();
  return (
    <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
      <label htmlFor={id} className="text-[0.92rem] text-ink-2">
        {label}
      </label>
      <select
        id={id}
        className={`min-w-0 rounded-lg border bg-field px-2 py-1.5 ${value === null ? "border-amber-bright" : "border-rule"}`}
        value={value ?? ""}
        onChange={(e) => {
          const picked = options.find((o) => String(o.value) === e.target.value);
          if (picked) onSave(picked.value);
        }}
      >
        {value === null && <option value="">{empty}</option>}
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.text}
          </option>
        ))}
      </select>
    </div>
  );
}
