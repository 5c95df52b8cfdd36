// What each kind of thing on the shelf has, as one reads it off the thing itself; and how that goes to the server and back.
import type { Shapes } from "../../api/client";
import type { Option } from "../../ui/Pick";

type Shelf = Shapes["ShelfOut"];

/** What stands in a form: always text. */
export type Values = Record<string, string>;

interface Common {
  name: string;
  label: string;
  placeholder?: string;
  hint?: string;
  /** What is said when it is left empty; without it, it may be. */
  needed?: string;
  when?: (values: Values) => boolean;
}

export type ThingField =
  | (Common & { kind: "text" | "number" })
  | (Common & { kind: "select"; options: readonly Option[] })
  | (Common & { kind: "pick"; options: readonly Option[]; more?: (value: string) => string | undefined; picture?: (value: string) => { drawing: Shapes["Drawing"]; name: string } | undefined });

const NAME: ThingField = { kind: "text", name: "name", label: "Name", placeholder: "such as: the black one", needed: "Give it a name you will know it by" };
const NOTE: ThingField = { kind: "text", name: "note", label: "Note", placeholder: "where it lies, what is odd about it" };

const same = (values: readonly (string | number)[]): Option[] => values.map((v) => ({ value: String(v), text: String(v) }));
const gauges = (shelf: Shelf): Option[] => [{ value: "none", text: "nothing printed" }, ...shelf.gauges.map((g) => ({ value: String(g), text: `AWG ${g}`, hint: g <= 22 ? "thick" : g >= 28 ? "thin" : undefined }))];

const number = (said: string | undefined) => Number((said ?? "").replace(",", "."));
const maybe = (said: string | undefined) => (said?.trim() ? number(said) : null);
const gauge = (said: string | undefined) => (said && said !== "none" ? Number(said) : null) as Shapes["SupplyIn"]["awg"];
const text = (value: string | number | null | undefined) => (value === null || value === undefined ? "" : String(value));

export function unitFields(shelf: Shelf): ThingField[] {
  const kind = (id: string) => shelf.kinds.find((k) => k.id === id);
  return [
    {
      kind: "pick", name: "board", label: "Mark", placeholder: "What is printed on it?", needed: "Pick what is printed on it",
      options: shelf.kinds.map((k) => ({ value: k.id, text: k.printed_mark, hint: `${k.name}, ${k.text}` })),
      more: (id) => {
        const k = kind(id);
        return k && [`${k.name}: ${k.text}; wants ${k.supply_text}.`, k.mark_place && `The mark is on the ${k.mark_place}.`, k.telling_apart, k.twin && `Looks like ${k.twin}: read the mark twice.`].filter(Boolean).join(" ");
      },
      picture: (id) => {
        const k = kind(id);
        return k?.drawing ? { drawing: k.drawing, name: k.name } : undefined;
      },
    },
    { ...NAME, placeholder: "such as: in the clear case" },
    { kind: "text", name: "macs", label: "MAC", placeholder: "02:51:48:00:00:0a", hint: "as printed on it; several with blanks between" },
    NOTE,
  ];
}

export const unitValues = (u?: Shelf["units"][number]): Values => ({ board: u?.board ?? "", name: u?.name ?? "", macs: u?.macs.join(" ") ?? "", note: u?.note ?? "" });
export const unitIn = (v: Values): Shapes["UnitIn"] => ({ name: v["name"] ?? "", board: v["board"] ?? "", macs: v["macs"] ?? "", note: v["note"] ?? "" });

const ownCable = (v: Values) => !(v["connector"] ?? "").endsWith("socket");

export function supplyFields(shelf: Shelf): ThingField[] {
  return [
    NAME,
    { kind: "number", name: "voltage_v", label: "Volts", needed: "Read it off the supply" },
    { kind: "number", name: "current_a", label: "Amperes", needed: "Read it off the supply" },
    { kind: "select", name: "connector", label: "Plug", options: same(shelf.connectors), hint: "a socket: a cable of its own goes between it and the board" },
    { kind: "number", name: "length_m", label: "Cable, m", placeholder: "length of its own cable", when: ownCable },
    { kind: "select", name: "awg", label: "Gauge", options: gauges(shelf), when: ownCable },
    { kind: "number", name: "battery_mah", label: "Battery, mAh", placeholder: "only where it has cells" },
    { kind: "number", name: "cell_v", label: "Cell, V", hint: "at which the capacity is printed", when: (v) => !!v["battery_mah"]?.trim() },
    { kind: "number", name: "efficiency", label: "Left over", hint: "share that is left after raising the voltage; 0.85 from memory", when: (v) => !!v["battery_mah"]?.trim() },
    NOTE,
  ];
}

