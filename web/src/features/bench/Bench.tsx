import { useInfiniteQuery } from "@tanstack/react-query";
import { Ellipsis } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import { lazy, Suspense, useState } from "react";
import { Link } from "react-router";
import { answer, GET, type Deployment, type Problem, type Shapes } from "../../api/client";
import { useAnswer } from "../../api/use";
import { useRested } from "../../lib/rested";
import { stationPath } from "../../lib/stations";
import { plural } from "../../lib/words";
import { Findings } from "../../ui/Findings";
import { Hint } from "../../ui/Hint";
import { Line } from "../../ui/Line";
import { Button, ButtonLink, Key, Trouble, Waiting } from "../../ui/parts";
import { BenchSide } from "./BenchSide";
import { DemoStrip } from "./DemoStrip";

type Page = Shapes["PageOut"];
type Only = "" | "needs-you" | "running";

/** Beyond so many a list can be searched. */
const MANY = 12;
const COUNTED_TO = 1000;

export function Bench() {
  const { data, error, dataUpdatedAt } = useAnswer(["bench"], () => answer(GET("/api/bench")));
  const [only, setOnly] = useState<Only>("");
  const [typed, setTyped] = useState("");
  const search = useRested(typed.trim());
  if (error && !data) return <Trouble error={error} />;
  if (!data) return <Waiting what="the bench" />;
  const { open, service } = data;
  const many = open.total + service.total > MANY;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <h1 className="text-[1.8rem]">Bench</h1>
        <span className="text-ink-2">
          {open.total > 0 && `${counted(open.total, "card")} on the go`}
          {data.needs_you ? ` · ${data.needs_you} ${data.needs_you === 1 ? "needs" : "need"} you` : ""}
        </span>
        <ButtonLink go to="/new" className="ml-auto">
          New deployment <Key>N</Key>
        </ButtonLink>
      </header>
      <DemoStrip />
      <div className="grid items-start gap-4 lg:grid-cols-[minmax(0,1fr)_288px]">
        <div className="flex min-w-0 flex-col gap-3">
          {data.findings.length > 0 && (
            <section className="rounded-xl border border-amber-bright bg-sheet px-4 py-2">
              <Findings findings={data.findings} />
            </section>
          )}
          {many && <Narrow only={only} onOnly={setOnly} typed={typed} onType={setTyped} />}
          {open.total + service.total === 0 && (
            <Suspense fallback={null}>
              <EmptyBench />
            </Suspense>
          )}
          <Cards place="open" first={open} only={only} search={search} />
          {only === "" && service.total > 0 && (
            <>
              <h2 className="cap mt-2">In service{service.total > MANY ? `, ${counted(service.total, "device")}` : ""}</h2>
              <Cards place="service" first={service} only="" search={search} />
            </>
          )}
        </div>
        <BenchSide bench={data} since={dataUpdatedAt} />
      </div>
    </div>
  );
}

const counted = (total: number, word: string) => (total >= COUNTED_TO ? `${COUNTED_TO} and more ${word}s` : plural(total, word));

const KINDS = [
  ["", "All"],
  ["needs-you", "Needs you"],
  ["running", "Running"],
] as const;

