// What is on an image: packing, partition map to scale, boards, files to fill, its page.
import { useState } from "react";
import { Link } from "react-router";
import type { Finding, Severity, Shapes } from "../api/client";
import { binarySize, decimalSize, plural } from "../lib/words";
import { Mark } from "./Mark";
import { Mono, Sheet, Tag } from "./parts";
import { PartitionMap } from "./PartitionMap";

type XRay = Shapes["XRayOut"];

export function XRayView({ xray, findings, cardBytes, imageId }: { xray: XRay; findings: readonly Finding[]; cardBytes?: number; imageId?: number }) {
  return (
    <div className="flex flex-col gap-3.5">
      <Packing xray={xray} findings={findings} />
      {xray.beside.length > 0 && <Beside xray={xray} />}
      <Sheet
        title="What is on it"
        hint={`${xray.scheme === "none" ? "no partition table" : xray.scheme.toUpperCase()}, ${plural(xray.volumes.length, "partition")}${xray.bits ? `, ${xray.bits}-bit kernel` : ""}`}
      >
        <PartitionMap volumes={xray.volumes} imageBytes={xray.unpacked_bytes} cardBytes={cardBytes} />
      </Sheet>
      <div className="grid items-start gap-3.5 lg:grid-cols-3">
        <Boards xray={xray} imageId={imageId} />
        <Files xray={xray} />
        <div className="flex flex-col gap-3.5">
          <WhereItsPage xray={xray} />
          <WhatItIs system={xray.system} />
        </div>
      </div>
    </div>
  );
}

function Packing({ xray, findings }: { xray: XRay; findings: readonly Finding[] }) {
  const sum = findings.find((f) => f.code.startsWith("image.sha256"));
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 rounded-xl border border-rule bg-sheet px-4 py-2.5 text-[0.93rem] text-ink-2">
      <Mono>
        {xray.packed_text} {xray.packing}
      </Mono>
      <span aria-hidden>→</span>
      {xray.inside && (
        <>
          <Mono className="[overflow-wrap:anywhere]">{xray.inside}</Mono>
          <span aria-hidden>→</span>
        </>
      )}
      <Mono>img {xray.unpacked_text}</Mono>
      {sum && (
        <span className="flex flex-wrap items-center gap-2 md:ml-auto">
          <Mark name={sum.severity as Severity} />
          {sum.title}
          <Mono className="text-ink-3">
            {xray.sha256.slice(0, 8)}…{xray.sha256.slice(-5)}
          </Mono>
        </span>
      )}
    </div>
  );
}

/** What lies beside the image in its archive: how it is meant is often said there. */
function Beside({ xray }: { xray: XRay }) {
  return (
    <Sheet title="Beside it in the archive">
      <ul>
        {xray.beside.map((b) => (
          <li key={b.path} className="border-t border-rule-2 py-1.5 first:border-0">
            {b.text ? (
              <details>
                <summary className="cursor-pointer">
                  <Mono className="[overflow-wrap:anywhere]">{b.path}</Mono> <span className="text-ink-3">{decimalSize(b.size_bytes)}</span>
                </summary>
                <pre className="mt-1 max-h-72 overflow-auto rounded-lg border border-rule bg-field p-2.5 text-[0.88rem] whitespace-pre-wrap">{b.text}</pre>
              </details>
            ) : (
              <span>
                <Mono className="[overflow-wrap:anywhere]">{b.path}</Mono> <span className="text-ink-3">{decimalSize(b.size_bytes)}</span>
              </span>
            )}
          </li>
        ))}
      </ul>
    </Sheet>
  );
}

