// Work on a card that is written already: asked for, done by the bench where its reader is, and looked at until it is over.
import { useState } from "react";
import { answer, GET, type Problem, type Shapes } from "../api/client";
import { useOnce } from "../api/use";
import { useQuery } from "@tanstack/react-query";

export type Drive = Shapes["DriveOut"];
export type Errand = Shapes["ErrandOut"];

const LOOK_MS = 700;

/** What the card is picked by: where it is, and the serial it had there. */
export const picked = (drive: Drive) => ({ drive_id: drive.id, path: drive.path, serial: drive.serial });

export function useDrives() {
  return useQuery<Drive[], Problem>({ queryKey: ["drives"], queryFn: () => answer(GET("/api/drives")), refetchInterval: 10_000 });
}

/** Have `ask` done; `errand` is how it stands. */
export function useErrand<In>(ask: (value: In) => Promise<Errand>) {
  const [id, setId] = useState<number | null>(null);
  const begin = useOnce(ask);
  const { data, error } = useQuery<Errand, Problem>({
    queryKey: ["card-files", id],
    queryFn: () => answer(GET("/api/card-files/{pk}", { params: { path: { pk: id ?? 0 } } })),
    enabled: id !== null,
    refetchInterval: (query) => (query.state.data && ["done", "failed"].includes(query.state.data.state) ? false : LOOK_MS),
  });
  const going = begin.isPending || (id !== null && data?.state !== "done" && data?.state !== "failed" && !error);
  return {
    start: (value: In) => begin.mutate(value, { onSuccess: (made) => setId(made.id) }),
    errand: id === null ? undefined : data,
    going,
    error: begin.error ?? error,
  };
}
