import { acceptCompletion, autocompletion, type CompletionContext } from "@codemirror/autocomplete";
import { yaml } from "@codemirror/lang-yaml";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap } from "@codemirror/view";
import { basicSetup } from "codemirror";
import { useEffect, useRef } from "react";
import { offersAt, type Schema } from "./completion";

/** An error of a brief, with its place from 1. */
export interface BriefError {
  line: number;
  column: number;
  message: string;
  expected: string;
}

interface Props {
  text: string;
  schema: Schema;
  errors: BriefError[];
  label: string;
  onChange: (text: string) => void;
}

/** The text of a brief, with what may be written where and errors at their lines. */
export default function BriefEditor({ text, schema, errors, label, onChange }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const changed = useRef(onChange);
  changed.current = onChange;
  const begun = useRef(text);

  useEffect(() => {
    const offers = (context: CompletionContext) => {
      const { from, offers } = offersAt(schema, context.state.doc.toString(), context.pos);
      if (!context.explicit && from === context.pos) return null;
      return { from, options: offers.map((o) => ({ label: o.label, apply: o.text, info: o.detail })) };
    };
    const editor = new EditorView({
      parent: place.current as HTMLElement,
      state: EditorState.create({
        doc: begun.current,
        extensions: [
          basicSetup,
          yaml(),
          lintGutter(),
          // An offer is taken at once, however quickly the tabulator follows.
          autocompletion({ override: [offers], interactionDelay: 0 }),
          // The tabulator takes an offer; else it leaves the editor, as everywhere on a page.
          keymap.of([{ key: "Tab", run: acceptCompletion }]),
          EditorView.contentAttributes.of({ "aria-label": label, tabindex: "0" }),
          EditorView.updateListener.of((u) => u.docChanged && changed.current(u.state.doc.toString())),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, [schema, label]);

  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const found = errors.map((e): Diagnostic => {
      const line = editor.state.doc.line(Math.min(Math.max(e.line, 1), editor.state.doc.lines));
      const from = Math.min(line.from + Math.max(e.column - 1, 0), line.to);
      return { from, to: line.to, severity: "error", message: `${e.message} Expected ${e.expected}.` };
    });
    editor.dispatch(setDiagnostics(editor.state, found));
  }, [errors]);

  return <div ref={place} className="editor" />;
}
