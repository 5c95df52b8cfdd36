// A join code read from a picture of it, on the router's label or another phone: the picture stays in this browser.
import { useId, useState } from "react";

const MOST_PIXELS = 1400;

/** What the code in a picture says; empty where there is none to be seen. */
async function codeIn(file: File): Promise<string> {
  const picture = await createImageBitmap(file);
  const { default: read } = await import("jsqr");
  // A code that fills the picture is read best small, one in a corner of it large.
  for (const most of [MOST_PIXELS / 2, MOST_PIXELS, 2 * MOST_PIXELS]) {
    const scale = Math.min(1, most / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    canvas.width = Math.max(1, Math.round(picture.width * scale));
    canvas.height = Math.max(1, Math.round(picture.height * scale));
    const context = canvas.getContext("2d");
    if (!context) return "";
    context.drawImage(picture, 0, 0, canvas.width, canvas.height);
    const { data, width, height } = context.getImageData(0, 0, canvas.width, canvas.height);
    const found = read(data, width, height);
    if (found) return found.data;
    if (scale === 1) break;
  }
  return "";
}

export function CodePhoto({ onRead, onNone }: { onRead: (code: string) => void; onNone: (why: string) => void }) {
  const id = useId();
  const [looking, setLooking] = useState(false);
  const look = async (file: File | undefined) => {
    if (!file) return;
    setLooking(true);
    const code = await codeIn(file).catch(() => null);
    setLooking(false);
    if (code) onRead(code);
    else onNone(code === null ? "That file is no picture this browser can read" : "No code is to be seen in that picture; come closer, and have it flat and bright");
  };
  return (
    <p className="pl-[7rem] text-[0.93rem]">
      <label htmlFor={id} className="cursor-pointer text-mint underline-offset-2 focus-within:underline hover:underline">
        {looking ? "Looking…" : "Photograph its join code"}
      </label>
      <input
        id={id}
        type="file"
        accept="image/*"
        capture="environment"
        className="sr-only"
        onChange={(e) => {
          void look(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      <span className="text-ink-2">, on the router’s label or another phone; the picture stays in this browser.</span>
    </p>
  );
}
