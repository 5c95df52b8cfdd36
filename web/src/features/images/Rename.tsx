// An image's file gets another name; whatever uses it goes on using it.
import { useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { answer, POST } from "../../api/client";
import { useChange } from "../../api/use";
import { Overlay } from "../../ui/Overlay";
import { Button, Trouble } from "../../ui/parts";

export function Rename({ id, name }: { id: number; name: string }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState(name);
  const rename = useChange(["image", id], () => answer(POST("/api/images/{pk}/rename", { params: { path: { pk: id } }, body: { name: typed } })));
  const ask = () => {
    setTyped(name);
    rename.reset();
    setOpen(true);
  };
  return (
    <>
      <Button onClick={ask}>Rename it</Button>
      <Overlay title="Rename the file" open={open} onClose={() => setOpen(false)}>
        <form
          className="flex flex-col gap-2.5"
          onSubmit={(e) => {
            e.preventDefault();
            rename.mutate(undefined, {
              onSuccess: () => {
                setOpen(false);
                void queries.invalidateQueries();
              },
            });
          }}
        >
          <label className="flex flex-col gap-1">
            <span className="text-[0.92rem] text-ink-2">Its new name, with the ending it had</span>
            <input className="rounded-lg border border-rule bg-field px-2.5 py-1.5 font-mono" value={typed} maxLength={255} spellCheck={false} autoCapitalize="off" autoComplete="off" onChange={(e) => setTyped(e.target.value)} />
          </label>
          <p className="text-[0.93rem] text-ink-2">A recipe may know an image by its name, and a checksum list beside it speaks of that name. What happened before keeps the name it had then.</p>
          <Trouble error={rename.error} />
          <div className="flex flex-wrap justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Leave it</Button>
            <Button go type="submit" disabled={!typed.trim() || typed === name || rename.isPending}>
              Rename it
            </Button>
          </div>
        </form>
      </Overlay>
    </>
  );
}
