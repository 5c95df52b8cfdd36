// What is on a card goes: it is picked a second time, so that it is surely the one that is meant.
import type { Drive } from "./errand";
import { Card, Cards } from "./Cards";
import { Mono } from "./parts";

interface Props {
  drive: Drive;
  drives: readonly Drive[];
  /** The path that was picked the second time. */
  again: string;
  onPick: (path: string) => void;
}

export function SameAgain({ drive, drives, again, onPick }: Props) {
  const other = again !== "" && again !== drive.path;
  return (
    <>
      <p className="text-ink-2">Pick it once more, so that it is surely the one you mean.</p>
      <Cards label="The same card again" value={again} onPick={onPick}>
        {drives.map((d) => (
          <Card
            key={d.path}
            value={d.path}
            name={
              <>
                <b>{d.name}</b> <span className="text-ink-2">{d.size_text}</span>
              </>
            }
          >
            <span className="block text-[0.9rem] text-ink-2">
              {[d.model, d.serial].filter(Boolean).join(", ") || "a reader that tells no name"} at <Mono>{d.path}</Mono>
            </span>
          </Card>
        ))}
      </Cards>
      {other && <p className="text-stop">That is another one. You picked {drive.path} before.</p>}
    </>
  );
}
