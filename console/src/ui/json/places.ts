import type { EditorState } from "@codemirror/state";
import type { SyntaxNode } from "@lezer/common";
import { treeOf } from "../editor/tree";

/** The steps of a JSON Pointer (RFC 6901), unescaped. */
export function stepsOf(pointer: string): string[] {
  return pointer
    .split("/")
    .slice(1)
    .map((step) => step.replaceAll("~1", "/").replaceAll("~0", "~"));
}

function pointerOf(steps: string[]): string {
  return steps.map((step) => `/${step.replaceAll("~", "~0").replaceAll("/", "~1")}`).join("");
}

const VALUES = new Set(["Object", "Array", "String", "Number", "True", "False", "Null"]);

/** The values in a node: elements of a list, or the one of a member. */
function valuesIn(node: SyntaxNode): SyntaxNode[] {
  const found: SyntaxNode[] = [];
  for (let child = node.firstChild; child; child = child.nextSibling) if (VALUES.has(child.name)) found.push(child);
  return found;
}

/** A name or text as it is meant; as far as it is written, if it is not closed yet. */
export function textOf(state: EditorState, node: SyntaxNode): string {
  const written = state.sliceDoc(node.from, node.to);
  try {
    return String(JSON.parse(written));
  } catch {
    return written.replace(/^"|"$/g, "");
  }
}

export function nameOf(state: EditorState, property: SyntaxNode): string {
  const name = property.getChild("PropertyName");
  return name ? textOf(state, name) : "";
}

/** The plain texts among an object's members, by name. */
export function textsIn(state: EditorState, object: SyntaxNode): Map<string, string> {
  return new Map(
    object
      .getChildren("Property")
      .map((one) => [nameOf(state, one), one.getChild("String") ? textOf(state, one.getChild("String")!) : ""]),
  );
}

/** The pointer of the value that a node is, or is in. */
export function pointerAt(state: EditorState, node: SyntaxNode): string {
  const steps: string[] = [];
  for (let one: SyntaxNode | null = node; one; one = one.parent) {
    if (one.name === "Property") steps.unshift(nameOf(state, one));
    else if (one.parent?.name === "Array" && VALUES.has(one.name))
      steps.unshift(String(valuesIn(one.parent).findIndex((other) => other.from === one.from)));
  }
  return pointerOf(steps);
}

/** The value at a pointer, or as much of the way to it as there is. */
export function nodeAt(state: EditorState, pointer: string): SyntaxNode | null {
  let node = treeOf(state).topNode.firstChild;
  for (const step of stepsOf(pointer)) {
    const inner: SyntaxNode | undefined =
      node?.name === "Array"
        ? valuesIn(node)[Number(step)]
        : node?.getChildren("Property").find((one) => nameOf(state, one) === step);
    if (!inner) return node;
    node = inner.name === "Property" ? (valuesIn(inner)[0] ?? inner) : inner;
  }
  return node;
}
