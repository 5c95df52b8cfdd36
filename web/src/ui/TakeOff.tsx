// Taking something off: asked about first where somebody uses it, undone with one press, found again under Taken off.
import { useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useState } from "react";
import { answer, DELETE, POST, Problem } from "../api/client";
import { Overlay } from "./Overlay";
import { Button } from "./parts";
import { useToast } from "./toast";

export type ThingKind = "deployment" | "board" | "supply" | "cable" | "card" | "part" | "network" | "image" | "text" | "bench" | "place";

export interface Thing {
  kind: ThingKind;
  id: number;
  name: string;
  /** What is to be done once it is off, such as leaving its page. */
  then?: () => void;
}

const Context = createContext<(thing: Thing) => void>(() => undefined);

export const useTakeOff = () => useContext(Context);

const at = (thing: Thing) => ({ path: { kind: thing.kind, pk: thing.id } });

export function TakeOffProvider({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const toast = useToast();
  const [asked, setAsked] = useState<{ thing: Thing; why: string } | null>(null);
  const takeOff = useCallback(
    async (thing: Thing, sure = false) => {
      const putBack = async () => {
        try {
          await answer(POST("/api/taken-off/{kind}/{pk}/put-back", { params: at(thing) }));
        } catch (error) {
          toast({ text: (error as Error).message });
        }
        void queries.invalidateQueries();
      };
      try {
        await answer(DELETE("/api/things/{kind}/{pk}", { params: { ...at(thing), query: { sure } } }));
        setAsked(null);
        thing.then?.();
        toast({ text: `${thing.name} is taken off. It stays under Taken off.`, undo: () => void putBack() });
      } catch (error) {
        if (error instanceof Problem && error.code === "refused.in-use") return setAsked({ thing, why: error.found });
        setAsked(null);
        toast({ text: (error as Error).message });
      }
      void queries.invalidateQueries();
    },
    [queries, toast],
  );
  return (
    <Context.Provider value={(thing) => void takeOff(thing)}>
      {children}
      <Overlay title={`Take ${asked?.thing.name ?? "it"} off?`} open={asked !== null} onClose={() => setAsked(null)}>
        <p className="break-words">{asked?.why}.</p>
        <p className="text-ink-2">{asked?.thing.kind === "place" ? "They are taken off with it, and come back with it." : "There it is as if nothing were chosen, until you put it back or choose another one. What is in service is shown as it was."}</p>
        <div className="flex flex-wrap justify-end gap-2">
          <Button onClick={() => setAsked(null)}>Leave it</Button>
          <Button go onClick={() => asked && void takeOff(asked.thing, true)}>
            Take it off all the same
          </Button>
        </div>
      </Overlay>
    </Context.Provider>
  );
}
