// The first start begins with a place at work; an empty bench is one click away.
import { useQueryClient } from "@tanstack/react-query";
import { answer, GET, POST } from "../../api/client";
import { useAnswer } from "../../api/use";
import { Button } from "../../ui/parts";
import { useToast } from "../../ui/toast";

export function DemoStrip() {
  const place = useAnswer(["place"], () => answer(GET("/api/place"))).data;
  const queries = useQueryClient();
  const toast = useToast();
  if (!place?.demo) return null;
  const restore = async () => {
    try {
      await answer(POST("/api/demo/restore"));
    } catch (error) {
      toast({ text: (error as Error).message });
    }
    void queries.invalidateQueries();
  };
  const clear = async () => {
    try {
      await answer(POST("/api/demo/clear"));
      toast({ text: "The made-up devices are off the bench.", undo: () => void restore() });
    } catch (error) {
      toast({ text: (error as Error).message });
    }
    void queries.invalidateQueries();
  };
  return (
    <section className="flex flex-wrap items-center gap-x-4 gap-y-2 rounded-xl border border-dashed border-rule bg-sheet px-4 py-2.5">
      <p className="min-w-0 flex-1 basis-80 text-[0.95rem] text-ink-2">
        <b className="text-ink">From an image file to a device that works and is on record:</b> plan it, fill its settings, write and prove its card, know how long it boots, find its page, check it. The devices of {place.site_name} are made up, to look at and to try things on.
      </p>
      <Button small onClick={() => void clear()}>
        Start with an empty bench
      </Button>
    </section>
  );
}
