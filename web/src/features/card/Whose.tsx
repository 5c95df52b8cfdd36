// A card that could be one of several: only a person can say which, and until then none of their proofs counts.
import { useState } from "react";
import { answer, POST, type Shapes } from "../../api/client";
import { useChange } from "../../api/use";
import { Card, Cards } from "../../ui/Cards";
import { Mark } from "../../ui/Mark";
import { Button, Mono, Trouble } from "../../ui/parts";
import { Time } from "../../ui/Time";

const NONE = "none", NOBODY = "nobody";

/** Asks whose card it is that lies, or lay, in a reader. */
export function Whose({ id, question }: { id: number; question: Shapes["QuestionOut"] }) {
  const [said, setSaid] = useState("");
  const say = useChange(["deployment", id, "card"], (body: Shapes["AnswerIn"]) =>
    answer(POST("/api/deployments/{pk}/card/questions/{question_pk}", { params: { path: { pk: id, question_pk: question.id } }, body })),
  );
  const send = () => say.mutate({ write_id: said === NONE || said === NOBODY ? null : Number(said), nobody_knows: said === NOBODY });
  return (
    <section className="rounded-xl border border-amber-bright bg-sheet px-4 py-3" aria-label="Whose card is it?">
      <div className="flex gap-3">
        <Mark name="check" size={22} />
        <div className="min-w-0">
          <h2 className="text-[1.1rem]">Whose card is it that {question.there ? "lies" : "lay"} in <Mono>{question.drive_path}</Mono>?</h2>
          <p className="text-ink-2">
            It holds an image that was written here, and its bytes do not tell which card it is. Until you say so, none of these counts as proven, and nothing is written over it.
          </p>
        </div>
      </div>
      <div className="mt-2.5 flex flex-col gap-2">
        <Trouble error={say.error} />
        <Cards label="It is" value={said} onPick={setSaid}>
          {question.could_be.map((one) => (
            <Card key={one.write_id} value={String(one.write_id)} name={<b>The card of {one.deployment_name}</b>}>
              <span className="block text-[0.9rem] text-ink-2">
                written <Time at={one.written_at} day /> in {one.reader}. {one.booted ? "Booted since: its settings were taken in then." : "Never booted: something changed it since, so its proof ends."}
              </span>
            </Card>
          ))}
          <Card value={NONE} name={<b>None of these</b>}>
            <span className="block text-[0.9rem] text-ink-2">Another card, such as one that was written elsewhere. The proofs above count again.</span>
          </Card>
          <Card value={NOBODY} name={<b>Nobody can say</b>}>
            <span className="block text-[0.9rem] text-ink-2">The proofs above end; their cards are to be written again before they go into a board.</span>
          </Card>
        </Cards>
        <Button go className="self-end" disabled={!said || say.isPending} onClick={send}>
          That is it
        </Button>
      </div>
    </section>
  );
}
