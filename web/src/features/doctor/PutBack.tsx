// A file that was read from a card goes back to its place there, once it is as it should be.
import { answer, POST } from "../../api/client";
import { type Drive, picked, useErrand } from "../../ui/errand";
import { Button, Mono, Sheet, Trouble } from "../../ui/parts";

export interface OnCard {
  name: string;
  /** its bytes as they were read, in base64 */
  was: string;
  drive: Drive;
}

interface Props {
  from: OnCard;
  content: string;
  deployment: number | null;
}

export function PutBack({ from, content, deployment }: Props) {
  const { start, errand, going, error } = useErrand((text: string) => answer(POST("/api/card-file", { body: { ...picked(from.drive), deployment, name: from.name, was: from.was, content: text } })));
  const changed = content !== from.was;
  const there = errand?.state === "done" && errand.files.some((f) => f.name === from.name && f.content === content);
  return (
    <Sheet title="On the card">
      <p>
        Read from <b>{from.drive.model || from.drive.name}</b>: <Mono>{from.name}</Mono>.
      </p>
      <Trouble error={error} />
      {errand?.state === "failed" && (
        <p role="alert" className="mt-1 text-stop">
          {errand.trouble}
        </p>
      )}
      {there ? (
        <p role="status" className="mt-1 text-mint-ink">
          It lies there as it stands here, and was read back. A proof of this card that stood before ended with it.
        </p>
      ) : (
        <div className="mt-2 flex flex-wrap items-center gap-3">
          <Button go disabled={!changed || going || !content} onClick={() => start(content)}>
            {going ? "Putting it there…" : "Put it back on the card"}
          </Button>
          <span className="text-[0.92rem] text-ink-2">{changed ? "Only this file changes; it is read back afterwards." : "It is as it lies on the card."}</span>
        </div>
      )}
    </Sheet>
  );
}
