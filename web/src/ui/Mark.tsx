// Each mark has its own shape as well as its own colour.
export type MarkName = "ok" | "check" | "stop" | "yet" | "note" | "now" | "run" | "todo" | "no";

const WORDS: Record<MarkName, string> = {
  ok: "done", check: "look at this", stop: "stopped", yet: "not chosen yet", note: "note", now: "here now", run: "running", todo: "not yet", no: "does not go",
};

export function Mark({ name, size = 18 }: { name: MarkName; size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 20 20" role="img" aria-label={WORDS[name]} className="flex-none">
      {shape(name)}
    </svg>
  );
}

function shape(name: MarkName) {
  switch (name) {
    case "ok":
      return (
        <>
          <rect x="1.5" y="1.5" width="17" height="17" rx="5" fill="var(--mint)" />
          <path d="M5.6 10.4l3 3 5.8-6.4" fill="none" stroke="var(--on-mint)" strokeWidth="2.2" strokeLinecap="round" strokeLinejoin="round" />
        </>
      );
    case "check":
      return (
        <>
          <path d="M10 .9l9.1 9.1L10 19.1.9 10z" fill="var(--amber-bright)" />
          <path d="M10 5.4v5.6M10 13.9v.2" stroke="#3b2700" strokeWidth="2.1" strokeLinecap="round" />
        </>
      );
    case "stop":
      return (
        <>
          <path d="M6 1h8l5 5v8l-5 5H6l-5-5V6z" fill="var(--stop)" />
          <path d="M5.5 10h9" stroke="var(--sheet)" strokeWidth="2.6" strokeLinecap="round" />
        </>
      );
    case "no":
      return <path d="M4.5 10h11" stroke="var(--ink-3)" strokeWidth="2.2" strokeLinecap="round" />;
    case "note":
      return (
        <>
          <rect x="2" y="6.5" width="16" height="7" rx="3.5" fill="var(--sky-2)" stroke="var(--sky)" strokeWidth="1.4" />
          <path d="M6.5 10h7" stroke="var(--sky)" strokeWidth="1.8" strokeLinecap="round" />
        </>
      );
    case "now":
      return (
        <>
          <circle cx="10" cy="10" r="8" fill="var(--sheet)" stroke="var(--mint)" strokeWidth="3" />
          <circle cx="10" cy="10" r="3.2" fill="var(--mint)" />
        </>
      );
    case "run":
      return (
        <>
          <circle cx="10" cy="10" r="8" fill="var(--sheet)" stroke="var(--rule)" strokeWidth="3" />
          <path d="M10 2a8 8 0 0 1 7.4 11" fill="none" stroke="var(--sky)" strokeWidth="3" strokeLinecap="round" className="turning" />
        </>
      );
    case "yet":
    case "todo":
      return <circle cx="10" cy="10" r="7.6" fill="var(--sheet)" stroke="var(--ink-3)" strokeWidth="1.6" strokeDasharray="3 2.6" />;
  }
}