export const supplyValues = (s?: Shelf["supplies"][number]): Values => ({
  name: s?.name ?? "", voltage_v: text(s?.voltage_v ?? 5.1), current_a: text(s?.current_a), connector: s?.connector ?? "micro-USB", length_m: text(s?.length_m), awg: text(s?.awg) || "none",
  battery_mah: text(s?.battery_mah), cell_v: text(s?.cell_v ?? 3.7), efficiency: text(s?.efficiency ?? 0.85), note: s?.note ?? "",
});
export const supplyIn = (v: Values): Shapes["SupplyIn"] => ({
  name: v["name"] ?? "", voltage_v: number(v["voltage_v"]), current_a: number(v["current_a"]), connector: v["connector"] as Shapes["SupplyIn"]["connector"], length_m: maybe(v["length_m"]),
  awg: gauge(v["awg"]) ?? null, battery_mah: maybe(v["battery_mah"]), cell_v: number(v["cell_v"]) || 3.7, efficiency: number(v["efficiency"]) || 0.85, note: v["note"] ?? "",
});

export function cableFields(shelf: Shelf): ThingField[] {
  return [
    { ...NAME, placeholder: "such as: short and thick" },
    { kind: "select", name: "plug_to_supply", label: "To supply", options: same(["USB-A", "USB-C"]) },
    { kind: "select", name: "plug_to_board", label: "To board", options: same(shelf.plugs) },
    { kind: "number", name: "length_m", label: "Length, m", needed: "About, in metres" },
    { kind: "select", name: "awg", label: "Gauge", options: gauges(shelf), hint: "printed along it, such as AWG 28 or 28AWG/1P+22AWG/2C: the larger wire is the power" },
    NOTE,
  ];
}

export const cableValues = (c?: Shelf["cables"][number]): Values => ({
  name: c?.name ?? "", plug_to_supply: c?.plug_to_supply ?? "USB-A", plug_to_board: c?.plug_to_board ?? "micro-USB", length_m: text(c?.length_m), awg: text(c?.awg) || "none", note: c?.note ?? "",
});
export const cableIn = (v: Values): Shapes["CableIn"] => ({
  name: v["name"] ?? "", plug_to_supply: v["plug_to_supply"] as Shapes["CableIn"]["plug_to_supply"], plug_to_board: v["plug_to_board"] as Shapes["CableIn"]["plug_to_board"],
  length_m: number(v["length_m"]), awg: gauge(v["awg"]) ?? null, note: v["note"] ?? "",
});

export function cardFields(shelf: Shelf): ThingField[] {
  return [
    { ...NAME, placeholder: "such as: the one from the desk tin" },
    { kind: "select", name: "size_gb", label: "Size", options: shelf.card_sizes.map((g) => ({ value: String(g), text: `${g} GB` })), hint: "as printed; systems show a little less" },
    { kind: "text", name: "classes", label: "Marks", placeholder: "C10 U1 V30 A1", hint: `the small signs on it: ${shelf.classes.join(", ")}` },
    { kind: "select", name: "endurance", label: "Recorders", options: [{ value: "unknown", text: "not known" }, { value: "yes", text: "sold for recorders and cameras" }, { value: "no", text: "an ordinary one" }] },
    NOTE,
  ];
}

export const cardValues = (c?: Shelf["cards"][number]): Values => ({
  name: c?.name ?? "", size_gb: text(c?.size_gb ?? 32), classes: c?.classes.join(" ") ?? "", endurance: c?.endurance === true ? "yes" : c?.endurance === false ? "no" : "unknown", note: c?.note ?? "",
});
export const cardIn = (v: Values): Shapes["CardIn"] => ({
  name: v["name"] ?? "", size_gb: Number(v["size_gb"]), classes: (v["classes"] ?? "").toUpperCase().split(/[\s,/]+/).filter(Boolean), endurance: v["endurance"] === "yes" ? true : v["endurance"] === "no" ? false : null, note: v["note"] ?? "",
});

export function partFields(shelf: Shelf): ThingField[] {
  return [
    {
      kind: "pick", name: "kind", label: "What it is", placeholder: "find it by what one sees", needed: "Pick what it is",
      options: shelf.part_kinds.map((p) => ({ value: p.id, text: p.name, hint: `${p.role}; ${p.seen}` })),
      more: (id) => shelf.part_kinds.find((p) => p.id === id)?.seen,
    },
    { ...NAME, placeholder: "such as: the second-hand one" },
    NOTE,
  ];
}

export const partValues = (p?: Shelf["parts"][number]): Values => ({ kind: p?.kind ?? "", name: p?.name ?? "", note: p?.note ?? "" });
export const partIn = (v: Values): Shapes["PartIn"] => ({ name: v["name"] ?? "", kind: v["kind"] ?? "", note: v["note"] ?? "" });
