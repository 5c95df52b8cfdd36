// At the right of the bench: what runs now, what is new on the network, what is in the reader.
import { Link } from "react-router";
import type { Severity, Shapes } from "../../api/client";
import { stationPath } from "../../lib/stations";
import { decimalSize, duration } from "../../lib/words";
import { Bar } from "../../ui/Bar";
import { Mark } from "../../ui/Mark";
import { Mono, Tag } from "../../ui/parts";
import { TimeBand } from "../../ui/TimeBand";

type BenchAnswer = Shapes["BenchOut"];

export function BenchSide({ bench, since }: { bench: BenchAnswer; since: number }) {
  return (
    <aside aria-label="Now" className="flex min-w-0 flex-col gap-3">
      {bench.running.map((r) => (
        <Box key={`${r.deployment_id}${r.station}`} title="Running now">
          <Running running={r} since={since} />
        </Box>
      ))}
      {bench.newcomers.length > 0 && (
        <Box title="New on the network">
          {bench.newcomers.map((n) => (
            <div key={`${n.deployment_id}${n.address}`} className="border-t border-rule-2 py-1.5 first:border-0">
              <div className="flex flex-wrap items-center justify-between gap-x-2 gap-y-1">
                <Mono className="font-bold">{n.address}</Mono>
                {n.likely ? (
                  <Link to={stationPath(n.deployment_id, "find")} className="hover:underline">
                    <Tag tone="ok">likely {n.likely}</Tag>
                  </Link>
                ) : (
                  <Tag>something else</Tag>
                )}
              </div>
              <div className="text-[0.9rem] text-ink-2">{n.why}</div>
            </div>
          ))}
        </Box>
      )}
      <Box title="Drives here">
        {bench.drives.map((d) => (
          <div key={d.id} className="flex gap-2.5 border-t border-rule-2 py-2 first:border-0">
            <span className="pt-0.5">
              <Mark name={d.locked ? "stop" : (d.findings[0]?.severity as Severity)} />
            </span>
            <div className="min-w-0">
              <b>{d.name}</b> <span className="text-ink-2">{d.size_text}</span>
              <div className="text-[0.9rem] text-ink-2">{d.findings[0]?.title}</div>
              {d.whose && d.whose_deployment_id !== null && (
                <Link to={stationPath(d.whose_deployment_id, "card")} className="text-[0.9rem] font-[550] hover:underline">
                  {d.whose}
                </Link>
              )}
              {bench.benches.length > 1 && <div className="text-[0.9rem] text-ink-2">on {d.bench_name}</div>}
            </div>
          </div>
        ))}
        {bench.benches
          .filter((b) => !b.alive || b.trouble)
          .map((b) => (
            <p key={b.id} role="status" className={`py-1 text-[0.9rem] ${b.coming_up ? "text-ink-2" : "text-stop"}`}>
              {b.coming_up ? `The worker of ${b.name} is coming up.` : b.trouble || `The worker of ${b.name} does not answer; its drives are not known.`}
            </p>
          ))}
        {!bench.drives.some((d) => !d.locked) && <p className="text-[0.9rem] text-ink-2">No card in a reader. Put one in.</p>}
      </Box>
    </aside>
  );
}

function Box({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="rounded-xl border border-rule bg-sheet px-3.5 py-3">
      <h2 className="cap mb-1">{title}</h2>
      {children}
    </section>
  );
}

function Running({ running: r, since }: { running: Shapes["RunningOut"]; since: number }) {
  return (
    <Link to={stationPath(r.deployment_id, r.station)} className="block">
      <b>{r.name}</b>
      {r.band && <TimeBand band={r.band} since={since} slim />}
      {r.job && r.job.total_bytes > 0 && (
        <>
          <Bar label={`${r.name}: ${r.text}`} value={r.job.done_bytes / r.job.total_bytes} className="mt-1 !h-2" />
          <div className="text-[0.9rem] text-ink-2">
            {decimalSize(r.job.done_bytes)} of {decimalSize(r.job.total_bytes)}
            {r.job.left_s !== null && `, ${duration(r.job.left_s)} left`}
          </div>
        </>
      )}
      <div className="text-[0.93rem] text-ink-2">{r.text}</div>
    </Link>
  );
}
