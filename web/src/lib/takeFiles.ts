/** Hand files to whatever takes them into the library: chosen here, sent from there, on whichever page one is then. */
const TAKE_FILES = "mintseed:take-files";

export const takeFiles = (files: readonly File[]) => window.dispatchEvent(new CustomEvent(TAKE_FILES, { detail: files }));

/** Call `take` with files that somebody chose; returns what ends that. */
export function onFilesTaken(take: (files: readonly File[]) => void): () => void {
  const asked = (e: Event) => take((e as CustomEvent<readonly File[]>).detail);
  window.addEventListener(TAKE_FILES, asked);
  return () => window.removeEventListener(TAKE_FILES, asked);
}
