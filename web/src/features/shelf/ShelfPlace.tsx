// Shelf: what one owns at one place: boards, cards, supplies, cables, parts.
import { type ReactNode, useRef, useState } from "react";
import { Link } from "react-router";
import { answer, type Finding, GET, POST, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange } from "../../api/use";
import { changesOf } from "../../lib/changes";
import { useRested } from "../../lib/rested";
import { plural } from "../../lib/words";
import { clashOf } from "../../ui/Clash";
import { ExamplesFold } from "../../ui/Examples";
import { INPUT } from "../../ui/FormRow";
import { Mark } from "../../ui/Mark";
import { Button, ButtonLink, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { PlacePicker, usePlaces } from "../../ui/PlacePicker";
import { type ThingKind, useTakeOff } from "../../ui/TakeOff";
import { Time } from "../../ui/Time";
import { useToast } from "../../ui/toast";
import { ShelfTable } from "./ShelfTable";
import { ThingForm } from "./ThingForm";
import { cableFields, cableIn, cableValues, cardFields, cardIn, cardValues, partFields, partIn, partValues, supplyFields, supplyIn, supplyValues, type ThingField, unitFields, unitIn, unitValues, type Values } from "./things";

type Shelf = Shapes["ShelfOut"];

export function ShelfPlace() {
  const { places, shown, pick, error } = usePlaces();
  if (!places) return error ? <Trouble error={error} /> : <Waiting what="the shelf" />;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-end gap-x-4 gap-y-2">
        <div>
          <h1 className="text-[1.8rem]">Shelf</h1>
          <p className="text-ink-2">What you own. A plan takes what fits from here, and never takes a thing twice.</p>
        </div>
        <div className="flex flex-wrap items-end gap-2 md:ml-auto">
          <PlacePicker places={places} shown={shown} onPick={pick} />
          <ButtonLink to="/matrix">What could these become?</ButtonLink>
        </div>
      </header>
      {shown && <OneShelf key={shown.id} id={shown.id} />}
    </div>
  );
}

type Kind = "boards" | "cards" | "supplies" | "cables" | "parts";

/** The server's doors for one kind of thing: each answers with the whole shelf as it is then. */
function doors(site: number, kind: Kind) {
  const at = { params: { path: { site_pk: site } } };
  const one = (pk: number) => ({ params: { path: { pk } } });
  switch (kind) {
    case "boards":
      return { add: (v: Values) => answer(POST("/api/sites/{site_pk}/shelf/boards", { ...at, body: unitIn(v) })), change: (pk: number, v: Values, was: Values) => answer(PUT("/api/shelf/boards/{pk}", { ...one(pk), body: changesOf(unitIn(was), unitIn(v)) })) };
    case "cards":
      return { add: (v: Values) => answer(POST("/api/sites/{site_pk}/shelf/cards", { ...at, body: cardIn(v) })), change: (pk: number, v: Values, was: Values) => answer(PUT("/api/shelf/cards/{pk}", { ...one(pk), body: changesOf(cardIn(was), cardIn(v)) })) };
    case "supplies":
      return { add: (v: Values) => answer(POST("/api/sites/{site_pk}/shelf/supplies", { ...at, body: supplyIn(v) })), change: (pk: number, v: Values, was: Values) => answer(PUT("/api/shelf/supplies/{pk}", { ...one(pk), body: changesOf(supplyIn(was), supplyIn(v)) })) };
    case "cables":
      return { add: (v: Values) => answer(POST("/api/sites/{site_pk}/shelf/cables", { ...at, body: cableIn(v) })), change: (pk: number, v: Values, was: Values) => answer(PUT("/api/shelf/cables/{pk}", { ...one(pk), body: changesOf(cableIn(was), cableIn(v)) })) };
    case "parts":
      return { add: (v: Values) => answer(POST("/api/sites/{site_pk}/shelf/parts", { ...at, body: partIn(v) })), change: (pk: number, v: Values, was: Values) => answer(PUT("/api/shelf/parts/{pk}", { ...one(pk), body: changesOf(partIn(was), partIn(v)) })) };
  }
}

