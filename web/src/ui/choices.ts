// The full lists a place and its devices choose from; asked once.
import { answer, GET } from "../api/client";
import { useLasting } from "../api/use";
import type { Option } from "./Pick";

const NONE: readonly Option[] = [];
const AS_IT_COMES: Option = { value: "", text: "as each image comes", hint: "" };

export function useChoices() {
  const lists = useLasting(["choices"], () => answer(GET("/api/choices"))).data;
  const named = (list: readonly { value: string; text: string }[]): readonly Option[] => list.map((o) => ({ value: o.value, text: o.text, hint: o.value }));
  return lists
    ? { countries: named(lists.countries), time_zones: lists.time_zones as readonly Option[], keyboards: named(lists.keyboards), languages: [AS_IT_COMES, ...named(lists.languages)] }
    : { countries: NONE, time_zones: NONE, keyboards: NONE, languages: NONE };
}