function Narrow({ only, onOnly, typed, onType }: { only: Only; onOnly: (only: Only) => void; typed: string; onType: (text: string) => void }) {
  return (
    <div className="flex flex-wrap items-center gap-2">
      <input type="search" aria-label="Find a deployment" placeholder="Name, host name or appliance" className="min-w-0 flex-1 basis-56 rounded-lg border border-rule bg-field px-3 py-1.5 placeholder:text-ink-3" value={typed} maxLength={80} onChange={(e) => onType(e.target.value)} />
      <ToggleGroup.Root type="single" aria-label="Which" value={only || "all"} onValueChange={(next) => onOnly(next === "all" ? "" : (next as Only))} className="flex overflow-hidden rounded-lg border border-rule">
        {KINDS.map(([value, text]) => (
          <ToggleGroup.Item key={value} value={value || "all"} className="border-l border-rule px-3 py-1.5 text-ink-2 first:border-0 data-[state=on]:bg-ink data-[state=on]:text-paper">
            {text}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  );
}

/** The first page comes with the bench; what is further down, or searched for, is asked for when it is wanted. */
function Cards({ place, first, only, search }: { place: "open" | "service"; first: Page; only: Only; search: string }) {
  const [further, setFurther] = useState(false);
  const asked = further || only !== "" || search !== "";
  const { data, error, hasNextPage, fetchNextPage, isFetching } = useInfiniteQuery<Page, Problem, { pages: Page[] }, readonly unknown[], number | null>({
    queryKey: ["deployments", place, only, search],
    enabled: asked,
    initialPageParam: null,
    queryFn: ({ pageParam: before }) => answer(GET("/api/deployments", { params: { query: { place, only, search, ...(before === null ? {} : { before }) } } })),
    getNextPageParam: (last) => last.older_before,
  });
  const pages = asked ? (data?.pages ?? []) : [first];
  const more = asked ? hasNextPage : first.older_before !== null;
  const shown = pages.flatMap((p) => p.deployments);
  return (
    <>
      <Trouble error={error} />
      {shown.map((d, i) => (
        <DeploymentCard key={d.id} deployment={d} first={i === 0 && place === "open"} />
      ))}
      {asked && !isFetching && shown.length === 0 && <p className="text-ink-2">{place === "open" ? "Nothing on the go is like that." : "Nothing in service is called that."}</p>}
      {more && (
        <div>
          <Button disabled={isFetching} onClick={() => (asked ? void fetchNextPage() : setFurther(true))}>
            Show more
          </Button>
        </div>
      )}
    </>
  );
}

function DeploymentCard({ deployment: d, first }: { deployment: Deployment; first?: boolean }) {
  const made = [`${d.appliance} ${d.release}`.trim(), d.board_name, d.card_text].filter(Boolean).join(" · ");
  return (
    <section aria-label={d.name} className="rounded-xl border border-rule bg-sheet px-4 pt-3 pb-2.5">
      <header className="flex items-start gap-x-3">
        <div className="flex min-w-0 flex-1 flex-wrap items-center gap-x-3">
          <h2 className="min-w-0 text-[1.15rem] [overflow-wrap:anywhere]">
            <Link to={stationPath(d.id, d.line.now)} className="hover:underline">
              {d.name}
            </Link>
          </h2>
          <span className="text-[0.9rem] text-ink-2">{made}</span>
        </div>
        <More deployment={d} />
      </header>
      <div className="my-2">
        <Line deployment={d} compact />
      </div>
      <footer className="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-t border-dashed border-rule pt-2 sm:flex-nowrap">
        <b className="flex-none text-balance max-sm:w-full">{d.line.next_step}</b>
        <Hint text={d.line.next_detail}>
          <span className="min-w-0 flex-1 truncate text-[0.9rem] text-ink-2 max-sm:whitespace-normal">{d.line.next_detail}</span>
        </Hint>
        <ButtonLink small go={d.line.button === "Continue"} to={stationPath(d.id, d.line.now)} className="ml-auto" data-main={first || undefined}>
          {d.line.button}
        </ButtonLink>
      </footer>
    </section>
  );
}

/** Fetched where there is nothing else to show. */
const EmptyBench = lazy(async () => ({ default: (await import("./EmptyBench")).EmptyBench }));

const MoreMenu = lazy(async () => ({ default: (await import("./MoreMenu")).MoreMenu }));

/** What else can be done with it: its menu is fetched with the first press. */
function More({ deployment }: { deployment: Deployment }) {
  const [pressed, setPressed] = useState(false);
  const button = (
    <button type="button" aria-haspopup="menu" aria-label={`More for ${deployment.name}`} className={MORE} onClick={() => setPressed(true)}>
      <Ellipsis size={17} aria-hidden />
    </button>
  );
  if (!pressed) return button;
  return (
    <Suspense fallback={button}>
      <MoreMenu deployment={deployment} className={MORE} />
    </Suspense>
  );
}

const MORE = "flex-none rounded-lg px-1.5 py-1 text-ink-3 hover:bg-rule-2 hover:text-ink";
