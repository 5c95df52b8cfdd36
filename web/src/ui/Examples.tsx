// What came with the program is made up: on a bench of real things it is folded away until somebody asks for it, and can be taken off.
import { answer, GET, PUT } from "../api/client";
import { useAnswer, useChange } from "../api/use";
import { Button } from "./parts";

interface Props {
  count: number;
  open: boolean;
  onToggle: () => void;
}

export function useExamplesOff() {
  const place = useAnswer(["place"], () => answer(GET("/api/place"))).data;
  const change = useChange(["place"], (off: boolean) => answer(PUT("/api/examples", { body: { off } })));
  return { off: place?.examples_off ?? false, change };
}

export function ExamplesFold({ count, open, onToggle }: Props) {
  const { off, change } = useExamplesOff();
  if (!count || off) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 self-start">
      <button type="button" aria-expanded={open} className="rounded px-1 text-[0.95rem] text-mint-ink underline" onClick={onToggle}>
        {open ? "Put the made-up examples away" : `Examples, made up (${count})`}
      </button>
      {open && (
        <Button
          small
          disabled={change.isPending}
          onClick={() => {
            change.mutate(true);
            onToggle();
          }}
        >
          Take them off for good
        </Button>
      )}
    </div>
  );
}

/** Where they can be had again once they were taken off. */
export function ExamplesBack() {
  const { off, change } = useExamplesOff();
  if (!off) return null;
  return (
    <p className="px-1 text-[0.93rem] text-ink-2">
      The made-up examples were taken off.{" "}
      <button type="button" className="rounded font-[550] text-mint-ink underline" disabled={change.isPending} onClick={() => change.mutate(false)}>
        Bring them back
      </button>
    </p>
  );
}
