// One text: read, changed, checked as one types, kept, passed on, taken away.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { answer, GET, POST, PUT, type Shapes } from "../../api/client";
import { useChange, useLasting } from "../../api/use";
import { useRested } from "../../lib/rested";
import { clashOf } from "../../ui/Clash";
import { Mark } from "../../ui/Mark";
import { Button, Mono, Sheet, Trouble, Waiting } from "../../ui/parts";
import { useTakeOff } from "../../ui/TakeOff";
import { useToast } from "../../ui/toast";
import { brought, type Kind } from "./drafts";
import { TextEditor } from "./TextEditor";

const WORDS: Record<Kind, string> = { recipe: "recipe", board: "board", part: "part" };

export function EditDescription() {
  const { kind: said, id = "" } = useParams();
  const kind: Kind = said === "board" || said === "part" ? said : "recipe";
  const fresh = id === "new";
  const { data, error } = useLasting(["description", kind, id], () =>
    fresh ? Promise.resolve({ kind, id: "", text: brought(kind), text_id: null, brought: false, shipped: false }) : answer(GET("/api/descriptions/{kind}/{ident}", { params: { path: { kind, ident: id } } })),
  );
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the text" />;
  const start = fresh ? brought(kind) : data.text;
  return <Editing key={`${kind}/${id}`} kind={kind} text={{ ...data, text: start }} fresh={fresh} />;
}

function Editing({ kind, text: held, fresh }: { kind: Kind; text: Shapes["TextOut"]; fresh: boolean }) {
  const navigate = useNavigate();
  const toast = useToast();
  const [text, setText] = useState(held.text);
  /** What one began to change, and a text to begin with anew. */
  const [base, setBase] = useState(held.text);
  const [start, setStart] = useState({ text: held.text, times: 0 });
  const queries = useQueryClient();
  const goTo = useRef<(line: number) => void>(() => undefined);
  const ready = useCallback((go: (line: number) => void) => {
    goTo.current = go;
  }, []);
  const asked = useRested(text);
  const check = useQuery({
    queryKey: ["check", kind, asked],
    queryFn: () => answer(POST("/api/texts/{kind}/check", { params: { path: { kind } }, body: { text: asked } })),
    placeholderData: (before) => before,
    gcTime: 10_000,
  });
  const keep = useChange(["descriptions", kind, "kept"], (was: string | null) => answer(PUT("/api/descriptions/{kind}", { params: { path: { kind } }, body: { text, was } })));
  const theirs = clashOf(keep.error)?.["text"];
  const keepFrom = (was: string | null) =>
    keep.mutate(was, {
      onSuccess: (kept) => {
        toast({ text: "Kept." });
        setBase(kept.text);
        queries.setQueryData(["description", kind, kept.id], kept);
        void navigate(`/recipes/${kind}/${encodeURIComponent(kept.id)}`);
      },
    });
  const takeOff = useTakeOff();
  const problems = check.data?.problems ?? [];
  const inTheWay = problems.filter((p) => p.bars);
  const good = check.data !== undefined && inTheWay.length === 0 && asked === text && !check.isPlaceholderData;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-end gap-x-3 gap-y-2">
        <div className="min-w-0">
          <div className="text-[0.88rem] text-ink-3">
            <Link to="/recipes" className="hover:underline">
              Recipes
            </Link>{" "}
            /
          </div>
          <h1 className="text-[1.65rem]">{check.data?.name || (fresh ? `A ${WORDS[kind]} of your own` : held.id)}</h1>
        </div>
        <div className="flex flex-wrap gap-2 md:ml-auto">
          {!fresh && (
            <a href={`/api/descriptions/${kind}/${encodeURIComponent(held.id)}/file`} download className="inline-flex items-center rounded-[9px] border border-rule bg-sheet px-3.5 py-1.5 font-[550] hover:border-ink-3">
              Save as a file
            </a>
          )}
          {held.brought && (
            <Button onClick={() => takeOff({ kind: "text", id: held.text_id ?? 0, name: held.id, then: () => void navigate("/recipes") })}>{held.shipped ? "Back to the one that came" : "Take it off"}</Button>
          )}
          <Button
            main
            disabled={!good || keep.isPending || (text === base && !fresh)}
            onClick={() => keepFrom(fresh ? null : base)}
          >
            Keep it
          </Button>
        </div>
      </header>
      <Trouble error={theirs === undefined ? keep.error ?? check.error : check.error} />
      {typeof theirs === "string" && (
        <Sheet title="Another text was kept meanwhile" hint="yours is still below">
          <pre className="max-h-64 overflow-auto rounded-lg bg-field p-2 font-mono text-[0.85rem]">{theirs}</pre>
          <div className="mt-2 flex flex-wrap gap-2">
            <Button
              onClick={() => {
                keep.reset();
                setBase(theirs);
                setText(theirs);
                setStart({ text: theirs, times: start.times + 1 });
              }}
            >
              Take that one
            </Button>
            <Button onClick={() => keepFrom(theirs)}>Keep mine</Button>
          </div>
        </Sheet>
      )}
      <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_20rem]">
        <TextEditor key={start.times} start={start.text} label={`Text of the ${WORDS[kind]}`} problems={problems} onText={setText} onReady={ready} />
        <Sheet title="Can it be read?" className="lg:sticky lg:top-4">
          <div role="status" aria-live="polite">
            {problems.length > 0 && (
              <>
                <p className="mb-1 text-[0.93rem] text-ink-2">
                  {inTheWay.length === 0
                    ? "It can be kept as it is. Is this meant?"
                    : `${inTheWay.length === 1 ? "One thing is" : `${inTheWay.length} things are`} in the way.`}
                </p>
                <ul className="mb-2">
                  {problems.map((p, n) => (
                    <li key={`${p.line}${p.path}${n}`} className="border-t border-rule-2 first:border-0">
                      <button type="button" className="flex w-full gap-2 rounded py-1.5 text-left text-[0.93rem] hover:bg-rule-2" onClick={() => goTo.current(p.line)}>
                        <Mark name={p.bars ? "stop" : "check"} size={16} />
                        <span className="min-w-0">
                          <b className="font-[550]">Line {p.line}</b> {p.path && <Mono>{p.path}</Mono>}
                          <span className="block break-words text-ink-2">{p.message}</span>
                        </span>
                      </button>
                    </li>
                  ))}
                </ul>
              </>
            )}
            {inTheWay.length > 0 ? null : good ? (
              <p className="flex gap-2 text-[0.95rem]">
                <Mark name="ok" size={18} />
                <span>
                  It describes <b>{check.data?.name}</b>, <Mono>{check.data?.id}</Mono>.{check.data?.replaces && (text !== base || fresh) && <span className="block text-ink-2">It takes the place of {check.data.replaces}.</span>}
                </span>
              </p>
            ) : (
              <p className="text-ink-2">Reading it…</p>
            )}
          </div>
          <p className="mt-2 border-t border-rule-2 pt-2 text-[0.9rem] text-ink-2">
            docs/recipe-format.md explains every field; <Mono>mintseed schema {kind}</Mono> prints the schema.
          </p>
        </Sheet>
      </div>
    </div>
  );
}
