import type { Shapes } from "../api/client";

const TONES = { same: "", added: "bg-mint-3", removed: "bg-stop-3 text-ink-2 line-through" } as const;
const SIGNS = { same: "", added: "+", removed: "−" } as const;

/** A file as it will be, changed lines marked. Read from top to bottom it is the file; struck lines are gone. */
export function FileView({ lines, label }: { lines: readonly Shapes["MarkedLine"][]; label: string }) {
  return (
    <div className="overflow-x-auto py-2" tabIndex={0} role="region" aria-label={label}>
      <table className="w-full border-collapse font-mono text-[0.88rem] leading-[1.6]">
        <tbody>
          {lines.map((l, i) => (
            // Lines have no identity beyond their place.
            <tr key={i} className={TONES[l.mark]}>
              <td className="w-9 pr-2 text-right align-top text-ink-3 select-none">{l.number || ""}</td>
              <td className="w-4 align-top font-bold text-mint select-none">
                {SIGNS[l.mark]}
                {l.mark !== "same" && <span className="sr-only">{l.mark}</span>}
              </td>
              <td className="pr-3 pl-1 break-words whitespace-pre-wrap">{l.text || " "}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
