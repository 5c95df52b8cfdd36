import { Command } from "cmdk";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, GET } from "../api/client";
import { useAnswer } from "../api/use";
import { useRested } from "../lib/rested";
import { stationPath } from "../lib/stations";

const PLACES = [
  ["Bench", "/"],
  ["Images", "/images"],
  ["Shelf", "/shelf"],
  ["Recipes", "/recipes"],
  ["What fits what", "/matrix"],
  ["Doctor", "/doctor"],
  ["Site", "/site"],
  ["Log", "/log"],
  ["New deployment", "/new"],
] as const;

const ITEM = "flex cursor-pointer justify-between gap-4 rounded-lg px-3 py-1.5 data-[selected=true]:bg-mint-3";
const MOST = 8;

export function Palette({ open, onClose }: { open: boolean; onClose: () => void }) {
  const navigate = useNavigate();
  const [typed, setTyped] = useState("");
  const go = (path: string) => {
    onClose();
    setTyped("");
    void navigate(path);
  };
  return (
    <Command.Dialog
      open={open}
      onOpenChange={(next) => !next && onClose()}
      label="Search and go"
      shouldFilter={false}
      overlayClassName="fixed inset-0 z-40 bg-[#0008]"
      contentClassName="fixed top-[12vh] left-1/2 z-50 w-[min(36rem,calc(100vw-2rem))] -translate-x-1/2 rounded-xl border border-rule bg-sheet shadow-2xl"
    >
      <Command.Input value={typed} onValueChange={setTyped} placeholder="A deployment, a station, an image, a place" className="w-full border-b border-rule bg-transparent px-4 py-3 placeholder:text-ink-3 focus:outline-none" />
      <Choices typed={typed} go={go} />
    </Command.Dialog>
  );
}

/** Searched by the server, so that a thousand devices are found as one is. The last word may name a station. */
function Choices({ typed, go }: { typed: string; go: (path: string) => void }) {
  const text = useRested(typed.trim());
  // What was found for other words is nothing to press Enter on.
  const late = text !== typed.trim();
  const { name, station } = split(text);
  const find = (place: "open" | "service") => () => answer(GET("/api/deployments", { params: { query: { place, search: name } } }));
  const open = useAnswer(["deployments", "found", "open", name], find("open")).data?.deployments ?? [];
  const served = useAnswer(["deployments", "found", "service", name], find("service")).data?.deployments ?? [];
  const images = useAnswer(["images", "found", text], () => answer(GET("/api/images", { params: { query: { search: text } } }))).data?.images ?? [];
  const deployments = late ? [] : [...open, ...served].slice(0, MOST);
  const places = late ? [] : PLACES.filter(([place]) => place.toLowerCase().includes(text.toLowerCase()));
  return (
    <Command.List className="max-h-[50vh] overflow-auto p-2 [&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-[0.82rem] [&_[cmdk-group-heading]]:text-ink-3">
      <Command.Empty className="px-3 py-2 text-ink-2">{late ? "Looking…" : "Nothing here is called that."}</Command.Empty>
      {deployments.length > 0 && (
        <Command.Group heading="Deployments">
          {deployments.flatMap((d) => [
            ...(station ? [] : [
              <Command.Item key={d.id} value={`deployment ${d.id}`} className={ITEM} onSelect={() => go(stationPath(d.id, d.line.now))}>
                {d.name} <span className="text-ink-2">{d.line.next_step}</span>
              </Command.Item>,
            ]),
            ...d.line.marks
              .filter((m) => (station ? m.title.toLowerCase().startsWith(station) : deployments.length === 1))
              .map((m) => (
                <Command.Item key={`${d.id}/${m.station}`} value={`${d.id}/${m.station}`} className={ITEM} onSelect={() => go(stationPath(d.id, m.station))}>
                  <span className="text-ink-2">
                    {d.name} / {m.title}
                  </span>
                </Command.Item>
              )),
          ])}
        </Command.Group>
      )}
      {text && !late && images.length > 0 && (
        <Command.Group heading="Images">
          {images.slice(0, MOST).map((i) => (
            <Command.Item key={i.id} value={`image ${i.id}`} className={`${ITEM} font-mono`} onSelect={() => go(`/images/${i.id}`)}>
              {i.file_name}
            </Command.Item>
          ))}
        </Command.Group>
      )}
      {places.length > 0 && (
        <Command.Group heading="Places">
          {places.map(([place, path]) => (
            <Command.Item key={path} value={place} className={ITEM} onSelect={() => go(path)}>
              {place}
            </Command.Item>
          ))}
        </Command.Group>
      )}
    </Command.List>
  );
}

const STATION = /^(?:(.*)\s)?(plan|image|settings|card|first boot|boot|find|set up|setup|keep)$/i;
const STATION_OF = /^(plan|image|settings|card|first boot|boot|find|set up|setup|keep) of (.*)$/i;
const TITLES: Record<string, string> = { boot: "first boot", setup: "set up" };

/** `press settings`, or `settings of press`, asks for the settings of whatever is called press. */
function split(text: string): { name: string; station: string } {
  const after = STATION.exec(text);
  const before = STATION_OF.exec(text);
  if (!after && !before) return { name: text, station: "" };
  const word = (after?.[2] ?? before?.[1] ?? "").toLowerCase();
  return { name: after?.[1] ?? before?.[2] ?? "", station: TITLES[word] ?? word };
}
