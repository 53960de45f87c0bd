import {
  acceptCompletion,
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  completionKeymap,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { json, jsonParseLinter } from "@codemirror/lang-json";
import {
  bracketMatching,
  codeFolding,
  foldGutter,
  foldKeymap,
  HighlightStyle,
  indentOnInput,
  syntaxHighlighting,
  syntaxTree,
} from "@codemirror/language";
import { linter, lintKeymap, type Diagnostic } from "@codemirror/lint";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { Annotation, Compartment, EditorState, RangeSetBuilder, StateEffect, StateField } from "@codemirror/state";
import { Decoration, drawSelection, EditorView, keymap, type DecorationSet } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef, useLayoutEffect } from "react";
import { completing, type Known } from "./completion";
import { nodeAt, pointerAt } from "./places";
import type { Schema } from "./schema";

interface Props {
  label: string;
  text: string;
  readOnly: boolean;
  /** What the document may say, for completing. */
  schema: Schema | undefined;
  /** Texts that are known besides at a place. */
  known: Known;
  /** What is wrong where (JSON Pointers); shown at the nearest part that is there. */
  problems: { where: string; message: string }[];
  /** The part that is lit. */
  lit: string | null;
  onText: (text: string) => void;
  /** The part that is pointed at. */
  onPoint: (pointer: string | null) => void;
}

const fromOutside = Annotation.define<boolean>();
const light = StateEffect.define<string | null>();
/** That the problems are others now. */
const judged = StateEffect.define();
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

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: "var(--color-secondary)" },
  { tag: tags.string, color: "var(--color-success)" },
  { tag: [tags.number, tags.bool, tags.null], color: "var(--color-info)" },
  { tag: [tags.punctuation, tags.separator, tags.bracket], opacity: "0.65" },
]);

const look = EditorView.theme({
  "&": {
    fontSize: "0.75rem",
    border: "1px solid var(--color-base-300)",
    borderRadius: "var(--radius-field)",
    maxHeight: "28rem",
  },
  "&.cm-focused": { outline: "2px solid var(--color-accent)", outlineOffset: "1px" },
  ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "1.5", overflow: "auto" },
  ".cm-content": { caretColor: "var(--color-base-content)", padding: "0.4rem 0" },
  ".cm-cursor": { borderLeftColor: "var(--color-base-content)" },
  "&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground": {
    background: "color-mix(in oklab, var(--color-info) 25%, transparent)",
  },
  ".cm-gutters": {
    background: "var(--color-base-100)",
    color: "color-mix(in oklab, var(--color-base-content) 55%, transparent)",
    border: "none",
  },
  ".cm-lit": { background: "color-mix(in oklab, var(--color-accent) 18%, transparent)" },
  ".cm-matchingBracket": { background: "none" },
  "&.cm-focused .cm-matchingBracket": { background: "color-mix(in oklab, var(--color-accent) 25%, transparent)" },
  ".cm-tooltip, .cm-panels": {
    background: "var(--color-base-100)",
    color: "var(--color-base-content)",
    border: "1px solid var(--color-base-300)",
    borderRadius: "var(--radius-field)",
  },
  ".cm-tooltip.cm-tooltip-autocomplete > ul": { fontFamily: "var(--font-mono)", fontSize: "0.75rem" },
  ".cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]": {
    background: "var(--color-primary)",
    color: "var(--color-primary-content)",
  },
  ".cm-completionDetail": { fontStyle: "normal", opacity: "0.7" },
  ".cm-completionInfo": { fontSize: "0.75rem", maxWidth: "20rem", padding: "0.3rem 0.5rem" },
  ".cm-diagnostic": { fontSize: "0.75rem", padding: "0.2rem 0.5rem" },
});

