// Who is at the door, where an account is needed.
import { useQueryClient } from "@tanstack/react-query";
import { lazy, type ReactNode, Suspense, useEffect, useRef, useState } from "react";
import { answer, DELETE, GET, POST, type Problem } from "../api/client";
import { useAnswer, useChange } from "../api/use";
import { Mono, Trouble, Waiting } from "../ui/parts";

const KEY = ["session"];

/** Fetched where somebody has to say who they are. */
const LogIn = lazy(async () => ({ default: (await import("./LogIn")).LogIn }));

export function useSession() {
  return useAnswer(KEY, () => answer(GET("/api/session")));
}

/** The code of a link that lets this browser in once, taken out of the address as soon as it was read. */
function takeCode(): string {
  const code = /^#come-in=([\w-]+)$/.exec(window.location.hash)?.[1] ?? "";
  if (code) window.history.replaceState(null, "", window.location.pathname);
  return code;
}

// A link that is opened where the page lies open already changes nothing but what stands behind the #.
let code = takeCode();

function useCode(): string {
  const [held, setHeld] = useState(code);
  useEffect(() => {
    const look = () => {
      const fresh = takeCode();
      if (fresh) setHeld((code = fresh));
    };
    window.addEventListener("hashchange", look);
    return () => window.removeEventListener("hashchange", look);
  }, []);
  return held;
}

const ASK_AGAIN_AFTER_MS = 500;

/** Shows what is inside once somebody who may come in is there, or where nobody is asked. */
export function Door({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const { data, error, refetch } = useSession();
  const held = useCode();
  const [wasIn, setWasIn] = useState(false);
  const tried = useRef("");
  const { mutate, error: refused, isPending } = useChange(KEY, (code: string) => answer(POST("/api/session/link", { body: { code } })));
  const shut = data !== undefined && data.door !== "open" && !data.signed_in;
  // Whoever closes the door by a passphrase of their own is given a session with that answer; what this browser asked for at the
  // same moment came before it. So somebody who was in is asked once more before the page goes.
  if (data !== undefined && !shut && !wasIn) setWasIn(true);
  useEffect(() => {
    if (!shut || !wasIn) return;
    const again = setTimeout(() => void refetch().then(() => setWasIn(false)), ASK_AGAIN_AFTER_MS);
    return () => clearTimeout(again);
  }, [shut, wasIn, refetch]);
  const comesByLink = shut && data.door === "link" && held !== "";
  useEffect(() => {
    if (!comesByLink || tried.current === held) return;
    tried.current = held;
    mutate(held, { onSuccess: () => void queries.invalidateQueries() });
  }, [comesByLink, held, mutate, queries]);
  if (!data) return <ComingUp error={error} />;
  if (!shut || (wasIn && held === "")) return children;
  if (data.door === "account") {
    return (
      <Suspense fallback={<Waiting what="the door" />}>
        <LogIn />
      </Suspense>
    );
  }
  return isPending || (comesByLink && refused === null) ? <ComingUp error={null} /> : <AskForLink error={refused} />;
}

/** Until the application answers: a start takes seconds, the very first one a minute. */
function ComingUp({ error }: { error: Problem | Error | null }) {
  return (
    <div className="flex flex-col gap-2 p-4" role="status">
      <p className="text-ink-2">Mint Seed is coming up…</p>
      {error && <p className="text-[0.93rem] text-ink-3">It does not answer yet ({error.message}); this page asks again by itself.</p>}
    </div>
  );
}

/** Other users of this machine reach this page too, so it opens only by the link its start printed. */
function AskForLink({ error }: { error: Problem | null }) {
  return (
    <main id="work" className="mx-auto flex min-h-screen max-w-md flex-col justify-center gap-4 p-4">
      <h1 className="text-[1.65rem]">Mint Seed</h1>
      <Trouble error={error} />
      <p className="text-ink-2">
        Something of yours lies behind this page, a bench that writes real cards or a passphrase of your own, and every user of this machine can reach it. So it opens by a link that is printed where it was started.
      </p>
      <p className="text-ink-2">
        Used already, or not at hand? Print another one there: <Mono className="mt-1.5 block rounded-lg border border-rule bg-sheet px-3 py-2 text-ink">.venv/bin/python manage.py link</Mono>
      </p>
    </main>
  );
}

/** Says so to whoever may only look, before they press in vain. */
export function OnlyLooks() {
  const session = useSession().data;
  if (session?.role !== "look" || (session.door !== "open" && !session.signed_in)) return null;
  return (
    <p role="note" className="mb-3 rounded-lg border border-dashed border-rule bg-sheet px-3 py-2 text-[0.95rem] text-ink-2">
      Your account looks and changes nothing. An owner of this bench can let it do more, under Site.
    </p>
  );
}

export function LogOut() {
  const session = useSession().data;
  const queries = useQueryClient();
  const leave = useChange(KEY, () => answer(DELETE("/api/session")));
  if (!session?.signed_in) return null;
  return (
    <button type="button" className="text-left hover:text-ink hover:underline" onClick={() => leave.mutate(undefined, { onSuccess: () => queries.clear() })}>
      Log out {session.name}
      {session.role !== "owner" && ` (${session.role})`}
    </button>
  );
}
