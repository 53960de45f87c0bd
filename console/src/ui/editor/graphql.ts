/** What a GraphQL text says at a place, as its language's parser reads it, finished or not. */

import type { EditorState } from "@codemirror/state";
import type { SyntaxNode } from "@lezer/common";
import { treeOf } from "./tree";

/** A place where a field may stand: the fields around it, from the outermost. */
export interface FieldPlace {
  path: string[];
  kind: "query" | "mutation" | "subscription";
  /** Where the name that is begun there begins. */
  from: number;
}

/** The place of a field at a position; null where none may stand, or where what may is not known, as in a fragment. */
export function fieldPlaceAt(state: EditorState, position: number): FieldPlace | null {
  const path: string[] = [];
  const name = /[A-Za-z_0-9]*$/.exec(state.sliceDoc(Math.max(0, position - 100), position))?.[0] ?? "";
  const from = position - name.length;
  let node: SyntaxNode | null = treeOf(state).resolveInner(from, -1);
  if (node.name === "}" || node.name === ")") node = node.parent?.parent ?? null;
  let isInSelection = false;
  for (; node; node = node.parent) {
    if (node.name === "Arguments" || node.name === "VariableDefinitions" || node.name.startsWith("String")) return null;
    if (node.name.endsWith("Fragment") || node.name === "FragmentDefinition") return null;
    if (node.name === "SelectionSet") {
      isInSelection = true;
      const field = node.parent;
      const fieldName = field?.name === "Field" ? field.getChild("FieldName") : null;
      if (fieldName) path.unshift(state.sliceDoc(fieldName.from, fieldName.to));
    }
    if (node.name === "OperationDefinition") {
      const type = node.getChild("OperationType");
      const kind = type ? state.sliceDoc(type.from, type.to) : "query";
      return isInSelection ? { path, kind: kind as FieldPlace["kind"], from } : null;
    }
  }
  return null;
}

/** The shortest query that leads to a place, for asking what may stand there. */
export function queryTo({ path, kind }: Pick<FieldPlace, "path" | "kind">): string {
  return `${kind} ${path.reduceRight((inner, name) => `{ ${name} ${inner} }`, "{ __typename }")}`;
}

/** Where a problem that is told by line and column, as by GraphQL's errors, stands in a text. */
export function rangeOf(state: EditorState, where: string): { from: number; to: number } {
  const told = /line (\d+), column (\d+)/.exec(where);
  if (!told || Number(told[1]) > state.doc.lines) return { from: 0, to: 0 };
  const line = state.doc.line(Number(told[1]));
  const from = Math.min(line.from + Number(told[2]) - 1, line.to);
  const word = /^[\w$@]+/.exec(state.sliceDoc(from, line.to))?.[0] ?? "";
  return { from, to: Math.min(from + Math.max(1, word.length), state.doc.length) };
}
