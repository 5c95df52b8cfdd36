import { lazy, Suspense, useState } from "react";
import type { OverlayProps } from "./OverlayDialog";

/** Fetched when the first dialog opens. */
const OverlayDialog = lazy(async () => ({ default: (await import("./OverlayDialog")).OverlayDialog }));

/** A dialog over the screen; Escape and the dark around it close it. */
export function Overlay(props: OverlayProps) {
  const [opened, setOpened] = useState(props.open);
  if (props.open && !opened) setOpened(true);
  if (!opened) return null;
  return (
    <Suspense fallback={null}>
      <OverlayDialog {...props} />
    </Suspense>
  );
}
