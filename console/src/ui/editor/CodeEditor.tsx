import { acceptCompletion, closeBrackets, closeBracketsKeymap, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import {
  bracketMatching,
  codeFolding,
  foldGutter,
  foldKeymap,
  HighlightStyle,
  indentOnInput,
  syntaxHighlighting,
} from "@codemirror/language";
import { linter, lintKeymap, type Diagnostic } from "@codemirror/lint";
import { highlightSelectionMatches, searchKeymap } from "@codemirror/search";
import { Annotation, Compartment, EditorState, StateEffect, type Extension } from "@codemirror/state";
import { drawSelection, EditorView, keymap } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useLayoutEffect, useRef, type RefObject } from "react";

interface Props {
  label: string;
  text: string;
  readOnly: boolean;
  /** The language, what completes it, and whatever else; as they are at first. */
  extensions: () => Extension[];
  /** What is wrong where; asked for the text as it is, and again when this function is another one. */
  diagnose: (state: EditorState) => Diagnostic[];
  onText: (text: string) => void;
  /** Where the editor can be got at. */
  view?: RefObject<EditorView | null>;
}

const fromOutside = Annotation.define<boolean>();
/** That the problems are others now. */
const judged = StateEffect.define();

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: "var(--color-secondary)" },
  { tag: tags.string, color: "var(--color-success)" },
  { tag: [tags.number, tags.bool, tags.null], color: "var(--color-info)" },
  { tag: [tags.keyword, tags.definitionKeyword, tags.modifier], color: "var(--color-accent)" },
  { tag: tags.lineComment, opacity: "0.65" },
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

/**
 * Where parts of a text are drawn anew around what is selected, such as a colour or a mark, the browser may forget that
 * it is selected, and what is typed next would stand beside it instead of in its place.
 */
function keepSelected(view: EditorView) {
  const { main } = view.state.selection;
  const held = document.getSelection();
  if (main.empty || !view.hasFocus || !held?.isCollapsed || !view.contentDOM.contains(held.anchorNode)) return;
  const [anchor, head] = [view.domAtPos(main.anchor), view.domAtPos(main.head)];
  held.setBaseAndExtent(anchor.node, anchor.offset, head.node, head.offset);
}

/** A text under work: coloured, folded and completed by its language, problems shown where they are. */
export function CodeEditor(props: Props) {
  const place = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView>(null);
  const now = useRef(props);
  useLayoutEffect(() => {
    now.current = props;
  });
  const mayWrite = useRef(new Compartment());
  // what was typed here and has not come back as `text` yet: who types on meanwhile must not be set back by it
  const typed = useRef<string[]>([]);

  useLayoutEffect(() => {
    const view = new EditorView({
      parent: place.current!,
      state: EditorState.create({
        doc: now.current.text,
        extensions: [
          EditorView.cspNonce.of(document.querySelector<HTMLMetaElement>("meta[property=csp-nonce]")?.nonce ?? ""),
          history(),
          codeFolding({ placeholderText: "…" }),
          foldGutter(),
          drawSelection(),
          indentOnInput(),
          bracketMatching(),
          closeBrackets(),
          highlightSelectionMatches(),
          linter((view) => now.current.diagnose(view.state), {
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
          mayWrite.current.of(EditorState.readOnly.of(now.current.readOnly)),
          EditorView.updateListener.of((update) => {
            if (!update.docChanged || update.transactions.some((one) => one.annotation(fromOutside))) return;
            const text = update.state.doc.toString();
            typed.current.push(text);
            now.current.onText(text);
          }),
          EditorView.updateListener.of(({ view }) => keepSelected(view)),
          ...now.current.extensions(),
        ],
      }),
    });
    editor.current = view;
    const { view: outside } = now.current;
    if (outside) outside.current = view;
    return () => view.destroy();
  }, []);

  // before anything else happens: an effect that React puts off may come between what the browser types and the
  // moment at which the editor looks at it, and what is dispatched then makes the editor forget what was typed
  useLayoutEffect(() => {
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
  useLayoutEffect(
    () => editor.current!.dispatch({ effects: mayWrite.current.reconfigure(EditorState.readOnly.of(props.readOnly)) }),
    [props.readOnly],
  );
  useLayoutEffect(() => editor.current!.dispatch({ effects: judged.of(null) }), [props.diagnose]);

  return <div ref={place} />;
}
