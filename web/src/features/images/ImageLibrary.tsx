import { useState } from "react";
import { Link } from "react-router";
import { answer, GET, POST } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { useRested } from "../../lib/rested";
import { takeFiles } from "../../lib/takeFiles";
import { plural } from "../../lib/words";
import { Findings } from "../../ui/Findings";
import { Mark, type MarkName } from "../../ui/Mark";
import { Button, Sheet, Trouble, Waiting } from "../../ui/parts";

const MANY = 12;

export function ImageLibrary() {
  const [typed, setTyped] = useState("");
  const [page, setPage] = useState(0);
  const search = useRested(typed.trim());
  const [idle, setIdle] = useState(false);
  const key = ["images", search, page, idle];
  const { data, error } = useAnswer(key, () => answer(GET("/api/images", { params: { query: { search, page, idle } } })));
  const build = useChange(key, () => answer(POST("/api/images/build")));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the library" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-baseline gap-x-3">
        <h1 className="text-[1.8rem]">Images</h1>
        <span className="text-ink-2">
          {plural(data.total, "file")} {idle ? "that nothing uses" : "in the library folder"}
          {data.total > 0 && !search && `, ${idle ? data.idle_text : data.size_text}`}
        </span>
        <label className="ml-auto inline-flex cursor-pointer items-center justify-center rounded-[9px] border border-rule bg-sheet px-3.5 py-1.5 font-[550] has-focus-visible:outline-2 has-focus-visible:outline-sky hover:border-ink-3">
          Bring an image
          <input
            type="file"
            multiple
            className="sr-only"
            onChange={(e) => {
              takeFiles([...(e.target.files ?? [])]);
              e.target.value = "";
            }}
          />
        </label>
      </header>
      {(data.idle > 0 || idle) && (
        <p className="-mt-2 text-[0.95rem] text-ink-2">
          {idle ? "These may go: no deployment uses them. " : `${plural(data.idle, "file")} of it, ${data.idle_text}, ${data.idle === 1 ? "is" : "are"} used by no deployment. `}
          <button
            type="button"
            className="font-[550] text-mint-ink underline"
            onClick={() => {
              setIdle(!idle);
              setPage(0);
            }}
          >
            {idle ? "Show all" : "Show those"}
          </button>
        </p>
      )}
      {(data.total > MANY || search) && (
        <input type="search" aria-label="Find an image" placeholder="File name or appliance" className="max-w-md rounded-lg border border-rule bg-field px-3 py-1.5 placeholder:text-ink-3" value={typed} maxLength={80} onChange={(e) => {
          setTyped(e.target.value);
          setPage(0);
        }} />
      )}
      {data.images.length === 0 && search && <p className="text-ink-2">No image is called that.</p>}
      {data.images.length === 0 && !search && !idle && (
        <p className="rounded-xl border border-dashed border-rule bg-sheet p-6 text-ink-2">
          The library folder is empty. Drop an image here as you downloaded it, packed or not, on this page or on any other; or copy it into the folder, where it is seen by itself.
        </p>
      )}
      <ul className="overflow-hidden rounded-xl border border-rule bg-sheet empty:hidden">
        {data.images.map((i) => (
          <li key={i.id} className="border-t border-rule-2 first:border-0">
            <Link to={`/images/${i.id}`} className="grid grid-cols-[1.4rem_minmax(0,1fr)] items-center gap-x-3 gap-y-0.5 px-4 py-2.5 hover:bg-mint-3 md:grid-cols-[1.4rem_minmax(0,1.4fr)_minmax(0,1fr)_minmax(0,1.2fr)_5rem]">
              <Mark name={(i.verdict || "todo") as MarkName} />
              <span className="font-mono font-bold [overflow-wrap:anywhere]">{i.file_name}</span>
              <span className="text-ink-2 max-md:col-start-2">{i.appliance ? `${i.appliance} ${i.release}, ${i.build}` : "no recipe describes it"}</span>
              <span className="text-[0.93rem] text-ink-2 max-md:col-start-2">
                {i.trouble || i.summary || "not read yet"}
                {i.used_by.length > 0 && <span className="block text-[0.88rem] text-ink-3">used by {i.used_by.join(", ")}</span>}
              </span>
              <span className="font-mono text-[0.93rem] text-ink-2 max-md:col-start-2 md:text-right">{i.size_text}</span>
            </Link>
          </li>
        ))}
      </ul>
      {(page > 0 || data.next_page !== null) && (
        <div className="flex gap-2">
          <Button disabled={page === 0} onClick={() => setPage(page - 1)}>
            Those before
          </Button>
          <Button disabled={data.next_page === null} onClick={() => setPage(page + 1)}>
            Those after
          </Button>
        </div>
      )}
      {data.to_build > 0 && (
        <div className="flex flex-wrap items-center gap-3 rounded-xl border border-dashed border-rule bg-sheet px-4 py-2.5">
          <Mark name={data.building ? "run" : "todo"} />
          <p className="min-w-0 flex-1 text-[0.95rem]" role="status">
            {data.building ? `Building the made-up images of ${data.to_build_of}: ${data.to_build} to go.` : `${plural(data.to_build, "made-up image")} of ${data.to_build_of} ${data.to_build === 1 ? "is" : "are"} not built yet.`}
          </p>
          {!data.building && (
            <Button small disabled={build.isPending} onClick={() => build.mutate(undefined)}>
              Build them
            </Button>
          )}
        </div>
      )}
      <Trouble error={build.error} />
      {data.findings.length > 0 && (
        <Sheet title="Also there, and not read">
          <Findings findings={data.findings} />
        </Sheet>
      )}
    </div>
  );
}
