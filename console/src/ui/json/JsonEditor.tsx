import { autocompletion } from "@codemirror/autocomplete";
import { json, jsonParseLinter } from "@codemirror/lang-json";
import { syntaxTree } from "@codemirror/language";
import type { Diagnostic } from "@codemirror/lint";
import { RangeSetBuilder, StateEffect, StateField, type EditorState } from "@codemirror/state";
import { Decoration, EditorView, type DecorationSet } from "@codemirror/view";
import { useCallback, useLayoutEffect, useRef } from "react";
import { CodeEditor } from "../editor/CodeEditor";
import { treeOf } from "../editor/tree";
import { completing, type Known } from "./completion";
import { nodeAt, pointerAt } from "./places";
import type { Schema } from "./schema";

interface Props {
  label: string;
  text: string;
  readOnly: boolean;
  /** What the document may say, for completing; and texts that are known besides at a place. */
  completion: { schema: Schema | undefined; known: Known };
  /** What is wrong where (JSON Pointers); shown at the nearest part that is there. */
  problems: { where: string; message: string }[];
  /** The part that is lit. */
  lit: string | null;
  /** The part that is scrolled to: what something else than this text has lit. */
  sought?: string | null;
  onText: (text: string) => void;
  /** The part that is pointed at. */
  onPoint: (pointer: string | null) => void;
}

const light = StateEffect.define<string | null>();
const litLine = Decoration.line({ class: "cm-lit" });

const litLines = StateField.define<{ pointer: string | null; lines: DecorationSet }>({
  create: () => ({ pointer: null, lines: Decoration.none }),
  update({ pointer, lines }, change) {
    for (const one of change.effects) if (one.is(light)) pointer = one.value;
    if (
      !change.docChanged &&
      !change.effects.some((one) => one.is(light)) &&
      syntaxTree(change.startState) === syntaxTree(change.state)
    )
      return { pointer, lines };
    const node = pointer === null ? null : nodeAt(change.state, pointer);
    const made = new RangeSetBuilder<Decoration>();
    if (node && pointerAt(change.state, node) === pointer) {
      const [first, last] = [change.state.doc.lineAt(node.from).number, change.state.doc.lineAt(node.to).number];
      for (let line = first; line <= last; line += 1)
        made.add(change.state.doc.line(line).from, change.state.doc.line(line).from, litLine);
    }
    return { pointer, lines: made.finish() };
  },
  provide: (field) => EditorView.decorations.from(field, (one) => one.lines),
});

/** A JSON text under work: completed by its schema, parts of it lit and pointed at. */
export default function JsonEditor(props: Props) {
  const view = useRef<EditorView>(null);
  const now = useRef(props);
  useLayoutEffect(() => {
    now.current = props;
  });
  const { problems, lit, sought } = props;
  const diagnose = useCallback((state: EditorState) => diagnosed(state, problems), [problems]);
  useLayoutEffect(() => {
    view.current!.dispatch({ effects: light.of(lit) });
  }, [lit]);
  useLayoutEffect(() => {
    const at = view.current!;
    const node = sought ? nodeAt(at.state, sought) : null;
    if (node) at.dispatch({ effects: EditorView.scrollIntoView(node.from, { y: "start", yMargin: 20 }) });
  }, [sought]);

  const point = (at: EditorView, position: number) => {
    const line = at.state.doc.lineAt(position);
    // behind its end, a line stands for what begins on it
    const meant = position >= line.to - 1 ? line.from + Math.max(0, line.text.search(/\S/)) : position;
    now.current.onPoint(pointerAt(at.state, treeOf(at.state).resolveInner(meant, 1)));
  };
  const extensions = () => [
    json(),
    autocompletion({
      override: [(context) => completing(now.current.completion.schema, now.current.completion.known)(context)],
      icons: false,
    }),
    litLines,
    EditorView.updateListener.of((update) => {
      if (update.selectionSet && !update.docChanged && update.view.hasFocus)
        point(update.view, update.state.selection.main.head);
    }),
  ];
  const follow = (event: React.MouseEvent) => {
    const position = view.current!.posAtCoords({ x: event.clientX, y: event.clientY });
    if (position !== null) point(view.current!, position);
  };
  return (
    <div onMouseMove={follow} onMouseLeave={() => props.onPoint(null)}>
      <CodeEditor
        label={props.label}
        text={props.text}
        readOnly={props.readOnly}
        extensions={extensions}
        diagnose={diagnose}
        onText={props.onText}
        view={view}
      />
    </div>
  );
}

/** That the text is no JSON, or what is wrong with what it says. */
function diagnosed(state: EditorState, problems: Props["problems"]): Diagnostic[] {
  const broken = state.doc.length ? jsonParseLinter()({ state } as EditorView) : [];
  if (broken.length) return broken;
  return problems.map((one) => {
    const node = nodeAt(state, one.where);
    return { from: node?.from ?? 0, to: node?.to ?? 0, severity: "error", message: one.message };
  });
}
