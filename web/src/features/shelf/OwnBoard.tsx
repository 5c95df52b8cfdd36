// A board nobody described: a name is enough, every other answer may be left out.
import { type ReactNode, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { answer, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useMaking } from "../../api/use";
import { Card, Cards } from "../../ui/Cards";
import { FormHead } from "../../ui/FormHead";
import { FormRow, INPUT } from "../../ui/FormRow";
import { Mono, Sheet, Trouble, Waiting } from "../../ui/parts";
import { type Plug, PLUG_SHAPES, PlugShape } from "./PlugShape";

type Tree = Shapes["BoardOnImage"];

export function OwnBoard() {
  const [asked] = useSearchParams();
  const imageId = Number(asked.get("image") ?? 0);
  const compatible = asked.get("compatible") ?? "";
  const { data, error } = useAnswer(["image", imageId], () => (imageId ? answer(GET("/api/images/{pk}", { params: { path: { pk: imageId } } })) : Promise.resolve(null)));
  if (error) return <Trouble error={error} />;
  if (data === undefined) return <Waiting what="the board" />;
  const tree = data?.xray?.boards.find((b) => b.compatible[0] === compatible);
  return <Form imageId={imageId} compatible={compatible} tree={tree} file={data?.image.file_name ?? ""} only64={data?.xray?.bits === "64"} />;
}

const YES_NO = [["", "I do not know"], ["yes", "Yes"], ["no", "No"]] as const;

function Form({ imageId, compatible, tree, file, only64 }: { imageId: number; compatible: string; tree: Tree | undefined; file: string; only64: boolean }) {
  const navigate = useNavigate();
  const [name, setName] = useState(tree?.model ?? "");
  const [mark, setMark] = useState("");
  const [plug, setPlug] = useState<Plug | "">("");
  const [volts, setVolts] = useState("");
  const [amps, setAmps] = useState("");
  const [radio, setRadio] = useState("");
  const [bands, setBands] = useState<ReadonlySet<number>>(new Set());
  const [ethernet, setEthernet] = useState(tree?.has?.ethernet ? "yes" : "");
  const [pins, setPins] = useState("");
  const number = (text: string) => (text.trim() ? Number(text.replace(",", ".")) : null);
  const odd = (text: string, most: number) => {
    const value = number(text);
    return value !== null && !(value > 0 && value <= most);
  };
  const add = useMaking(["shelf", "own-board"], () =>
    answer(
      POST("/api/boards", {
        body: {
          name: name.trim(), printed_mark: mark.trim(), image_id: imageId || null, compatible, bits: only64 && compatible ? 64 : null,
          ethernet: ethernet === "" ? null : ethernet === "yes", radio_ghz: radio === "no" ? [] : bands.size ? [...bands] : null,
          plug: plug || null, voltage_v: number(volts), current_a: number(amps), header_pins: pins ? (Number(pins) as 26 | 40) : null,
        },
      }),
    ),
  );
  const waits = name.trim() === "" ? "its name" : odd(volts, 60) ? "the volts" : odd(amps, 30) ? "the amperes" : "";
  const keep = () =>
    void add.once(undefined).then(
      () => navigate(imageId ? `/images/${imageId}` : "/shelf"),
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
        title="A board of your own"
        lead="A name is enough. What you leave open is said to be not known wherever it matters, and stops nothing."
        button="Put it on the shelf"
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
            {compatible && (
              <p className="mt-2 text-[0.93rem] text-ink-2">
                <Mono>{file}</Mono> names it <Mono>{compatible}</Mono>
                {tree && <Said tree={tree} />}.
              </p>
            )}
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
                <FormRow label="Amperes" hint="what its maker says a supply must give, such as 2.5" problem={odd(amps, 30) ? "A number, such as 2.5" : undefined}>
                  <input className={`${INPUT} max-w-28`} inputMode="decimal" value={amps} maxLength={5} onChange={(e) => setAmps(e.target.value)} />
                </FormRow>
              </div>
            )}
          </Sheet>
          <Sheet title="Has it rows of pins?" hint="for add-ons that sit on it">
            <Cards label="Pins" value={pins} onPick={setPins}>
              <Card value="40" name="40 pins">
                <span className="block text-[0.9rem] text-ink-2">two rows of twenty</span>
              </Card>
              <Card value="26" name="26 pins">
                <span className="block text-[0.9rem] text-ink-2">two rows of thirteen</span>
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
