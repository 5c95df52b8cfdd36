// An image nobody described: what was read of it, to be looked over, ticked and kept.
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { answer, GET, POST, type Shapes } from "../../api/client";
import { useAnswer, useMaking } from "../../api/use";
import { stationPath } from "../../lib/stations";
import { Card, Cards } from "../../ui/Cards";
import { FormHead } from "../../ui/FormHead";
import { FormRow, INPUT } from "../../ui/FormRow";
import { Button, ButtonLink, Mono, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";

type Draft = Shapes["DraftOut"];
type Fit = Shapes["BoardFitOut"];

export function UseImage() {
  const id = Number(useParams().id);
  const path = { params: { path: { pk: id } } };
  const { data: draft, error } = useAnswer(["image", id, "draft"], () => answer(GET("/api/images/{pk}/draft", path)));
  const { data: image } = useAnswer(["image", id], () => answer(GET("/api/images/{pk}", path)));
  if (!draft || !image) return error ? <Trouble error={error} /> : <Waiting what="the image" />;
  if (draft.recipe_id) {
    return (
      <div className="flex flex-col items-start gap-3">
        <p>{image.image.appliance} describes this image.</p>
        <ButtonLink to={`/images/${id}`}>Open the image</ButtonLink>
      </div>
    );
  }
  return <LookOver key={id} id={id} draft={draft} boards={(image.xray?.fits ?? []).filter((b) => b.finding.severity === "ok" && b.compatible)} />;
}

const SURE: Record<Draft["lines"][number]["sure"], [string, "ok" | "check" | "plain" | "wait"]> = {
  read: ["read", "ok"], guessed: ["guessed", "wait"], assumed: ["assumed", "plain"], unknown: ["nobody said", "plain"],
};

function LookOver({ id, draft, boards }: { id: number; draft: Draft; boards: readonly Fit[] }) {
  const navigate = useNavigate();
  const [name, setName] = useState(draft.name);
  const [kind, setKind] = useState("");
  const [host, setHost] = useState(draft.host_name);
  const [port, setPort] = useState("");
  const [signature, setSignature] = useState("");
  const [files, setFiles] = useState<ReadonlySet<string>>(new Set(draft.files.filter((f) => f.take).map((f) => f.path)));
  const [board, setBoard] = useState(boards.length === 1 || (boards[0]?.owned ?? 0) > 0 ? (boards[0]?.compatible ?? "") : "");
  const asks = new Set(draft.questions.map((q) => q.answer));
  const keep = useMaking(["image", id, "use"], (release_of: string) =>
    answer(
      POST("/api/images/{pk}/use", {
        params: { path: { pk: id } },
        body: { name: name.trim(), kind: kind.trim(), host_name: host.trim(), page_port: port.trim() ? Number(port) : null, signature: signature.trim(), files: [...files], compatible: board, release_of },
      }),
    ),
  );
  const wrongPort = port.trim() !== "" && !(Number.isInteger(Number(port)) && Number(port) >= 1 && Number(port) <= 65535);
  const wrongHost = !/^[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?$/.test(host.trim());
  const wrongSignature = signature.trim() !== "" && signature.trim().length < 3;
  const waits = name.trim() === "" ? "it needs a name" : wrongHost ? "the host name" : wrongPort ? "the port" : wrongSignature ? "what stands on its page" : "";
  const begin = (releaseOf = "") =>
    void keep.once(releaseOf).then(
      (made) => navigate(stationPath(made.id, "plan")),
      () => undefined, // shown below
    );
  const question = (answerTo: Draft["questions"][number]["answer"]) => draft.questions.find((q) => q.answer === answerTo);
  return (
    <div className="flex flex-col gap-3.5">
      <FormHead
        crumbs={
          <>
            <Link to="/images" className="hover:underline">
              Images
            </Link>{" "}
            /{" "}
            <Link to={`/images/${id}`} className="[overflow-wrap:anywhere] hover:underline">
              {draft.file_name}
            </Link>
          </>
        }
        title="Use this image"
        lead="Nobody described it yet, so this was worked out from what stands in it. Change what you know better; nothing has to be answered."
        button="Keep it and start"
        waits={waits}
        busy={keep.isPending}
        onKeep={() => begin()}
      />
      <Trouble error={keep.error} />
      {draft.kin.map((kin) => (
        <section key={kin.recipe_id} className="flex flex-wrap items-start gap-3 rounded-xl border border-mint bg-mint-3 px-4 py-3" aria-label={`Another ${kin.name}`}>
          <div className="min-w-0 flex-1 basis-72">
            <b className="font-[550]">
              This looks like {kin.name}, release {kin.version}
            </b>
            <p className="text-[0.93rem] text-ink-2">
              {kin.why.join(", ")}. In its recipe {kin.changes.join("; ")}.
            </p>
          </div>
          <Button go disabled={keep.isPending} onClick={() => begin(kin.recipe_id)}>
            Use it as release {kin.version}
          </Button>
        </section>
      ))}
      <div className="grid items-start gap-3.5 lg:grid-cols-2">
        <div className="flex flex-col gap-3.5">
          <Sheet title="What it is called">
            <div className="flex flex-col gap-2">
              <FormRow label="Name">
                <input className={INPUT} value={name} maxLength={60} onChange={(e) => setName(e.target.value)} />
              </FormRow>
              <FormRow label="It is a" hint="its role, in a word or two">
                <input className={INPUT} value={kind} maxLength={60} placeholder="weather station" onChange={(e) => setKind(e.target.value)} />
              </FormRow>
              <FormRow label="Host name" hint="by it the network calls the first one; the next get a number" problem={wrongHost ? "Letters, digits and hyphens" : undefined}>
                <input className={`${INPUT} font-mono`} value={host} maxLength={63} onChange={(e) => setHost(e.target.value)} />
              </FormRow>
            </div>
          </Sheet>
          {boards.length > 0 && (
            <Sheet title="Your board" hint="the image names those it starts on">
              <Cards label="Your board" value={board} onPick={setBoard}>
                {boards.map((b) => (
                  <Card key={b.compatible} value={b.compatible} name={b.name}>
                    <span className="block text-[0.9rem] text-ink-2">{b.owned > 0 ? `you have ${b.owned}` : "goes onto your shelf under this name; more about it can be said there"}</span>
                  </Card>
                ))}
                <Card value="" name="None of these, or later">
                  <span className="block text-[0.9rem] text-ink-2">the plan asks for it</span>
                </Card>
              </Cards>
            </Sheet>
          )}
          {asks.size > 0 && (
            <Sheet title="What it does not say" hint="leave open what you do not know">
              <div className="flex flex-col gap-3">
                {question("page_port") && (
                  <Asked question={question("page_port")} problem={wrongPort ? "A number from 1 to 65535" : ""}>
                    <input className={`${INPUT} max-w-32 font-mono`} inputMode="numeric" value={port} maxLength={5} placeholder="8080" aria-label={question("page_port")?.text} onChange={(e) => setPort(e.target.value)} />
                  </Asked>
                )}
                {question("signature") && (
                  <Asked question={question("signature")} problem={wrongSignature ? "At least three characters" : ""}>
                    <input className={INPUT} value={signature} maxLength={120} aria-label={question("signature")?.text} onChange={(e) => setSignature(e.target.value)} />
                  </Asked>
                )}
              </div>
            </Sheet>
          )}
        </div>
        <div className="flex flex-col gap-3.5">
          <Sheet title="Files to fill" hint={draft.files.length ? "before its first boot; take the tick off what shall stay as it is" : undefined}>
            {draft.files.length === 0 && <p className="text-ink-2">None was found that can be filled. Its settings go in another way: by cable, or with a screen and a keyboard.</p>}
            <ul>
              {draft.files.map((f) => (
                <li key={f.path} className="border-t border-rule-2 py-1.5 first:border-0">
                  <label className="flex items-start gap-2.5">
                    <input
                      type="checkbox"
                      className="mt-1.5 size-4 shrink-0 accent-mint"
                      checked={files.has(f.path)}
                      onChange={(e) => {
                        const next = new Set(files);
                        if (e.target.checked) next.add(f.path);
                        else next.delete(f.path);
                        setFiles(next);
                      }}
                    />
                    <span className="min-w-0">
                      <b className="font-mono text-[0.95rem] font-bold [overflow-wrap:anywhere]">{f.path.replace("{wifi_name_hex}", "…")}</b> {f.path.startsWith("/") && <Tag>root volume</Tag>}
                      <span className="block text-[0.93rem]">takes {f.says}</span>
                      <span className="block text-[0.85rem] text-ink-2">
                        {f.kind}: {f.why}
                      </span>
                    </span>
                  </label>
                </li>
              ))}
            </ul>
          </Sheet>
          <Sheet title="What was read">
            <ul>
              {draft.lines.map((line) => (
                <li key={line.what + line.value} className="grid grid-cols-[6.5rem_minmax(0,1fr)_auto] items-baseline gap-x-3 border-t border-rule-2 py-1.5 text-[0.95rem] first:border-0">
                  <span className="text-ink-2">{line.what}</span>
                  <span className="min-w-0 [overflow-wrap:anywhere]">
                    {line.value}
                    <Mono className="block text-[0.83rem] text-ink-3">{line.source}</Mono>
                  </span>
                  <Tag tone={SURE[line.sure][1]}>{SURE[line.sure][0]}</Tag>
                </li>
              ))}
            </ul>
          </Sheet>
          <details className="rounded-xl border border-rule bg-sheet px-4 py-2.5">
            <summary className="cursor-pointer text-[0.95rem] font-[550]">The recipe as a text</summary>
            <p className="mt-1 text-[0.9rem] text-ink-2">It is kept under Recipes, where it can be changed and taken along as a file.</p>
            <pre className="mt-2 max-h-80 overflow-auto rounded-lg bg-rule-2 p-2 font-mono text-[0.82rem]">{draft.text}</pre>
          </details>
        </div>
      </div>
    </div>
  );
}

function Asked({ question, problem, children }: { question: Draft["questions"][number] | undefined; problem: string; children: React.ReactNode }) {
  return (
    <div className="flex flex-col gap-1">
      <span>{question?.text}</span>
      {children}
      <span className={`text-[0.85rem] ${problem ? "text-stop" : "text-ink-2"}`}>{problem || question?.hint}</span>
    </div>
  );
}
