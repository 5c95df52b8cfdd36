// Further networks of the place that a device knows: it joins the first of them that it hears.
import { ArrowUp, X } from "lucide-react";
import type { Shapes } from "../../api/client";

interface Props {
  data: Shapes["SettingsOut"];
  save: (body: Shapes["SettingsIn"]) => void;
  problem: string | undefined;
}

export function AlsoKnows({ data, save, problem }: Props) {
  const known = data.also.filter((n) => n.knows);
  const others = data.also.filter((n) => !n.knows);
  if (data.also.length === 0) return null;
  const set = (also: readonly Shapes["KnownOut"][]) => save({ also: also.map((n) => n.id), was: { also: known.map((n) => n.id) } });
  const sooner = (at: number) => {
    const moved = [...known];
    const [one] = moved.splice(at, 1);
    if (one) moved.splice(at - 1, 0, one);
    set(moved);
  };
  return (
    <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-baseline gap-x-2.5">
      <span className="text-[0.92rem] text-ink-2">Also knows</span>
      <div className="min-w-0">
        {known.length > 0 && (
          <ol aria-label="Further networks, the sooner one first">
            {known.map((n, at) => (
              <li key={n.id} className="flex items-center gap-1.5">
                <span className="min-w-0 flex-1 [overflow-wrap:anywhere]">
                  {n.ssid}
                  <span className="text-ink-3">{n.open ? " open" : ""}</span>
                </span>
                {at > 0 && (
                  <button type="button" aria-label={`Join ${n.ssid} sooner`} title="Join it sooner" className="rounded p-0.5 text-ink-2 hover:bg-mint-3" onClick={() => sooner(at)}>
                    <ArrowUp size={15} aria-hidden />
                  </button>
                )}
                <button type="button" aria-label={`Leave ${n.ssid} out`} title="Leave it out" className="rounded p-0.5 text-ink-2 hover:bg-mint-3" onClick={() => set(known.filter((k) => k.id !== n.id))}>
                  <X size={15} aria-hidden />
                </button>
              </li>
            ))}
          </ol>
        )}
        {others.length > 0 && (
          <p className="text-[0.92rem] text-ink-2">
            {known.length > 0 ? "or " : ""}
            {others.map((n, at) => (
              <span key={n.id}>
                {at > 0 && ", "}
                <button type="button" className="text-mint [overflow-wrap:anywhere] hover:underline" aria-label={`Let it know ${n.ssid} too`} onClick={() => set([...known, n])}>
                  + {n.ssid}
                </button>
              </span>
            ))}
          </p>
        )}
        {problem && <p className="text-[0.88rem] text-stop">{problem}</p>}
      </div>
    </div>
  );
}