function OneShelf({ id }: { id: number }) {
  const [typed, setTyped] = useState("");
  const [pages, setPages] = useState<readonly number[]>([0]);
  const [examples, setExamples] = useState(false);
  const search = useRested(typed.trim());
  const after = pages.at(-1) ?? 0;
  const key = ["shelf", id, search, after];
  const { data, error } = useAnswer(key, () => answer(GET("/api/sites/{site_pk}/shelf", { params: { path: { site_pk: id }, query: { search, after } } })));
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the shelf" />;
  const owned = new Set(data.units.map((u) => u.board));
  const kept = new Set(data.parts.map((p) => p.kind));
  const folded = data.kinds.filter((k) => k.example && !owned.has(k.id)).length + data.part_kinds.filter((k) => k.example && !kept.has(k.id)).length;
  const lists = examples ? data : { ...data, kinds: data.kinds.filter((k) => !k.example || owned.has(k.id)), part_kinds: data.part_kinds.filter((k) => !k.example || kept.has(k.id)) };
  const things = { shelf: lists, site: id, queryKey: key };
  return (
    <>
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <div className="flex flex-col gap-3.5">
          <Things {...things} kind="boards" title="Boards" hint="told apart by the mark printed on them" one="board" fields={unitFields(lists)} fresh={unitValues()} empty={search ? "No board is called that." : "None yet. Type in the mark of the one in your hand."}
            head={(search !== "" || pages.length > 1 || data.units_after !== null) && (
              <input type="search" aria-label="Find a board" placeholder="Name or mark" className={`${INPUT} mb-1 placeholder:text-ink-3`} value={typed} maxLength={80} onChange={(e) => {
                setTyped(e.target.value);
                setPages([0]);
              }} />
            )}
            foot={(pages.length > 1 || data.units_after !== null) && (
              <div className="flex gap-2 py-2">
                <Button small disabled={pages.length < 2} onClick={() => setPages(pages.slice(0, -1))}>
                  Those before
                </Button>
                <Button small disabled={data.units_after === null} onClick={() => setPages([...pages, data.units_after ?? 0])}>
                  Those after
                </Button>
              </div>
            )}
            rows={data.units.map((u) => ({ id: u.id, name: u.name, facts: `${u.board_name}${u.note && `, ${u.note}`}`, mono: [u.printed_mark, ...u.macs].filter(Boolean).join("  "), usedBy: u.used_by, findings: u.findings, start: unitValues(u), more: u.in_part && <KnownInPart board={u.board} name={u.board_name} /> }))}
          />
          <Things {...things} kind="cards" title="Cards" hint="size and marks as printed" one="card" fields={cardFields(data)} fresh={cardValues()} empty="None yet. A plan can also say only a size."
            rows={data.cards.map((c) => ({ id: c.id, name: c.name, facts: [`${c.size_gb} GB`, c.classes.join(" "), c.endurance && "for recorders", c.note].filter(Boolean).join(", "), usedBy: c.used_by, start: cardValues(c), more: <History card={c} /> }))}
          />
        </div>
        <div className="flex flex-col gap-3.5">
          <Things {...things} kind="supplies" title="Supplies" hint="as printed on them" one="supply" fields={supplyFields(data)} fresh={supplyValues()} empty="None yet. Read the numbers off the one you will use."
            rows={data.supplies.map((s) => ({ id: s.id, name: s.name, facts: [`${s.voltage_v} V`, `${s.current_a} A`, s.connector, s.length_m != null && `${s.length_m} m`, s.awg != null && `AWG ${s.awg}`, s.battery_mah != null && `${s.battery_mah} mAh`, s.note].filter(Boolean).join(", "), usedBy: s.used_by, start: supplyValues(s) }))}
          />
          <Things {...things} kind="cables" title="Power cables" hint="for supplies with a socket" one="cable" fields={cableFields(data)} fresh={cableValues()} empty="None yet."
            rows={data.cables.map((c) => ({ id: c.id, name: c.name, facts: [`${c.plug_to_supply} to ${c.plug_to_board}`, `${c.length_m} m`, c.awg != null ? `AWG ${c.awg}` : "no gauge printed", c.note].filter(Boolean).join(", "), usedBy: c.used_by, start: cableValues(c) }))}
          />
          <Things {...things} kind="parts" title="Parts" hint="add-ons, sticks, cameras, cases" one="part" fields={partFields(lists)} fresh={partValues()} empty="None yet."
            rows={data.parts.map((p) => ({ id: p.id, name: p.name, facts: [p.kind_name !== p.name && p.kind_name, p.role, p.note].filter(Boolean).join(", "), usedBy: p.used_by, findings: p.findings, start: partValues(p) }))}
          />
          <ShelfTable site={id} />
          <ExamplesFold count={folded} open={examples} onToggle={() => setExamples(!examples)} />
          <p className="px-1 text-[0.93rem] text-ink-2">
            Your board is not in the list?{" "}
            <Link to="/shelf/own-board" className="font-[550] text-mint-ink underline">
              A name is enough
            </Link>
            . Another thing?{" "}
            <Link to="/recipes" className="font-[550] text-mint-ink underline">
              Describe it
            </Link>
            .
          </p>
        </div>
      </div>
    </>
  );
}

