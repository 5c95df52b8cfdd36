import { Command } from "cmdk";
import { useNavigate } from "react-router";
import { answer, GET } from "../api/client";
import { useAnswer } from "../api/use";
import { stationPath } from "../lib/stations";

const PLACES = [
  ["Bench", "/"],
  ["Images", "/images"],
  ["Shelf", "/shelf"],
  ["Site", "/site"],
  ["Log", "/log"],
  ["New deployment", "/new"],
] as const;

const ITEM = "flex cursor-pointer justify-between gap-4 rounded-lg px-3 py-1.5 data-[selected=true]:bg-mint-3";

export function Palette({ open, onClose }: { open: boolean; onClose: () => void }) {
  const navigate = useNavigate();
  const go = (path: string) => {
    onClose();
    void navigate(path);
  };
  return (
    <Command.Dialog
      open={open}
      onOpenChange={(next) => !next && onClose()}
      label="Search and go"
      overlayClassName="fixed inset-0 z-40 bg-[#0008]"
      contentClassName="fixed top-[12vh] left-1/2 z-50 w-[min(36rem,calc(100vw-2rem))] -translate-x-1/2 rounded-xl border border-rule bg-sheet shadow-2xl"
    >
      <Command.Input placeholder="A deployment, a station, an image, a place" className="w-full border-b border-rule bg-transparent px-4 py-3 placeholder:text-ink-3 focus:outline-none" />
      <Choices go={go} />
    </Command.Dialog>
  );
}

/** Made anew each time the palette opens, so that it tells how things stand now. */
function Choices({ go }: { go: (path: string) => void }) {
  const bench = useAnswer(["bench"], () => answer(GET("/api/bench"))).data;
  const images = useAnswer(["images"], () => answer(GET("/api/images"))).data?.images;
  return (
    <Command.List className="max-h-[50vh] overflow-auto p-2 [&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:py-1 [&_[cmdk-group-heading]]:text-[0.82rem] [&_[cmdk-group-heading]]:text-ink-3">
      <Command.Empty className="px-3 py-2 text-ink-2">Nothing here is called that.</Command.Empty>
      <Command.Group heading="Deployments">
        {bench?.deployments.flatMap((d) => [
          <Command.Item key={d.id} value={`${d.name} ${d.id}`} className={ITEM} onSelect={() => go(stationPath(d.id, d.line.now))}>
            {d.name} <span className="text-ink-2">{d.line.next_step}</span>
          </Command.Item>,
          ...d.line.marks.map((m) => (
            <Command.Item key={`${d.id}/${m.station}`} value={`${m.title} of ${d.name} ${d.id}`} className={ITEM} onSelect={() => go(stationPath(d.id, m.station))}>
              <span className="text-ink-2">
                {d.name} / {m.title}
              </span>
            </Command.Item>
          )),
        ])}
      </Command.Group>
      <Command.Group heading="Images">
        {images?.map((i) => (
          <Command.Item key={i.id} value={i.file_name} className={`${ITEM} font-mono`} onSelect={() => go(`/images/${i.id}`)}>
            {i.file_name}
          </Command.Item>
        ))}
      </Command.Group>
      <Command.Group heading="Places">
        {PLACES.map(([name, path]) => (
          <Command.Item key={path} value={name} className={ITEM} onSelect={() => go(path)}>
            {name}
          </Command.Item>
        ))}
      </Command.Group>
    </Command.List>
  );
}
