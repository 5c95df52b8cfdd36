import { useState } from "react";
import type { Shapes } from "../../api/client";
import { Overlay } from "../../ui/Overlay";
import { Button } from "../../ui/parts";
import { SameAgain } from "../../ui/SameAgain";

type Drive = Shapes["DriveOut"];

interface Props {
  open: boolean;
  drive: Drive;
  drives: readonly Drive[];
  onClose: () => void;
  onWrite: (path: string, clearEnd: boolean, testWhole: boolean) => void;
}

/** Bytes are destroyed here, so the card is picked a second time. */
export function PickAgain({ open, drive, drives, onClose, onWrite }: Props) {
  const [again, setAgain] = useState("");
  const old = drive.findings.find((f) => f.code === "card.old-table-at-end");
  const [clearEnd, setClearEnd] = useState(false);
  const [testWhole, setTestWhole] = useState(false);
  const [wasOpen, setWasOpen] = useState(open);
  if (open !== wasOpen) {
    setWasOpen(open);
    setAgain("");
    setClearEnd(old !== undefined);
    setTestWhole(false);
  }
  return (
    <Overlay title={`Everything on the ${drive.name} goes`} open={open} onClose={onClose}>
      <SameAgain drive={drive} drives={drives} again={again} onPick={setAgain} />
      <label className="flex cursor-pointer items-start gap-2.5">
        <input type="checkbox" className="mt-1 accent-mint" checked={clearEnd} onChange={(e) => setClearEnd(e.target.checked)} />
        <span>
          Clear the end of the card too{" "}
          <span className="block text-[0.9rem] text-ink-2">
            {old ? `${old.title}. ` : "An old partition table may stand there. "}The image brings its own partitions and does not need it; some boards and tools trip over the old ones.
          </span>
        </span>
      </label>
      <label className="flex cursor-pointer items-start gap-2.5">
        <input type="checkbox" className="mt-1 accent-mint" checked={testWhole} onChange={(e) => setTestWhole(e.target.checked)} />
        <span>
          Test all of its room{" "}
          <span className="block text-[0.9rem] text-ink-2">
            Some cards say they are larger than they are, so marks are written all over it and read back in any case. This writes and reads every byte of the rest, and takes as long as that takes.
          </span>
        </span>
      </label>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button go disabled={again !== drive.path} onClick={() => onWrite(again, clearEnd, testWhole)}>
          Write over {drive.name}
        </Button>
      </div>
    </Overlay>
  );
}
