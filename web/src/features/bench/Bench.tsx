import { DropdownMenu } from "radix-ui";
import { Ellipsis } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, DELETE, GET, POST, type Deployment } from "../../api/client";
import { useAnswer } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { plural } from "../../lib/words";
import { Findings } from "../../ui/Findings";
import { Line } from "../../ui/Line";
import { ButtonLink, Key, Trouble, Waiting } from "../../ui/parts";
import { useToast } from "../../ui/toast";
import { BenchSide } from "./BenchSide";

export function Bench() {
  const { data, error, dataUpdatedAt } = useAnswer(["bench"], () => answer(GET("/api/bench")), (last) =>
    last && (last.running.length || last.newcomers.length) ? 1000 : 4000,
  );
  if (error && !data) return <Trouble error={error} />;
  if (!data) return <Waiting what="the bench" />;
  const open = data.deployments.filter((d) => !d.line.finished);
  const served = data.deployments.filter((d) => d.line.finished);
  const needing = open.filter((d) => d.line.needs_you).length;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <h1 className="text-[1.8rem]">Bench</h1>
        <span className="text-ink-2">
          {open.length > 0 && `${plural(open.length, "card")} on the go`}
          {needing ? ` · ${needing} ${needing === 1 ? "needs" : "need"} you` : ""}
        </span>
        <ButtonLink go to="/new" className="ml-auto">
          New deployment <Key>N</Key>
        </ButtonLink>
      </header>
      <div className="grid items-start gap-4 lg:grid-cols-[minmax(0,1fr)_288px]">
        <div className="flex min-w-0 flex-col gap-3">
          {data.findings.length > 0 && (
            <section className="rounded-xl border border-amber-bright bg-sheet px-4 py-2">
              <Findings findings={data.findings} />
            </section>
          )}
          {data.deployments.length === 0 && <EmptyBench />}
          {open.map((d, i) => (
            <DeploymentCard key={d.id} deployment={d} first={i === 0} />
          ))}
          {served.length > 0 && <h2 className="cap mt-2">In service</h2>}
          {served.map((d) => (
            <DeploymentCard key={d.id} deployment={d} />
          ))}
        </div>
        <BenchSide bench={data} since={dataUpdatedAt} />
      </div>
    </div>
  );
}

function EmptyBench() {
  return (
    <section className="flex flex-col items-start gap-3 rounded-xl border border-dashed border-rule bg-sheet p-6">
      <h2 className="text-[1.3rem]">Nothing on the bench yet</h2>
      <p className="max-w-prose text-ink-2">
        A deployment is one appliance on one board with one card. It goes down a line of eight stations, from the plan to the label on
        its box; you can leave at any of them and come back.
      </p>
      <ButtonLink main to="/new">
        Start the first one
      </ButtonLink>
    </section>
  );
}

function DeploymentCard({ deployment: d, first }: { deployment: Deployment; first?: boolean }) {
  const made = [`${d.appliance} ${d.release}`.trim(), d.board_name, d.card_text].filter(Boolean).join(" · ");
  return (
    <section aria-label={d.name} className="rounded-xl border border-rule bg-sheet px-4 pt-3 pb-2.5">
      <header className="flex flex-wrap items-center gap-x-3">
        <h2 className="text-[1.15rem]">
          <Link to={stationPath(d.id, d.line.now)} className="hover:underline">
            {d.name}
          </Link>
        </h2>
        <span className="text-[0.9rem] text-ink-2">{made}</span>
        <More deployment={d} />
      </header>
      <div className="my-2">
        <Line deployment={d} compact />
      </div>
      <footer className="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-t border-dashed border-rule pt-2 sm:flex-nowrap">
        <b className="flex-none max-sm:w-full">{d.line.next_step}</b>
        <span className="min-w-0 flex-1 truncate text-[0.9rem] text-ink-2" title={d.line.next_detail}>
          {d.line.next_detail}
        </span>
        <ButtonLink small go={d.line.button === "Continue"} to={stationPath(d.id, d.line.now)} className="ml-auto" data-main={first || undefined}>
          {d.line.button}
        </ButtonLink>
      </footer>
    </section>
  );
}

function More({ deployment }: { deployment: Deployment }) {
  const queries = useQueryClient();
  const toast = useToast();
  const path = { params: { path: { pk: deployment.id } } };
  const again = () => {
    void queries.invalidateQueries({ queryKey: ["bench"] });
    void queries.invalidateQueries({ queryKey: ["place"] });
  };
  const remove = async () => {
    try {
      await answer(DELETE("/api/deployments/{pk}", path));
      toast({ text: `${deployment.name} is off the bench.`, undo: () => void answer(POST("/api/deployments/{pk}/restore", path)).then(again) });
    } catch (error) {
      toast({ text: (error as Error).message });
    }
    again();
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger aria-label={`More for ${deployment.name}`} className="ml-auto rounded-lg px-1.5 py-1 text-ink-3 hover:bg-rule-2 hover:text-ink">
        <Ellipsis size={17} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className="z-40 rounded-lg border border-rule bg-sheet p-1 shadow-lg">
          <DropdownMenu.Item className="cursor-pointer rounded px-3 py-1.5 data-[highlighted]:bg-rule-2" onSelect={() => void remove()}>
            Take it off the bench
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
