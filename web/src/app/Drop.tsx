// An image dropped on any page goes into the library, piece by piece; one that broke off goes on where it stopped.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Upload } from "tus-js-client";
import { onFilesTaken } from "../lib/takeFiles";
import { decimalSize } from "../lib/words";
import { Bar } from "../ui/Bar";
import { Button } from "../ui/parts";

interface Coming {
  key: number;
  name: string;
  size: number;
  sent: number;
  state: "coming" | "there" | "failed";
  trouble: string;
}

/** Pieces stay below what the server takes of one request. */
const PIECE_BYTES = 1024 * 1024;
/** How long a file that arrived is shown. */
const SHOWN_MS = 20_000;
const RETRY_MS = [0, 1000, 3000, 5000, 10_000, 20_000];

const holdsFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files") ?? false;

export function Drop() {
  const [over, setOver] = useState(false);
  const [coming, setComing] = useState<readonly Coming[]>([]);
  const uploads = useRef(new Map<number, Upload>());
  const queries = useQueryClient();
  const change = useCallback((key: number, to: Partial<Coming>) => setComing((all) => all.map((c) => (c.key === key ? { ...c, ...to } : c))), []);

  const take = useCallback(
    async (files: readonly File[]) => {
      const { Upload } = await import("tus-js-client");
      for (const file of files) {
        const key = Date.now() + Math.random();
        setComing((all) => [...all, { key, name: file.name, size: file.size, sent: 0, state: "coming", trouble: "" }]);
        const upload = new Upload(file, {
          endpoint: "/api/uploads",
          chunkSize: PIECE_BYTES,
          retryDelays: RETRY_MS,
          metadata: { filename: file.name },
          removeFingerprintOnSuccess: true,
          onProgress: (sent) => change(key, { sent }),
          onSuccess: () => {
            change(key, { state: "there", sent: file.size });
            setTimeout(() => setComing((all) => all.filter((c) => c.key !== key)), SHOWN_MS);
            void queries.invalidateQueries({ queryKey: ["images"] });
          },
          onError: (error) => {
            const said = "originalResponse" in error ? error.originalResponse?.getBody() : "";
            change(key, { state: "failed", trouble: titleOf(said) || "The connection broke. Drop it again: it goes on where it stopped." });
          },
        });
        uploads.current.set(key, upload);
        const before = await upload.findPreviousUploads();
        if (before[0]) upload.resumeFromPreviousUpload(before[0]);
        upload.start();
      }
    },
    [change, queries],
  );

  useEffect(() => {
    // What takes a drop by itself, such as a recipe's text, has prevented the browser's own way already.
    const drag = (e: DragEvent) => {
      if (e.defaultPrevented || !holdsFiles(e)) return;
      e.preventDefault();
      setOver(true);
    };
    const leave = (e: DragEvent) => {
      if (e.relatedTarget === null) setOver(false);
    };
    const drop = (e: DragEvent) => {
      setOver(false);
      if (e.defaultPrevented || !holdsFiles(e)) return;
      e.preventDefault();
      void take([...(e.dataTransfer?.files ?? [])]);
    };
    const stop = onFilesTaken((files) => void take(files));
    window.addEventListener("dragover", drag);
    window.addEventListener("dragleave", leave);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", drag);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("drop", drop);
      stop();
    };
  }, [take]);

  const letGo = (c: Coming) => {
    if (c.state === "coming") void uploads.current.get(c.key)?.abort(true);
    uploads.current.delete(c.key);
    setComing((all) => all.filter((other) => other.key !== c.key));
  };
  return (
    <>
      {over && (
        <div className="pointer-events-none fixed inset-0 z-40 flex items-center justify-center bg-paper/80">
          <p className="rounded-2xl border-2 border-dashed border-mint bg-sheet px-8 py-6 text-[1.15rem] font-[550]">Let go: it goes into your images</p>
        </div>
      )}
      {coming.length > 0 && (
        <section aria-label="Files on their way" className="fixed right-4 bottom-4 z-30 flex w-[min(24rem,calc(100vw-2rem))] flex-col gap-2 rounded-xl border border-rule bg-sheet p-3 shadow-xl">
          {coming.map((c) => (
            <div key={c.key} className="flex flex-col gap-1">
              <div className="flex items-baseline gap-2">
                <b className="min-w-0 flex-1 font-mono text-[0.9rem] [overflow-wrap:anywhere]">{c.name}</b>
                <Button small onClick={() => letGo(c)} aria-label={c.state === "coming" ? `Stop ${c.name}` : `Put ${c.name} away`}>
                  {c.state === "coming" ? "Stop" : "Put away"}
                </Button>
              </div>
              {c.state !== "failed" && <Bar label={c.name} value={c.size ? c.sent / c.size : 1} done={c.state === "there"} />}
              <p role="status" className={`text-[0.88rem] ${c.state === "failed" ? "text-stop" : "text-ink-2"}`}>
                {c.state === "coming" && `${decimalSize(c.sent)} of ${decimalSize(c.size)}`}
                {c.state === "there" && (
                  <>
                    It is there; it is read by itself.{" "}
                    <Link to="/images" className="font-[550] text-mint-ink underline">
                      To the images
                    </Link>
                  </>
                )}
                {c.state === "failed" && c.trouble}
              </p>
            </div>
          ))}
        </section>
      )}
    </>
  );
}

/** The sentence of a refusal as the server makes it. */
function titleOf(body: string | undefined): string {
  try {
    return String((JSON.parse(body ?? "") as { title?: string }).title ?? "");
  } catch {
    return "";
  }
}
