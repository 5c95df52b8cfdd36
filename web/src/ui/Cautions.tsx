import { Sheet } from "./parts";

/** What can hurt someone or expose something, in the recipe's words. */
export function Cautions({ texts }: { texts: readonly string[] }) {
  if (!texts.length) return null;
  return (
    <Sheet title="Mind">
      <ul className="list-disc pl-5 text-[0.95rem] text-ink-2">
        {texts.map((t) => (
          <li key={t}>{t}</li>
        ))}
      </ul>
    </Sheet>
  );
}
