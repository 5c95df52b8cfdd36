// A text on its way from the list to the editor. It lives in this window only.
export type Kind = "recipe" | "board" | "part";

let waiting: { kind: Kind; text: string } | null = null;

export function handOver(kind: Kind, text: string) {
  waiting = { kind, text };
}

/** Return the text that was brought for `kind`, or a start to write on. It stays until another one is brought. */
export function brought(kind: Kind): string {
  return waiting?.kind === kind && waiting.text ? waiting.text : STARTS[kind];
}

const STARTS: Record<Kind, string> = {
  recipe: `recipe: 1
id: my-appliance
name: My appliance
kind: what it is for
summary: One sentence.
releases:
  - version: "1.0"
    date: 2026-01-01
    builds:
      - {id: 64-bit, bits: 64, file: my-appliance-1.0-64.img.xz}
card: {least_gb: 8, advised_gb: 16}
ways: [wifi, cable]
host_name: my-appliance
files: []
boot: {usual_from_s: 40, usual_to_s: 120, late_after_s: 300, hopeless_after_s: 600}
page: {port: 80, signature: words of its page}
`,
  board: `board: 1
id: my-board
name: My board
maker: who makes it
printed_mark: AS PRINTED
compatible: ["maker,my-board"]
bits: 64
radio_ghz: [2.4, 5]
ethernet: true
supply: {voltage_v: 5.1, least_current_a: 2.0, connector: USB-C}
since: "2026-01"
card_slot: where the card goes
`,
  part: `part: 1
id: my-part
name: My part
role: controller
seen: what one sees on it
usb: A
load_current_a: 0.1
`,
};
