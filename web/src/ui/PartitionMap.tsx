import type { Shapes } from "../api/client";
import { binarySize } from "../lib/words";

interface Props {
  volumes: readonly Shapes["VolumeFacts"][];
  imageBytes: number;
  cardBytes?: number | undefined;
}

const TONES = {
  boot: "border-mint bg-mint-2 text-mint-ink",
  root: "border-sky bg-sky-2 text-sky",
  data: "border-amber bg-amber-2 text-amber",
} as const;

/** The image's partitions to scale; what a larger card has beyond it is told, not drawn, since it would dwarf them. */
export function PartitionMap({ volumes, imageBytes, cardBytes }: Props) {
  const share = (bytes: number) => (bytes / imageBytes) * 100;
  const last = Math.max(...volumes.map((v) => v.offset_bytes + v.size_bytes), 0);
  return (
    <div>
      <div className="flex gap-2">
        <div className="relative h-12 flex-1 rounded-md bg-rule-2" role="img" aria-label="Partition map to scale">
          {volumes.map((v) => (
            <div
              key={v.partition}
              title={`Partition ${v.partition}: ${v.label || v.role}, ${v.file_system}, ${binarySize(v.size_bytes)}`}
              className={`absolute inset-y-0 overflow-hidden rounded-md border px-2 py-1 text-[0.82rem] leading-tight whitespace-nowrap ${TONES[v.role as keyof typeof TONES]}`}
              style={{ left: `${share(v.offset_bytes)}%`, width: `${share(v.size_bytes)}%` }}
            >
              <b className="text-[0.92rem]">
                {v.role} · {v.file_system === "vfat" ? "FAT" : v.file_system}
              </b>
              <div>
                {binarySize(v.size_bytes)}
                {v.used_bytes !== null && `, ${Math.round((v.used_bytes / v.size_bytes) * 100)}% used`}
              </div>
            </div>
          ))}
        </div>
        {cardBytes !== undefined && cardBytes > imageBytes && (
          <div className="flex w-44 items-center rounded-md border border-dashed border-ink-3 px-2 text-[0.85rem] leading-tight text-ink-3 max-sm:hidden">
            {binarySize(cardBytes - imageBytes)} more on the card, not to scale
          </div>
        )}
      </div>
      <div className={`relative mt-1 h-4 text-[0.78rem] text-ink-3 ${cardBytes !== undefined && cardBytes > imageBytes ? "sm:mr-46" : ""}`}>
        <span className="absolute left-0">0</span>
        {volumes.slice(1).map((v) => (
          <span key={v.partition} className="absolute" style={{ left: `${share(v.offset_bytes)}%` }}>
            {binarySize(v.offset_bytes)}
          </span>
        ))}
        <span className="absolute right-0">{binarySize(Math.max(last, imageBytes))}</span>
      </div>
    </div>
  );
}
