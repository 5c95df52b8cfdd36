import { useState } from "react";
import { answer, GET, type Shapes } from "../api/client";
import { useAnswer } from "../api/use";
import { Select } from "./Select";

export type Place = Shapes["SiteRowOut"];

/** The places there are, and which one is shown: the first until another is picked. */
export function usePlaces() {
  const { data, error } = useAnswer(["sites"], () => answer(GET("/api/sites")));
  const [picked, pick] = useState(0);
  return { places: data, shown: data?.find((s) => s.id === picked) ?? data?.[0], pick, error };
}

interface Props {
  places: readonly Place[];
  shown: Place | undefined;
  onPick: (id: number) => void;
}

/** Nothing while there is one place only. */
export function PlacePicker({ places, shown, onPick }: Props) {
  if (places.length < 2) return null;
  return (
    <Select label="Place" value={String(shown?.id ?? "")} options={places.map((s) => [String(s.id), s.name])} onPick={(id) => onPick(Number(id))} />
  );
}
