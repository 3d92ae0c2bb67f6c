import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { toml } from "@codemirror/legacy-modes/mode/toml";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import "./document.css";

export interface Mark {
  line: number;
  column: number;
  severity: "error" | "warning" | "info";
  message: string;
}

interface Props {
  text: string;
  marks?: Mark[];
  line?: number;
  readOnly?: boolean;
  label: string;
  change?: (text: string) => void;
}

const look = EditorView.theme({
  "&": { fontSize: "12.5px", backgroundColor: "transparent", color: "inherit", height: "100%" },
  ".cm-content": { fontFamily: "'JetBrains Mono', monospace", caretColor: "var(--r-accent)" },
  ".cm-cursor": { borderLeftColor: "var(--r-accent)" },
  ".cm-gutters": { backgroundColor: "transparent", color: "var(--mantine-color-dimmed)", border: "none" },
  ".cm-activeLine": { backgroundColor: "color-mix(in srgb, var(--r-accent) 8%, transparent)" },
  ".cm-selectionBackground, &.cm-focused .cm-selectionBackground": {
    backgroundColor: "color-mix(in srgb, var(--r-accent) 28%, transparent) !important",
  },
  ".cm-tooltip": { backgroundColor: "var(--r-panel)", border: "1px solid var(--r-line)", color: "inherit" },
  "&.cm-focused": { outline: "none" },
});
const colours = HighlightStyle.define([
  { tag: tags.comment, color: "var(--mantine-color-dimmed)", fontStyle: "italic" },
  { tag: tags.string, color: "var(--r-done)" },
  { tag: [tags.number, tags.atom, tags.bool], color: "var(--r-note)" },
  { tag: [tags.propertyName, tags.atom], color: "var(--r-accent)" },
]);

/** A document's text, with line numbers and what was found at its lines. */
export default function TextEditor({ text, marks, line, readOnly, label, change }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const told = useRef(change);
  told.current = change;

  useEffect(() => {
    const made = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          history(),
          highlightActiveLine(),
          lintGutter(),
          StreamLanguage.define(toml),
          syntaxHighlighting(colours),
          look,
          keymap.of([...defaultKeymap, ...historyKeymap, ...(readOnly ? [] : [indentWithTab])]),
          EditorState.readOnly.of(Boolean(readOnly)),
          EditorView.contentAttributes.of({ "aria-label": label, tabindex: "0" }),
          EditorView.lineWrapping,
          EditorView.updateListener.of((update) => {
            if (update.docChanged) told.current?.(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
    // The text comes in below: a new one must not make a new editor.
  }, [readOnly, label]);

  useEffect(() => {
    const now = view.current;
    if (now && now.state.doc.toString() !== text) {
      now.dispatch({ changes: { from: 0, to: now.state.doc.length, insert: text } });
    }
  }, [text]);

  useEffect(() => {
    const now = view.current;
    if (!now) return;
    const found: Diagnostic[] = (marks ?? []).map((mark) => {
      const at = now.state.doc.line(Math.min(Math.max(mark.line, 1), now.state.doc.lines));
      const from = Math.min(at.from + Math.max(mark.column - 1, 0), at.to);
      return { from, to: at.to, severity: mark.severity, message: mark.message };
    });
    now.dispatch(setDiagnostics(now.state, found));
  }, [marks, text]);

  useEffect(() => {
    const now = view.current;
    if (!now || !line) return;
    const at = now.state.doc.line(Math.min(line, now.state.doc.lines));
    now.dispatch({ selection: { anchor: at.from }, effects: EditorView.scrollIntoView(at.from, { y: "center" }) });
  }, [line, text]);

  return <div ref={host} className="text-editor" />;
}