function KnownInPart({ board, name }: { board: string; name: string }) {
  return (
    <p className="text-[0.9rem] text-ink-2">
      Known in part.{" "}
      <Link to={`/shelf/own-board?board=${encodeURIComponent(board)}`} className="font-[550] text-mint-ink underline">
        Say more of {name}
      </Link>
    </p>
  );
}

/** What was written to a card: the last few attempts, newest first. */
function History({ card }: { card: Shelf["cards"][number] }) {
  if (!card.writes) return null;
  return (
    <details className="text-[0.9rem] text-ink-2">
      <summary className="cursor-pointer">Written {plural(card.writes, "time")}</summary>
      <ul>
        {card.history.map((w) => (
          <li key={w.at}>
            <Time at={w.at} day /> for {w.deployment}: {w.outcome}
          </li>
        ))}
      </ul>
    </details>
  );
}

interface Row {
  id: number;
  name: string;
  facts: string;
  mono?: string;
  usedBy: readonly string[];
  findings?: readonly Finding[];
  start: Values;
  more?: ReactNode;
}

interface ThingsProps {
  shelf: Shelf;
  site: number;
  queryKey: readonly unknown[];
  kind: Kind;
  title: string;
  hint: string;
  one: string;
  fields: readonly ThingField[];
  fresh: Values;
  empty: string;
  rows: readonly Row[];
  head?: ReactNode;
  foot?: ReactNode;
}

function Things({ site, queryKey, kind, title, hint, one, fields, fresh, empty, rows, head, foot }: ThingsProps) {
  const door = doors(site, kind);
  const toast = useToast();
  const add = useChange(queryKey, door.add);
  const change = useChange(queryKey, ({ pk, values, was }: { pk: number; values: Values; was: Values }) => door.change(pk, values, was));
  const takeOff = useTakeOff();
  const [added, setAdded] = useState(0);
  const list = useRef<HTMLDivElement>(null);
  /** What was added is there to be seen, and the form is empty for the next. */
  const seen = (name: string) => {
    setAdded((n) => n + 1);
    toast({ text: `${name} is on the shelf.` });
    requestAnimationFrame(() => list.current?.lastElementChild?.scrollIntoView({ block: "nearest" }));
  };
  const told = { onSuccess: () => toast({ text: "Saved." }) };
  return (
    <Sheet title={title} hint={hint}>
      <Trouble error={add.error ?? (clashOf(change.error) ? null : change.error)} />
      {head}
      {rows.length === 0 && <p className="text-ink-2">{empty}</p>}
      <div ref={list}>
      {rows.map((row) => (
        <Thing key={row.id} row={row} fields={fields} onSave={(values, was) => change.mutateAsync({ pk: row.id, values, was }, told)} onRemove={() => takeOff({ kind: one as ThingKind, id: row.id, name: row.name })} />
      ))}
      </div>
      {foot}
      <details className="border-t border-rule-2 pt-2" open={rows.length === 0 && (kind === "boards" || kind === "supplies")}>
        <summary className="cursor-pointer font-[550] text-mint">Add a {one}</summary>
        <ThingForm key={added} fields={fields} start={fresh} onSave={(values) => add.mutateAsync(values, { onSuccess: () => seen(values["name"] ?? "") })} button={`Add the ${one}`} />
      </details>
    </Sheet>
  );
}

/** One thing: its facts, who plans with it, and the form to change it. */
function Thing({ row, fields, onSave, onRemove }: { row: Row; fields: readonly ThingField[]; onSave: (values: Values, was: Values) => Promise<unknown>; onRemove: () => void }) {
  const [editing, setEditing] = useState(false);
  return (
    <div className="border-t border-rule-2 py-1.5 first:border-0">
      <div className="flex items-start gap-x-3">
        <div className="min-w-0 flex-1">
          <b>{row.name}</b> {row.mono && <span className="font-mono text-[0.87rem] text-ink-2">{row.mono}</span>} <span className="text-ink-2">{row.facts}</span>
          {row.usedBy.length > 0 && (
            <span className="mt-0.5 flex flex-wrap gap-1">
              {row.usedBy.map((user) => (
                <Tag key={user}>{user}</Tag>
              ))}
            </span>
          )}
        </div>
        <Button small aria-label={`Change ${row.name}`} aria-expanded={editing} onClick={() => setEditing(!editing)}>
          Change
        </Button>
      </div>
      {row.more}
      {row.findings?.map((f) => (
        <p key={f.code} className="flex gap-2 text-[0.93rem] text-ink-2">
          <Mark name={f.severity} size={16} /> {f.title}. {f.fix}
        </p>
      ))}
      {editing && (
        <ThingForm
          fields={fields}
          start={row.start}
          button="Save it"
          onRemove={onRemove}
          onSave={async (values, was) => {
            await onSave(values, was);
            setEditing(false);
          }}
        />
      )}
    </div>
  );
}
