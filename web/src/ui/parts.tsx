// Small parts every screen uses.
import type { ComponentProps, ReactNode } from "react";
import { Link } from "react-router";

const BUTTON = "inline-flex items-center justify-center gap-2 rounded-[9px] border px-3.5 py-1.5 font-[550] whitespace-nowrap disabled:opacity-55 aria-disabled:opacity-55";
const PLAIN = "border-rule bg-sheet text-ink enabled:hover:border-ink-3 [a&]:hover:border-ink-3";
const GO = "border-mint bg-mint text-on-mint enabled:hover:brightness-110 [a&]:hover:brightness-110";

const look = (go: boolean | undefined, small: boolean | undefined) =>
  `${BUTTON} ${go ? GO : PLAIN} ${small ? "!px-2.5 !py-0.5 text-[0.93rem]" : ""}`;

interface Look {
  go?: boolean;
  small?: boolean;
  /** The screen's one main action: Enter presses it. Never one that powers a board or writes a card: those are `go`. */
  main?: boolean;
}

/** What the main button waits for is said in an element of this id. */
export const WAITS_ID = "waits-for";

export function Button({ go, small, main, className = "", children, disabled, ...rest }: ComponentProps<"button"> & Look) {
  // A step that cannot be taken yet can still be reached, and says what it waits for.
  const waits = disabled && (go ?? main) && rest.type !== "submit";
  const off = waits ? { "aria-disabled": true, "aria-describedby": WAITS_ID, onClick: undefined } : { disabled };
  return (
    <button type="button" className={`${look(go ?? main, small)} ${className}`} data-main={main || undefined} {...rest} {...off}>
      {children}
      {main && <Key>↵</Key>}
    </button>
  );
}

export function ButtonLink({ go, small, main, className = "", children, ...rest }: ComponentProps<typeof Link> & Look) {
  return (
    <Link className={`${look(go ?? main, small)} ${className}`} data-main={main || undefined} {...rest}>
      {children}
      {main && <Key>↵</Key>}
    </Link>
  );
}

export function OutsideLink({ go, small, main, className = "", children, ...rest }: ComponentProps<"a"> & Look) {
  return (
    <a target="_blank" rel="noreferrer" className={`${look(go ?? main, small)} ${className}`} data-main={main || undefined} {...rest}>
      {children}
      {main && <Key>↵</Key>}
    </a>
  );
}

export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="hidden rounded border border-current px-1 font-mono text-[0.73rem] font-semibold opacity-65 md:inline">{children}</kbd>
  );
}

export function Sheet({ title, hint, children, className = "", aside }: { title?: ReactNode; hint?: ReactNode; aside?: ReactNode; children: ReactNode; className?: string }) {
  return (
    <section className={`min-w-0 rounded-xl border border-rule bg-sheet px-4 py-3 ${className}`}>
      {title !== undefined && (
        <header className="mb-2 flex flex-wrap items-baseline gap-x-3 gap-y-1">
          <h2 className="text-[1.08rem]">{title}</h2>
          {hint !== undefined && <span className="text-[0.9rem] text-ink-2">{hint}</span>}
          {aside !== undefined && <span className="ml-auto">{aside}</span>}
        </header>
      )}
      {children}
    </section>
  );
}

const TAGS = {
  ok: "bg-mint-2 text-mint-ink", check: "bg-amber-2 text-amber", stop: "bg-stop-2 text-stop", wait: "bg-sky-2 text-sky", plain: "bg-rule-2 text-ink-2",
};

export function Tag({ tone = "plain", mono, children }: { tone?: keyof typeof TAGS; mono?: boolean; children: ReactNode }) {
  return (
    <span className={`inline-flex max-w-full items-center gap-1.5 rounded-md px-2 py-0.5 text-[0.85rem] font-[550] ${TAGS[tone]} ${mono ? "font-mono" : ""}`}>{children}</span>
  );
}

export function Mono({ children, className = "" }: { children: ReactNode; className?: string }) {
  return <span className={`font-mono text-[0.95em] break-words ${className}`}>{children}</span>;
}

export function Trouble({ error }: { error: Error | null | undefined }) {
  if (!error) return null;
  return (
    <p role="alert" className="rounded-lg bg-stop-2 px-3 py-2 text-[0.95rem] text-stop">
      {error.message}
    </p>
  );
}

export function Waiting({ what }: { what: string }) {
  return <p className="p-4 text-ink-2">Reading {what}…</p>;
}

export function Facts({ rows }: { rows: readonly (readonly [string, ReactNode])[] }) {
  return (
    <dl className="grid grid-cols-[auto_minmax(0,1fr)] text-[0.93rem]">
      {rows.map(([name, value]) => (
        <div key={name} className="col-span-2 grid grid-cols-subgrid gap-x-4 border-t border-rule-2 py-1.5 first:border-0">
          <dt className="text-ink-2">{name}</dt>
          <dd className="min-w-0 break-words">{value}</dd>
        </div>
      ))}
    </dl>
  );
}
