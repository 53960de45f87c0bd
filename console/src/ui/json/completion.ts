import {
  pickedCompletion,
  snippet,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from "@codemirror/autocomplete";
import type { EditorState } from "@codemirror/state";
import type { EditorView } from "@codemirror/view";
import type { SyntaxNode } from "@lezer/common";
import { treeOf } from "../editor/tree";
import { nodeAt, pointerAt, stepsOf, textsIn } from "./places";
import { begun, kindsOf, schemasAt, type Schema } from "./schema";

/** What else is known of the texts at a place, such as the paths of a row. */
export type Known = (pointer: string) => { text: string; detail: string }[];

/** Offers the members and values that a schema allows at the cursor, and what else is known. */
export function completing(schema: Schema | undefined, known: Known) {
  return (context: CompletionContext): CompletionResult | null => {
    const { state, pos } = context;
    const node = treeOf(state).resolveInner(pos, -1);
    if (node.name === "PropertyName")
      return schema
        ? {
            ...members(
              state,
              schema,
              node.parent!.parent!,
              /^\s*:/.test(state.sliceDoc(node.to, node.to + 20)) ? ["", null] : ["", ""],
            ),
            ...within(state, node),
          }
        : null;
    if (node.name === "String") return values(state, schema, known, node);
    const object =
      node.name === "Object" ? node : node.name === "{" || node.name === "," || node.name === "⚠" ? node.parent : null;
    if (context.explicit && schema && object?.name === "Object")
      return { ...members(state, schema, object, commas(state, object, pos)), from: pos };
    return null;
  };
}

function toldAt(state: EditorState, pointer: string) {
  const steps = pointer.split("/");
  return (depth: number) => {
    const node = nodeAt(state, steps.slice(0, depth + 1).join("/"));
    return node?.name === "Object" ? textsIn(state, node) : new Map<string, string>();
  };
}

/** What is between a text's quote marks, as far as they are there. */
function within(state: EditorState, text: SyntaxNode): { from: number; to: number } {
  const isClosed = text.to > text.from + 1 && state.sliceDoc(text.to - 1, text.to) === '"';
  return { from: text.from + 1, to: isClosed ? text.to - 1 : text.to };
}

/** Puts a template in place of a text with its quote marks. */
function inPlaceOfText(template: string) {
  const put = snippet(template);
  return (view: EditorView, completion: Completion, from: number, to: number) => {
    const isBegun = view.state.sliceDoc(from - 1, from) === '"';
    const isClosed = view.state.sliceDoc(to, to + 1) === '"';
    put(view, completion, isBegun ? from - 1 : from, isBegun && isClosed ? to + 1 : to);
  };
}

/** The commas that a member needs that is put among others. */
function commas(state: EditorState, object: SyntaxNode, position: number): [string, string] {
  const others = object.getChildren("Property");
  const before = others.filter((one) => one.to <= position).pop();
  const after = others.find((one) => one.from >= position);
  return [
    before && !state.sliceDoc(before.to, position).includes(",") ? ", " : "",
    after && !state.sliceDoc(position, after.from).includes(",") ? ", " : "",
  ];
}

/**
 * The members that an object may have besides those that it has. around: what stands before and behind one that is put
 * there; a null behind: its value is there already.
 */
function members(
  state: EditorState,
  schema: Schema,
  object: SyntaxNode,
  around: [string, string | null],
): CompletionResult {
  const pointer = pointerAt(state, object);
  const there = new Set(textsIn(state, object).keys());
  const found = new Map<string, { kinds: Schema[]; isRequired: boolean }>();
  for (const one of schemasAt(schema, pointer, toldAt(state, pointer))) {
    for (const [name, member] of Object.entries(one.properties ?? {})) {
      const known = found.get(name) ?? { kinds: [], isRequired: false };
      found.set(name, {
        kinds: [...known.kinds, member],
        isRequired: known.isRequired || (one.required?.includes(name) ?? false),
      });
    }
  }
  const options = [...found]
    .filter(([name]) => !there.has(name))
    .map(([name, { kinds, isRequired }]): Completion => {
      const member =
        kinds.length === 1
          ? kinds[0]!
          : { anyOf: kinds, description: kinds.find((one) => one.description)?.description };
      const put = around[1] === null ? "" : `: ${begun(schema, member)}${around[1]}`;
      return {
        label: name,
        detail: kindsOf(schema, member),
        info: member.description,
        type: "property",
        boost: isRequired ? 1 : 0,
        apply: inPlaceOfText(`${around[0]}${JSON.stringify(name)}${put}`),
      };
    });
  return { from: 0, options };
}

function values(state: EditorState, schema: Schema | undefined, known: Known, at: SyntaxNode): CompletionResult | null {
  const pointer = pointerAt(state, at);
  const offered = new Map<string, Completion>();
  const add = (text: string, more: Partial<Completion>) =>
    offered.set(text, { label: text, type: "constant", apply: asText, ...more });
  for (const one of known(pointer)) add(one.text, { detail: one.detail, boost: 1 });
  if (schema) {
    // what the text itself says must not leave out what else it could say
    const own = stepsOf(pointer).pop() ?? "";
    const told = toldAt(state, pointer);
    for (const one of schemasAt(schema, pointer, (depth) => new Map([...told(depth)].filter(([name]) => name !== own))))
      for (const value of one.enum ?? []) if (typeof value === "string") add(value, { info: one.description });
  }
  return offered.size ? { ...within(state, at), options: [...offered.values()] } : null;
}

/** A plain text written out within quote marks; nothing in it is a template. */
function asText(view: EditorView, completion: Completion, from: number, to: number) {
  const isClosed = view.state.sliceDoc(to, to + 1) === '"';
  const insert = `${JSON.stringify(completion.label)}`.slice(1);
  view.dispatch({
    changes: { from, to: isClosed ? to + 1 : to, insert },
    selection: { anchor: from + insert.length },
    annotations: pickedCompletion.of(completion),
    userEvent: "input.complete",
  });
}
