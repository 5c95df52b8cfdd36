// The files of a card that is written already, put in their places by the bench and read back.
import { answer, POST } from "../../api/client";
import { CardList } from "../../ui/CardList";
import { type Drive, picked, useErrand } from "../../ui/errand";
import { Button, Mono, Sheet, Trouble } from "../../ui/parts";

export function PutOnCard({ id, stopped }: { id: number; stopped: boolean }) {
  const { start, errand, going, error } = useErrand((d: Drive) => answer(POST("/api/deployments/{pk}/settings/put", { params: { path: { pk: id } }, body: picked(d) })));
  return (
    <Sheet title="Or have them put there" hint="the card in a reader here, written already" className="mb-3">
      <Trouble error={error} />
      {errand?.state === "failed" && (
        <p role="alert" className="mb-1 text-stop">
          {errand.trouble}
        </p>
      )}
      {errand?.state === "done" && (
        <p role="status" className="mb-1 text-mint-ink">
          On the card in {errand.reader}, and read back:{" "}
          {errand.files.map((f, n) => (
            <span key={f.name}>
              {n > 0 && ", "}
              <Mono>{f.name}</Mono>
            </span>
          ))}
          .
        </p>
      )}
      <CardList none="No card in a reader. Put the written card in, and it shows here.">
        {(d) => (
          <Button small disabled={going || stopped} aria-label={`Put the files on the card in ${d.model || d.name}`} onClick={() => start(d)}>
            {going ? "Putting them there…" : "Put them on it"}
          </Button>
        )}
      </CardList>
    </Sheet>
  );
}
