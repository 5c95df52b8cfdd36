// The doctor: a settings file is dropped or pasted, and told what it is, what is wrong with it and what mends it.
import { Download, FileText, WandSparkles } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { answer, POST, type Shapes } from "../../api/client";
import { useOnce } from "../../api/use";
import { fromBase64, textOf, toBase64 } from "../../lib/bytes";
import { useRested } from "../../lib/rested";
import { plural } from "../../lib/words";
import { Copy } from "../../ui/Copy";
import { Findings } from "../../ui/Findings";
import { Button, Mono, Sheet, Trouble } from "../../ui/parts";
import { Select } from "../../ui/Select";
import { FileView } from "../../ui/FileView";
import { FromCard } from "./FromCard";
import { type OnCard, PutBack } from "./PutBack";

type Examined = Shapes["DoctorOut"];

interface File {
  name: string;
  content: string;
  /** Where it was read, and as what: it can be put back there. */
  from?: OnCard;
}

/** Longer ones are no settings files; the server says so in words. */
const MOST_BYTES = 1000 * 1000;
const BY_CONTENT = "by its content";

export function DoctorPlace() {
  const [search] = useSearchParams();
  const deployment = Number(search.get("for")) || null;
  const [file, setFile] = useState<File>({ name: "", content: "" });
  const [readAs, setReadAs] = useState("");
  const [tooLarge, setTooLarge] = useState("");
  const examine = useOnce((body: Shapes["DoctorIn"]) => answer(POST("/api/doctor", { body })));
  const { mutate } = examine;
  const rested = useRested(file);
  useEffect(() => {
    if (rested.content) mutate({ name: rested.name, content: rested.content, read_as: readAs, deployment });
  }, [rested, readAs, deployment, mutate]);
  const take = async (dropped: globalThis.File) => {
    if (dropped.size > MOST_BYTES) return setTooLarge(dropped.name);
    setTooLarge("");
    setReadAs("");
    setFile({ name: dropped.name, content: toBase64(new Uint8Array(await dropped.arrayBuffer())) });
  };
  const found = file.content ? examine.data : undefined;
  // What was typed since is not in the answer: mended by it, it would be lost.
  const current = examine.isSuccess && examine.variables.content === file.content;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="font-head text-[1.5rem] font-bold">Doctor</h1>
        <p className="text-ink-2">For the settings file that does not do what it should: why, and what mends it.</p>
      </header>
      <Trouble error={examine.error} />
      {tooLarge && (
        <p role="alert" className="text-stop">
          {tooLarge} is too large for a settings file. An image goes to Images.
        </p>
      )}
      <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <Given file={file} found={found} readAs={readAs} onText={(name, text) => setFile((now) => ({ ...(now.from?.name === name && now.from ? { from: now.from } : {}), name, content: text ? toBase64(new TextEncoder().encode(text)) : "" }))} onFile={(f) => void take(f)} onReadAs={setReadAs} />
        <div className="flex min-w-0 flex-col gap-3.5">
          {file.from && <PutBack key={file.from.name + file.from.was} from={file.from} content={file.content} deployment={deployment} />}
          {found ? <Told found={found} name={file.name} current={current} onMend={(content) => setFile({ ...file, content })} /> : <Empty />}
          <FromCard
            deployment={deployment}
            onPick={(from) => {
              setReadAs("");
              setFile({ name: from.name, content: from.was, from });
            }}
          />
        </div>
      </div>
    </div>
  );
}

function Empty() {
  return (
    <Sheet title="What it says">
      <p className="text-ink-2">Drop a file on the left, or paste its text. It is read as its real reader would read it: every fault gets its line, its reason and, where nobody has to be asked, its cure.</p>
      <p className="mt-2 text-[0.9rem] text-ink-3">Nothing of it is kept. What stands in it, its passphrase too, stays on this machine.</p>
    </Sheet>
  );
}

interface GivenProps {
  file: File;
  found: Examined | undefined;
  readAs: string;
  onText: (name: string, text: string) => void;
  onFile: (file: globalThis.File) => void;
  onReadAs: (dialect: string) => void;
}

