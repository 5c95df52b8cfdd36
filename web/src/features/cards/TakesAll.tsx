// Before what is on a card goes: what it is for, what it takes, and the card once more.
import { useState } from "react";
import type { Drive } from "../../ui/errand";
import { Overlay } from "../../ui/Overlay";
import { Button } from "../../ui/parts";
import { SameAgain } from "../../ui/SameAgain";

export type Taking = "test" | "clear";

const SAYS: Record<Taking, { what: string; go: string }> = {
  test: {
    what: "Every byte of the card is written with what nobody can guess, then read back. That finds a card that says it is larger than it is, or fails, and measures how fast it really is. It takes as long as writing and reading all of it.",
    go: "Test",
  },
  clear: {
    what: "The first and the last MiB get zeros, where partition tables lie, and are read back. A desktop or a board that tripped over old tables sees an empty card. What lies between is not touched, and can be recovered by who has the card.",
    go: "Clear",
  },
};

interface Props {
  does: Taking;
  drive: Drive;
  drives: readonly Drive[];
  onClose: () => void;
  onGo: (again: string) => void;
}

export function TakesAll({ does, drive, drives, onClose, onGo }: Props) {
  const [again, setAgain] = useState("");
  return (
    <Overlay title={`Everything on the ${drive.name} goes`} open onClose={onClose}>
      <p>{SAYS[does].what}</p>
      <SameAgain drive={drive} drives={drives} again={again} onPick={setAgain} />
      <div className="flex flex-wrap justify-end gap-2">
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button go disabled={again !== drive.path} onClick={() => onGo(again)}>
          {SAYS[does].go} the {drive.name}
        </Button>
      </div>
    </Overlay>
  );
}
