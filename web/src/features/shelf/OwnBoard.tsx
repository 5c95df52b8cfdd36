// A board nobody described: a name is enough, every other answer may be left out.
import { type ReactNode, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { answer, GET, POST, PUT, type Shapes } from "../../api/client";
import { useAnswer, useMaking } from "../../api/use";
import { Card, Cards } from "../../ui/Cards";
import { FormHead } from "../../ui/FormHead";
import { FormRow, INPUT } from "../../ui/FormRow";
import { Mono, Sheet, Trouble, Waiting } from "../../ui/parts";
import { PinRows } from "./PinRows";
import { type Plug, PLUG_SHAPES, PlugShape } from "./PlugShape";

type Tree = Shapes["BoardOnImage"];

type Known = Shapes["BoardKnownOut"];

export function OwnBoard() {
  const [asked] = useSearchParams();
  const board = asked.get("board") ?? "";
  return board ? <MoreOf ident={board} /> : <New imageId={Number(asked.get("image") ?? 0)} compatible={asked.get("compatible") ?? ""} />;
}

function New({ imageId, compatible }: { imageId: number; compatible: string }) {
  const navigate = useNavigate();
  const { data, error } = useAnswer(["image", imageId], () => (imageId ? answer(GET("/api/images/{pk}", { params: { path: { pk: imageId } } })) : Promise.resolve(null)));
  if (error) return <Trouble error={error} />;
  if (data === undefined) return <Waiting what="the board" />;
  const tree = data?.xray?.boards.find((b) => b.compatible[0] === compatible);
  const bits = data?.xray?.bits === "64" && compatible ? 64 : null;
  return (
    <Form
      title="A board of your own"
      button="Put it on the shelf"
      queryKey={["shelf", "own-board"]}
      start={startOf({ name: tree?.model ?? "", ethernet: tree?.has?.ethernet ? true : null })}
      onKeep={(said) => answer(POST("/api/boards", { body: { ...said, image_id: imageId || null, compatible, bits } }))}
      onKept={() => navigate(imageId ? `/images/${imageId}` : "/shelf")}
      named={
        compatible && (
          <p className="mt-2 text-[0.93rem] text-ink-2">
            <Mono>{data?.image.file_name}</Mono> names it <Mono>{compatible}</Mono>
            {tree && <Said tree={tree} />}.
          </p>
        )
      }
    />
  );
}

/** What is known of a board on the shelf, and room for more. */
function MoreOf({ ident }: { ident: string }) {
  const navigate = useNavigate();
  const { data, error, isFetchedAfterMount } = useAnswer(["own-board", ident], () => answer(GET("/api/boards/{ident}", { params: { path: { ident } } })));
  // What was there when the form was opened: somebody may change it meanwhile.
  const [was, setWas] = useState<Known | null>(null);
  if (data && isFetchedAfterMount && !was) setWas(data);
  if (!was) return error ? <Trouble error={error} /> : <Waiting what="the board" />;
  return (
    <Form
      title={was.name}
      button="Keep it"
      queryKey={["own-board", ident]}
      start={startOf(was)}
      onKeep={(said) => answer(PUT("/api/boards/{ident}", { params: { path: { ident } }, body: { ...said, was: was.text } }))}
      onKept={() => navigate("/shelf")}
      named={
        was.compatible && (
          <p className="mt-2 text-[0.93rem] text-ink-2">
            Its device tree is called <Mono>{was.compatible}</Mono>.
          </p>
        )
      }
    />
  );
}

const YES_NO = [["", "I do not know"], ["yes", "Yes"], ["no", "No"]] as const;
const text = (value: number | null | undefined) => (value == null ? "" : String(value));
const yesNo = (value: boolean | null | undefined) => (value == null ? "" : value ? "yes" : "no");

interface Start {
  name: string;
  mark: string;
  plug: Plug | "";
  volts: string;
  amps: string;
  radio: string;
  bands: ReadonlySet<number>;
  ethernet: string;
  pins: string;
}

function startOf(known: Partial<Known>): Start {
  return {
    name: known.name ?? "", mark: known.printed_mark ?? "", plug: known.plug ?? "", volts: text(known.voltage_v), amps: text(known.current_a),
    radio: known.radio_ghz == null ? "" : known.radio_ghz.length ? "yes" : "no", bands: new Set(known.radio_ghz ?? []),
    ethernet: yesNo(known.ethernet), pins: text(known.header_pins),
  };
}

type SaidOf = Omit<Shapes["KnownBoardIn"], "was">;

interface FormProps {
  title: string;
  button: string;
  queryKey: readonly unknown[];
  start: Start;
  /** What is known of its name elsewhere. */
  named: ReactNode;
  onKeep: (said: SaidOf) => Promise<unknown>;
  onKept: () => void;
}

function Form({ title, button, queryKey, start, named, onKeep, onKept }: FormProps) {
  const [name, setName] = useState(start.name);
  const [mark, setMark] = useState(start.mark);
  const [plug, setPlug] = useState(start.plug);
  const [volts, setVolts] = useState(start.volts);
  const [amps, setAmps] = useState(start.amps);
  const [radio, setRadio] = useState(start.radio);
  const [bands, setBands] = useState(start.bands);
  const [ethernet, setEthernet] = useState(start.ethernet);
  const [pins, setPins] = useState(start.pins);
  const number = (text: string) => (text.trim() ? Number(text.replace(",", ".")) : null);
  const odd = (text: string, most: number) => {
    const value = number(text);
    return value !== null && !(value > 0 && value <= most);
  };
  const add = useMaking(queryKey, () =>
    onKeep({
      name: name.trim(), printed_mark: mark.trim(), ethernet: ethernet === "" ? null : ethernet === "yes",
      radio_ghz: radio === "no" ? [] : radio === "yes" && bands.size ? [...bands] : null,
      plug: plug || null, voltage_v: number(volts), current_a: number(amps), header_pins: pins ? (Number(pins) as 26 | 40) : null,
    }),
  );
  const waits = name.trim() === "" ? "its name" : odd(volts, 60) ? "the volts" : odd(amps, 30) ? "the amperes" : "";
  const keep = () =>
    void add.once(undefined).then(
      onKept,
      () => undefined, // shown below
    );
  return (
    <div className="flex flex-col gap-3.5">
      <FormHead
        crumbs={
          <Link to="/shelf" className="hover:underline">
            Shelf
          </Link>
        }
        title={title}
        lead="A name is enough. What you leave open is said to be not known wherever it matters, and stops nothing."
        button={button}
        waits={waits}
        busy={add.isPending}
        onKeep={keep}
      />
      <Trouble error={add.error} />
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <div className="flex flex-col gap-3.5">
          <Sheet title="What it is called">
            <div className="flex flex-col gap-2">
              <FormRow label="Name">
                <input className={INPUT} value={name} maxLength={60} onChange={(e) => setName(e.target.value)} />
              </FormRow>
              <FormRow label="Printed mark" hint="what is printed on the board itself tells it from boards that look alike">
                <input className={INPUT} value={mark} maxLength={60} onChange={(e) => setMark(e.target.value)} />
              </FormRow>
            </div>
            {named}
          </Sheet>
          <Sheet title="How does it come onto the network?">
            <Question text="Has it a socket for a network cable?">
              <Choice label="Network socket" value={ethernet} onPick={setEthernet} />
            </Question>
            <Question text="Has it a radio for Wi-Fi?">
              <Choice label="Radio" value={radio} onPick={setRadio} />
            </Question>
            {radio === "yes" && (
              <fieldset className="mt-2 flex flex-wrap gap-4">
                <legend className="text-[0.93rem] text-ink-2">On which bands? Its papers say so.</legend>
                {[2.4, 5, 6].map((ghz) => (
                  <label key={ghz} className="inline-flex items-center gap-1.5">
                    <input
                      type="checkbox"
                      className="size-4 accent-mint"
                      checked={bands.has(ghz)}
                      onChange={(e) => {
                        const next = new Set(bands);
                        if (e.target.checked) next.add(ghz);
                        else next.delete(ghz);
                        setBands(next);
                      }}
                    />
                    {ghz} GHz
                  </label>
                ))}
              </fieldset>
            )}
          </Sheet>
        </div>
        <div className="flex flex-col gap-3.5">
          <Sheet title="What powers it?" hint="beside its plug, or in its papers">
            <Cards label="Plug of its supply" value={plug} onPick={(picked) => setPlug(picked as Plug | "")}>
              {PLUG_SHAPES.map((p) => (
                <Card key={p.plug} value={p.plug} name={<span className="inline-flex items-center gap-3"><PlugShape plug={p.plug} />{p.plug}</span>}>
                  <span className="block text-[0.9rem] text-ink-2">{p.seen}</span>
                </Card>
              ))}
              <Card value="" name="I do not know">
                <span className="block text-[0.9rem] text-ink-2">then no supply is judged</span>
              </Card>
            </Cards>
            {plug && (
              <div className="mt-3 flex flex-col gap-2">
                <FormRow label="Volts" hint={plug.includes("USB") ? "5 where nothing else is said" : "a wrong voltage can destroy it: leave it open rather than guess"} problem={odd(volts, 60) ? "A number, such as 5.1" : undefined}>
                  <input className={`${INPUT} max-w-28`} inputMode="decimal" value={volts} maxLength={5} placeholder={plug.includes("USB") ? "5" : ""} onChange={(e) => setVolts(e.target.value)} />
                </FormRow>
                <FormRow label="Amperes" hint="what it draws at load; where its papers only say what a supply must give, that" problem={odd(amps, 30) ? "A number, such as 2.5" : undefined}>
                  <input className={`${INPUT} max-w-28`} inputMode="decimal" value={amps} maxLength={5} onChange={(e) => setAmps(e.target.value)} />
                </FormRow>
              </div>
            )}
          </Sheet>
          <Sheet title="Has it rows of pins?" hint="for add-ons that sit on it">
            <Cards label="Pins" value={pins} onPick={setPins}>
              <Card value="40" name="40 pins">
                <span className="mt-1 block text-[0.9rem] text-ink-2">
                  <PinRows pins={40} />
                  two rows of twenty
                </span>
              </Card>
              <Card value="26" name="26 pins">
                <span className="mt-1 block text-[0.9rem] text-ink-2">
                  <PinRows pins={26} />
                  two rows of thirteen
                </span>
              </Card>
              <Card value="" name="None, others, or I do not know">
                <span className="block text-[0.9rem] text-ink-2">add-ons are then not judged</span>
              </Card>
            </Cards>
          </Sheet>
        </div>
      </div>
    </div>
  );
}

function Said({ tree }: { tree: Tree }) {
  const has = [tree.has?.ethernet && "a network chip", tree.has?.radio && "a radio", tree.has?.usb && "USB", tree.has?.memory_mb ? `${tree.has.memory_mb} MB of memory` : ""].filter(Boolean);
  return has.length ? <>, and says it has {has.join(", ")}</> : null;
}

function Question({ text, children }: { text: string; children: ReactNode }) {
  return (
    <div className="border-t border-rule-2 py-2 first:border-0">
      <p className="mb-1">{text}</p>
      {children}
    </div>
  );
}

function Choice({ label, value, onPick }: { label: string; value: string; onPick: (value: string) => void }) {
  return (
    <div role="radiogroup" aria-label={label} className="flex flex-wrap gap-x-5 gap-y-1">
      {YES_NO.map(([key, text]) => (
        <label key={key} className="inline-flex items-center gap-1.5">
          <input type="radio" name={label} className="size-4 accent-mint" checked={value === key} onChange={() => onPick(key)} />
          {text}
        </label>
      ))}
    </div>
  );
}
