// The editor of a described thing: YAML with the server's messages at their lines.
import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { basicSetup } from "codemirror";
import { useEffect, useRef } from "react";
import type { Shapes } from "../../api/client";

const LOOK = EditorView.theme({
  "&": { fontSize: "0.95rem", backgroundColor: "var(--field)", color: "var(--ink)" },
  ".cm-content": { fontFamily: "var(--font-mono)", caretColor: "var(--ink)" },
  ".cm-gutters": { backgroundColor: "var(--paper)", color: "var(--ink-3)", border: "none" },
  ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "var(--rule-2)" },
  ".cm-activeLineGutter": { color: "var(--ink-2)" },
  "&.cm-focused .cm-cursor": { borderLeftColor: "var(--ink)" },
  ".cm-selectionBackground, &.cm-focused .cm-selectionBackground": { backgroundColor: "var(--sky-2) !important" },
  ".cm-tooltip": { backgroundColor: "var(--sheet)", color: "var(--ink)", border: "1px solid var(--rule)" },
  ".cm-scroller": { minHeight: "24rem", maxHeight: "70vh" },
});

/** Colours of the theme, so that light and dark are read alike. */
const COLOURS = HighlightStyle.define([
  { tag: [tags.definition(tags.propertyName), tags.propertyName], color: "var(--sky)" },
  { tag: [tags.string, tags.special(tags.string)], color: "var(--mint-ink)" },
  { tag: [tags.content, tags.literal, tags.number, tags.bool], color: "var(--ink)" },
  { tag: tags.comment, color: "var(--ink-3)", fontStyle: "italic" },
  { tag: [tags.punctuation, tags.separator, tags.squareBracket, tags.brace], color: "var(--ink-2)" },
  { tag: [tags.labelName, tags.typeName, tags.meta, tags.keyword], color: "var(--amber)" },
]);

interface Props {
  start: string;
  label: string;
  problems: readonly Shapes["Mistake"][];
  onText: (text: string) => void;
  /** Called once with what moves the cursor to a line. */
  onReady: (goTo: (line: number) => void) => void;
}

export function TextEditor({ start, label, problems, onText, onReady }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const told = useRef({ onText, onReady });
  useEffect(() => {
    told.current = { onText, onReady };
  });
  useEffect(() => {
    if (!place.current) return;
    const made = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: start,
        extensions: [
          basicSetup,
          yaml(),
          syntaxHighlighting(COLOURS),
          lintGutter(),
          LOOK,
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": label }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) told.current.onText(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = made;
    made.scrollDOM.tabIndex = 0; // what scrolls can be reached by keys
    told.current.onReady((line) => {
      const found = made.state.doc.line(Math.min(Math.max(1, line), made.state.doc.lines));
      made.dispatch({ selection: { anchor: found.from }, effects: EditorView.scrollIntoView(found.from, { y: "center" }) });
      made.focus();
    });
    return () => made.destroy();
  }, [start, label]);
  useEffect(() => {
    const shown = view.current;
    if (!shown) return;
    const found = problems.map((p): Diagnostic => {
      const line = shown.state.doc.line(Math.min(Math.max(1, p.line), shown.state.doc.lines));
      return { from: line.from, to: line.to, severity: p.bars ? "error" : "warning", message: p.path ? `${p.path}: ${p.message}` : p.message };
    });
    shown.dispatch(setDiagnostics(shown.state, found));
  }, [problems]);
  return <div ref={place} className="overflow-hidden rounded-lg border border-rule" />;
}