/** A JSON text under work: coloured, folded and completed by its schema, problems shown where they are. */
export default function JsonEditor(props: Props) {
  const place = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView>(null);
  const now = useRef(props);
  useLayoutEffect(() => {
    now.current = props;
  });
  const mayWrite = useRef(new Compartment());
  // what was typed here and has not come back as `text` yet: who types on meanwhile must not be set back by it
  const typed = useRef<string[]>([]);

  const point = (position: number) => {
    const { state } = editor.current!;
    const line = state.doc.lineAt(position);
    // behind its end, a line stands for what begins on it
    const meant = position >= line.to - 1 ? line.from + Math.max(0, line.text.search(/\S/)) : position;
    now.current.onPoint(pointerAt(state, syntaxTree(state).resolveInner(meant, 1)));
  };
  useEffect(() => {
    const view = new EditorView({
      parent: place.current!,
      state: EditorState.create({
        doc: now.current.text,
        extensions: [
          EditorView.cspNonce.of(document.querySelector<HTMLMetaElement>("meta[property=csp-nonce]")?.nonce ?? ""),
          json(),
          history(),
          codeFolding({ placeholderText: "…" }),
          foldGutter(),
          drawSelection(),
          indentOnInput(),
          bracketMatching(),
          closeBrackets(),
          highlightSelectionMatches(),
          autocompletion({
            override: [(context) => completing(now.current.schema, now.current.known)(context)],
            icons: false,
          }),
          linter(problemsIn, {
            delay: 150,
            needsRefresh: (update) =>
              update.transactions.some((one) => one.effects.some((effect) => effect.is(judged))),
          }),
          keymap.of([
            { key: "Tab", run: acceptCompletion },
            ...closeBracketsKeymap,
            ...defaultKeymap,
            ...searchKeymap,
            ...historyKeymap,
            ...foldKeymap,
            ...completionKeymap,
            ...lintKeymap,
          ]),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": now.current.label }),
          syntaxHighlighting(colours),
          look,
          litLines,
          mayWrite.current.of(EditorState.readOnly.of(now.current.readOnly)),
          EditorView.updateListener.of((update) => {
            if (update.docChanged && !update.transactions.some((one) => one.annotation(fromOutside))) {
              const text = update.state.doc.toString();
              typed.current.push(text);
              now.current.onText(text);
            } else if (update.selectionSet && update.view.hasFocus) point(update.state.selection.main.head);
          }),
        ],
      }),
    });
    function problemsIn(at: EditorView): Diagnostic[] {
      const broken = at.state.doc.length ? jsonParseLinter()(at) : [];
      if (broken.length) return broken;
      return now.current.problems.map((one) => {
        const node = nodeAt(at.state, one.where);
        return { from: node?.from ?? 0, to: node?.to ?? 0, severity: "error", message: one.message };
      });
    }
    editor.current = view;
    return () => view.destroy();
  }, []);

  useEffect(() => {
    const view = editor.current!;
    const before = view.state.doc.toString();
    const own = typed.current.lastIndexOf(props.text);
    if (own >= 0) typed.current = typed.current.slice(own + 1);
    if (own >= 0 || before === props.text) return;
    typed.current = [];
    // only what differs is replaced, so that the cursor stays where it is
    let start = 0;
    while (start < before.length && start < props.text.length && before[start] === props.text[start]) start += 1;
    let end = 0;
    while (
      end < before.length - start &&
      end < props.text.length - start &&
      before[before.length - 1 - end] === props.text[props.text.length - 1 - end]
    )
      end += 1;
    view.dispatch({
      changes: { from: start, to: before.length - end, insert: props.text.slice(start, props.text.length - end) },
      annotations: fromOutside.of(true),
    });
  }, [props.text]);
  useEffect(() => editor.current!.dispatch({ effects: light.of(props.lit) }), [props.lit]);
  useEffect(
    () => editor.current!.dispatch({ effects: mayWrite.current.reconfigure(EditorState.readOnly.of(props.readOnly)) }),
    [props.readOnly],
  );
  useEffect(() => editor.current!.dispatch({ effects: judged.of(null) }), [props.problems]);

  const follow = (event: React.MouseEvent) => {
    const position = editor.current!.posAtCoords({ x: event.clientX, y: event.clientY });
    if (position !== null) point(position);
  };
  return <div ref={place} onMouseMove={follow} onMouseLeave={() => props.onPoint(null)} />;
}