function Boards({ xray, imageId }: { xray: XRay; imageId: number | undefined }) {
  // Where the image names no board, nothing can be told of any: the list of them says nothing.
  const untold = xray.boards.length === 0;
  const starts = xray.fits.filter((b) => b.finding.severity !== "stop" && !untold);
  const not = xray.fits.filter((b) => b.finding.severity === "stop");
  return (
    <Sheet title="Boards it starts on">
      <p className="mb-1 text-[0.93rem] text-ink-2">
        {xray.boards.length > 0 ? `read from ${xray.boards.length} device tree${xray.boards.length === 1 ? "" : "s"}` : "No device tree was found on it: which boards it starts on cannot be told. Rely on what its maker says."}
      </p>
      <ul>
        {starts.map((b) => (
          <li key={b.compatible + b.name} className="flex gap-2.5 border-t border-rule-2 py-1.5 first:border-0">
            <span className="pt-0.5">
              <Mark name={b.finding.severity as Severity} />
            </span>
            <div className="min-w-0">
              <b>{b.name}</b> {b.owned > 0 && <span className="text-ink-3">you have {b.owned}</span>}
              <div className="text-[0.88rem] break-words text-ink-2">
                {b.finding.severity === "ok" ? <Mono>{b.compatible}</Mono> : b.finding.title}
                {!b.described && <span className="block">named by the image; nothing more is known of it here</span>}
                {!b.described && imageId !== undefined && (
                  <Link to={`/shelf/own-board?image=${imageId}&compatible=${encodeURIComponent(b.compatible)}`} className="font-[550] text-mint-ink underline">
                    This is my board
                  </Link>
                )}
              </div>
            </div>
          </li>
        ))}
      </ul>
      {not.length > 0 && (
        <details className="border-t border-rule-2 pt-1.5 text-[0.93rem]" open={starts.length === 0 || imageId === undefined}>
          <summary className="cursor-pointer text-ink-2">
            {not.length} kind{not.length === 1 ? "" : "s"} of board you have that it does not start on
          </summary>
          <ul>
            {not.map((b) => (
              <li key={b.compatible + b.name} className="flex gap-2.5 py-1.5">
                <span className="pt-0.5">
                  <Mark name={b.finding.severity as Severity} />
                </span>
                <div className="min-w-0">
                  <b>{b.name}</b> <span className="text-ink-3">you have {b.owned}</span>
                  <div className="text-[0.88rem] break-words text-ink-2">{b.finding.title}</div>
                </div>
              </li>
            ))}
          </ul>
        </details>
      )}
    </Sheet>
  );
}

function Files({ xray }: { xray: XRay }) {
  const [shown, setShown] = useState("");
  return (
    <Sheet title="Files you may fill">
      <p className="mb-1 text-[0.93rem] text-ink-2">
        read before first boot{xray.files.some((f) => f.path.startsWith("/")) ? "; those with a / before them lie on the root volume" : ""}
      </p>
      <ul>
        {xray.files.map((f) => (
          <li key={f.path} className="border-t border-rule-2 py-1.5 first:border-0">
            <div className="flex items-start justify-between gap-2">
              <button type="button" className="min-w-0 text-left font-mono font-bold break-words hover:underline" aria-expanded={shown === f.path} onClick={() => setShown(shown === f.path ? "" : f.path)}>
                {f.path}
              </button>
              {f.known && <Tag tone="ok">known</Tag>}
            </div>
            <div className="text-[0.9rem] text-ink-2">{f.known || !f.looks_like ? f.title : `Looks like: ${f.looks_like}`}</div>
            {!f.known && f.why && <div className="text-[0.85rem] text-ink-3">{f.why}</div>}
            {shown === f.path && <pre className="mt-1 max-h-64 overflow-auto rounded-lg bg-rule-2 p-2 font-mono text-[0.85rem]">{f.text}</pre>}
          </li>
        ))}
        {xray.files.length === 0 && <li className="text-ink-2">None were found.</li>}
      </ul>
    </Sheet>
  );
}

type Fact = NonNullable<XRay["system"]["ssh"]>;

const LOGINS = { locked: "no password opens it", open: "opens without a password", password: "has a password", unknown: "was seen, its password was not" };