function Given({ file, found, readAs, onText, onFile, onReadAs }: GivenProps) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const text = file.content ? textOf(fromBase64(file.content)) : "";
  const drop = (event: React.DragEvent) => {
    // Taken here, and not as an image by what takes every other drop.
    event.preventDefault();
    setOver(false);
    const first = event.dataTransfer.files[0];
    if (first) onFile(first);
  };
  return (
    <Sheet
      title="The file"
      aside={
        <Button small onClick={() => input.current?.click()}>
          <FileText size={14} aria-hidden /> Choose a file
        </Button>
      }
    >
      <input ref={input} type="file" className="sr-only" tabIndex={-1} aria-label="A settings file" onChange={(e) => e.target.files?.[0] && onFile(e.target.files[0])} />
      <div
        className={`flex flex-col gap-2 ${over ? "rounded-lg outline-2 outline-mint outline-dashed" : ""}`}
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={drop}
      >
        <label className="flex items-baseline gap-2">
          <span className="text-[0.92rem] text-ink-2">Its name</span>
          <input className="min-w-0 flex-1 rounded-lg border border-rule bg-field px-2.5 py-1 font-mono" value={file.name} placeholder="as it is called on the card" maxLength={255} spellCheck={false} onChange={(e) => onText(e.target.value, text)} />
        </label>
        <textarea
          aria-label="Its text"
          className="min-h-[16rem] rounded-lg border border-rule bg-field p-2.5 font-mono text-[0.9rem] leading-[1.55] lg:min-h-[24rem]"
          value={text}
          placeholder="Drop the file here, or paste its text."
          spellCheck={false}
          autoCapitalize="off"
          autoComplete="off"
          onChange={(e) => onText(file.name, e.target.value)}
        />
        {found && (
          <div className="flex flex-wrap items-center gap-x-2.5 gap-y-1 text-[0.92rem]">
            <span className="text-ink-2">Read as</span>
            <Select label="Read as" value={readAs || BY_CONTENT} options={[[BY_CONTENT, found.dialect && !readAs ? found.dialect : BY_CONTENT], ...found.dialects.map((d) => [d, d] as const)]} onPick={(d) => onReadAs(d === BY_CONTENT ? "" : d)} />
            {!readAs && found.why && <span className="min-w-[12rem] flex-1 text-ink-3">{found.why}</span>}
          </div>
        )}
      </div>
    </Sheet>
  );
}

function Told({ found, name, current, onMend }: { found: Examined; name: string; current: boolean; onMend: (content: string) => void }) {
  const repairs = new Map(found.repairs.map((r) => [found.findings[r.finding], r]));
  const changed = found.lines.filter((l) => l.mark === "added").length;
  return (
    <div className="flex min-w-0 flex-col gap-3.5">
      <Sheet title="What it does">
        <dl className="grid grid-cols-[6.4rem_minmax(0,1fr)] gap-x-2.5 gap-y-1.5">
          <dt className="text-[0.92rem] text-ink-2">As it is</dt>
          <dd className="[overflow-wrap:anywhere]">{found.means || <span className="text-ink-2">nothing: its reader stops at it, or nothing in it is known</span>}</dd>
          {found.repairs.length > 0 && (
            <>
              <dt className="text-[0.92rem] text-ink-2">Mended</dt>
              <dd className="[overflow-wrap:anywhere]">{found.would_mean || <span className="text-ink-2">cannot be told until the rest is mended by hand</span>}</dd>
            </>
          )}
        </dl>
      </Sheet>
      <Sheet
        title="What is wrong"
        aside={
          found.repairs.length > 0 && (
            <Button small main disabled={!current} onClick={() => onMend(found.mended)}>
              <WandSparkles size={14} aria-hidden /> Mend {found.repairs.length === 1 ? "it" : "all that can be"}
            </Button>
          )
        }
      >
        <Findings
          findings={found.findings}
          below={(finding) => {
            const repair = repairs.get(finding);
            return (
              repair && (
                <Button small className="mt-1.5" disabled={!current} onClick={() => onMend(repair.content)}>
                  {repair.does}
                </Button>
              )
            );
          }}
        />
      </Sheet>
      {found.repairs.length > 0 && (
        <Sheet title={`As it would be: ${plural(changed, "line")} changed`}>
          <FileView lines={found.lines} label="The mended file" />
          {found.left.some((f) => f.severity === "stop") && <p className="text-[0.92rem] text-ink-2">What is still wrong then is yours to decide; it stays in the list.</p>}
        </Sheet>
      )}
      {found.dialect && (
        <div className="flex flex-wrap items-center gap-2">
          <Button disabled={!current} onClick={() => save(name || "settings.conf", found.mended)}>
            <Download size={15} aria-hidden /> Save {found.repairs.length > 0 ? "the mended file" : "the file"}
          </Button>
          <Copy text={textOf(fromBase64(found.mended))} />
          {found.known && (
            <span className="text-[0.9rem] text-ink-2">
              It belongs at <Mono>{found.known}</Mono>.
            </span>
          )}
        </div>
      )}
    </div>
  );
}

/** Hand the file over as a download, byte for byte. */
function save(name: string, content: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([fromBase64(content)]));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
