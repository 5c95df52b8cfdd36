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
  inUse: Shapes["InUseOut"] | null;
  onWrite: (path: string, how: { clear_end: boolean; test_whole: boolean; only_used: boolean }) => void;
}

/** Bytes are destroyed here, so the card is picked a second time. */
export function PickAgain({ open, drive, drives, inUse, onClose, onWrite }: Props) {
  const [again, setAgain] = useState("");
  const old = drive.findings.find((f) => f.code === "card.old-table-at-end");
  const [clearEnd, setClearEnd] = useState(false);
  const [testWhole, setTestWhole] = useState(false);
  const [onlyUsed, setOnlyUsed] = useState(false);
  const [wasOpen, setWasOpen] = useState(open);
  if (open !== wasOpen) {
    setWasOpen(open);
    setAgain("");
    setClearEnd(old !== undefined);
    setTestWhole(false);
    setOnlyUsed(inUse?.proposed ?? false);
  }
  return (
    <Overlay title={`What is on the ${drive.name} is lost`} open={open} onClose={onClose}>
      <SameAgain drive={drive} drives={drives} again={again} onPick={setAgain} />
      {inUse && <HowMuch inUse={inUse} onlyUsed={onlyUsed} onPick={setOnlyUsed} />}
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
      {/* However long the choices are, what to press stays in sight. */}
      <div className="sticky -bottom-5 -mx-5 -mb-5 flex justify-end gap-2 border-t border-rule-2 bg-sheet px-5 py-3">
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button go disabled={again !== drive.path} onClick={() => onWrite(again, { clear_end: clearEnd, test_whole: testWhole, only_used: onlyUsed })}>
          Write over {drive.name}
        </Button>
      </div>
    </Overlay>
  );
}

/** What of the image goes onto the card: what its file systems use, or every byte. */
function HowMuch({ inUse, onlyUsed, onPick }: { inUse: Shapes["InUseOut"]; onlyUsed: boolean; onPick: (onlyUsed: boolean) => void }) {
  const ways = [
    {
      name: `What is in use, ${inUse.text}`,
      only: true,
      why: inUse.untold
        ? `Quicker. Written whole, since it does not tell what it uses: ${inUse.untold}. In the rest, ${inUse.rest_text}, stays what lies on the card now.`
        : `Quicker: the other ${inUse.rest_text} hold no file. What lies there now stays, out of the new system's reach.`,
    },
    { name: `Everything, ${inUse.whole_text}`, only: false, why: "Writes over the room that nothing uses too: for a card whose old content is nobody else's business." },
  ];
  return (
    <fieldset className="flex flex-col gap-1.5">
      <legend className="mb-1 font-[550]">How much of the image is written?</legend>
      {(inUse.proposed ? ways : [...ways].reverse()).map((way) => (
        <label key={way.name} className="flex cursor-pointer items-start gap-2.5">
          <input type="radio" name="how-much" className="mt-1 accent-mint" checked={onlyUsed === way.only} onChange={() => onPick(way.only)} />
          <span>
            {way.name} <span className="block text-[0.9rem] text-ink-2">{way.why}</span>
          </span>
        </label>
      ))}
    </fieldset>
  );
}