/** What its root volume says of the system: nothing is shown of what it does not say. */
function WhatItIs({ system }: { system: XRay["system"] }) {
  const told = (name: string, facts: readonly (Fact | null | undefined)[]) => facts.flatMap((fact) => (fact ? [[name, fact.value, fact.file] as const] : []));
  const rows = [
    ...told("Network by", system.networks ?? []),
    ...told("First start", system.first_start ?? []),
    ...told("Looks on the boot volume for", system.looks_for ?? []),
    ...told("Log in by", [system.ssh]),
    ...told("A screen or serial line", [system.console]),
    ...told("Grows with the card by", [system.grows]),
    ...told("Shares", system.shares ?? []),
    ...told("Time zone", [system.time_zone]),
    ...told("Keyboard", [system.keyboard]),
    ...told("Language", [system.locale]),
    ...told("Radio firmware, going by its name", system.radios ?? []),
  ];
  const accounts = system.accounts ?? [];
  if (rows.length === 0 && accounts.length === 0) return null;
  return (
    <Sheet title="What the system is">
      <p className="mb-1 text-[0.93rem] text-ink-2">read from the root volume</p>
      <dl className="text-[0.9rem]">
        {rows.map(([name, value, file]) => (
          <div key={name + value + file} className="border-t border-rule-2 py-1.5 first:border-0">
            <dt className="inline text-ink-2">{name} </dt>
            <dd className="inline">
              {value}
              <div className="font-mono text-[0.83rem] break-all text-ink-3">{file}</div>
            </dd>
          </div>
        ))}
        {accounts.map((a) => (
          <div key={a.name} className="border-t border-rule-2 py-1.5 first:border-0">
            <dt className="inline text-ink-2">Account </dt>
            <dd className="inline">
              <Mono className="break-all">{a.name}</Mono> {a.own_name ? "has its own name as password" : LOGINS[a.login]}
              {a.keys ? `, ${plural(a.keys, "key")} ${a.keys === 1 ? "does" : "do"}` : ""}
            </dd>
          </div>
        ))}
      </dl>
    </Sheet>
  );
}

function WhereItsPage({ xray }: { xray: XRay }) {
  const page = xray.page;
  const rows: [string, string, string][] = [
    ["Host name", page.host_name ?? "", page.host_name_file ?? ""],
    ["Announces", page.announces ? `${page.announces} ${page.announced_port ?? ""}` : "", page.announce_file ?? ""],
    ["Listens", page.listen_port ? String(page.listen_port) : "", page.listen_file ?? ""],
    ["System", [page.system, page.release].filter(Boolean).join(" "), "etc/os-release"],
  ];
  return (
    <Sheet title="Where its page will be">
      <p className="mb-1 text-[0.93rem] text-ink-2">worked out from the root volume</p>
      <p className="font-mono text-[1.1rem] font-semibold break-all text-mint">{xray.page_url}</p>
      <dl className="mt-2 text-[0.9rem]">
        {rows.map(([name, value, file]) => (
          <div key={name} className="border-t border-rule-2 py-1.5">
            <dt className="inline text-ink-2">{name} </dt>
            <dd className="inline">
              <Mono>{value || "says nothing"}</Mono>
              {value && <div className="font-mono text-[0.83rem] break-all text-ink-3">{file}</div>}
            </dd>
          </div>
        ))}
      </dl>
      <OtherPages pages={xray.pages.filter((p) => !p.likely)} />
      <p className="mt-1 text-[0.85rem] text-ink-3">Image {binarySize(xray.unpacked_bytes)}, {decimalSize(xray.unpacked_bytes)} on the packet's scale.</p>
    </Sheet>
  );
}

/** What else listens on it, each with what speaks for and against it. */
function OtherPages({ pages }: { pages: XRay["pages"] }) {
  if (pages.length === 0) return null;
  return (
    <details className="border-t border-rule-2 py-1.5 text-[0.9rem]">
      <summary className="cursor-pointer text-ink-2">{plural(pages.length, "other port")} on it</summary>
      <ul>
        {pages.map((p) => (
          <li key={`${p.port} ${p.server} ${p.file}`} className="py-1">
            <Mono>{p.port}</Mono> {p.server}: {p.why}
            <div className="font-mono text-[0.83rem] break-all text-ink-3">{p.file}</div>
          </li>
        ))}
      </ul>
    </details>
  );
}
