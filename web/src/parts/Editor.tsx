import { autocompletion } from "@codemirror/autocomplete";
import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { basicSetup } from "codemirror";
import { useEffect, useRef } from "react";
import { completeBy } from "./schemaCompletion";

/** Something to say of a line, in the margin. */
export interface Mark {
  line: number;
  column: number;
  grave: "error" | "warning" | "info";
  text: string;
}

const look = EditorView.theme({
  "&": {
    fontSize: "13px",
    border: "1px solid var(--color-base-300)",
    backgroundColor: "var(--color-base-100)",
    color: "var(--color-base-content)",
  },
  ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "1.5" },
  ".cm-gutters": {
    backgroundColor: "var(--color-base-200)",
    color: "var(--color-base-content)",
    border: "none",
  },
  ".cm-lineNumbers .cm-gutterElement": { opacity: "0.7" },
  ".cm-activeLine, .cm-activeLineGutter": {
    backgroundColor: "color-mix(in oklab, var(--color-primary) 8%, transparent)",
  },
  ".cm-cursor": { borderLeftColor: "var(--color-base-content)" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground": {
    backgroundColor: "color-mix(in oklab, var(--color-primary) 24%, transparent) !important",
  },
  ".cm-tooltip": {
    backgroundColor: "var(--color-base-200)",
    color: "var(--color-base-content)",
    border: "1px solid var(--color-base-300)",
    maxWidth: "36rem",
  },
  ".cm-tooltip-autocomplete ul li[aria-selected]": {
    backgroundColor: "var(--color-primary)",
    color: "var(--color-primary-content)",
  },
  ".cm-diagnostic": { fontFamily: "var(--font-sans)", padding: "4px 8px" },
});

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: "var(--color-info)" },
  { tag: [tags.string, tags.content], color: "var(--color-base-content)" },
  { tag: [tags.number, tags.bool, tags.null], color: "var(--color-primary)" },
  { tag: tags.comment, color: "var(--color-base-content)", opacity: "0.7", fontStyle: "italic" },
]);

/** A YAML editor with marks in its margin and completion by a JSON Schema. */
export function Editor({
  text,
  marks,
  schema,
  change,
  goTo,
  label = "Manifest",
  wrap = false,
}: {
  text: string;
  marks: Mark[];
  schema: unknown;
  change: (text: string) => void;
  goTo: { line: number; times: number } | null;
  label?: string;
  /** Long lines are broken, where there is little room. */
  wrap?: boolean;
}) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const told = useRef(change);
  told.current = change;

  // biome-ignore lint/correctness/useExhaustiveDependencies: the editor is made once; later texts are put into it below
  useEffect(() => {
    if (!place.current) return;
    const made = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          basicSetup,
          yaml(),
          wrap ? EditorView.lineWrapping : [],
          lintGutter(),
          look,
          syntaxHighlighting(colours),
          EditorView.contentAttributes.of({ "aria-label": label }),
          autocompletion({ icons: false, override: schema ? [completeBy(schema)] : undefined }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) told.current(u.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, [schema]);

  useEffect(() => {
    const v = view.current;
    if (v && v.state.doc.toString() !== text) {
      v.dispatch({ changes: { from: 0, to: v.state.doc.length, insert: text } });
    }
  }, [text]);

  useEffect(() => {
    const v = view.current;
    if (!v) return;
    const list: Diagnostic[] = marks
      .filter((m) => m.line >= 1 && m.line <= v.state.doc.lines)
      .map((m) => {
        const line = v.state.doc.line(m.line);
        const from = Math.min(line.from + Math.max(m.column - 1, 0), line.to);
        return { from, to: line.to, severity: m.grave, message: m.text };
      });
    v.dispatch(setDiagnostics(v.state, list));
  }, [marks]);

  useEffect(() => {
    const v = view.current;
    if (!v || !goTo || goTo.line < 1 || goTo.line > v.state.doc.lines) return;
    const line = v.state.doc.line(goTo.line);
    v.dispatch({
      selection: { anchor: line.from },
      effects: EditorView.scrollIntoView(line.from, { y: "center" }),
    });
    v.focus();
  }, [goTo]);

  return <div ref={place} id="manifest" />;
}
