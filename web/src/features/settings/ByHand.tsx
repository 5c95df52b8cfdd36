import { useState } from "react";
import { answer, POST, type Shapes } from "../../api/client";
import { useOnce } from "../../api/use";
import { Button, Mono, Sheet } from "../../ui/parts";

/** What is done by hand once the card is written, in its order. */
export function ByHand({ data, id }: { data: Shapes["SettingsOut"]; id: number }) {
  const [shown, setShown] = useState("");
  const show = useOnce(() => answer(POST("/api/deployments/{pk}/settings/passphrase", { params: { path: { pk: id } } })));
  return (
    <Sheet title="By hand, in this order" hint={data.way_in_text} className="mb-3">
      <ol className="flex flex-col">
        {data.by_hand.map((step, n) => (
          <li key={step.do + step.answer} className="grid grid-cols-[1.6rem_minmax(0,1fr)] gap-x-2 border-t border-rule-2 py-2 first:border-0">
            <span className="pt-px text-right font-semibold text-ink-3 tabular-nums">{n + 1}</span>
            <div>
              <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
                <span>{step.do}</span>
                {step.answer && <Mono className="rounded bg-rule-2 px-1.5 [overflow-wrap:anywhere]">{step.answer}</Mono>}
                {step.secret && (
                  <>
                    <Mono className="rounded bg-rule-2 px-1.5 break-all">{shown || "••••••••••••"}</Mono>
                    <Button small onClick={() => (shown ? setShown("") : show.mutate(undefined, { onSuccess: (s) => setShown(s.value) }))}>
                      {shown ? "Hide" : "Show"}
                    </Button>
                  </>
                )}
              </div>
              {step.see && <p className="text-[0.9rem] text-ink-2">{step.see}</p>}
            </div>
          </li>
        ))}
      </ol>
    </Sheet>
  );
}
