/** What stands on the bench, saved or not, and how it changes: one reducer. */

import { Problem, type Schemas } from "../../api/client";
import { asText } from "../../ui/text";
import { isReading, withPasted, type OperationDocument, type RecordGiven, type Trial } from "./bench";
import { fromRow, pathOf } from "./paths";
import { leave, only, rename, rulesOf, setField, take, type Conversion, type FieldType, type Plan } from "./plan";

export type Operation = Schemas["Operation"];

export interface Draft {
  /** The operation as it is saved, null for one that is not yet. */
  item: Operation | null;
  /** Empty for a one-off. */
  service: string;
  /** What the service of a one-off is to be called. */
  serviceTitle: string;
  /** Where a one-off goes. */
  base: string;
  title: string;
  document: OperationDocument;
  values: Record<string, string>;
  environment: string;
  /** Fills inputs that are left empty. */
  record: RecordGiven | null;
  isDescribing: boolean;
  /** What was pasted, if the connection would send it elsewhere; somebody has to say whether that is meant. */
  elsewhere: Schemas["PasteParts"] | null;
  /** What was sent, pasted or kept, and is looked at. */
  response: Trial | null;
  /** The body of the response before this one. */
  bodyBefore: string | null;
  keptSample: string | null;
  plan: Plan | null;
  savedPlan: Plan | null;
  /** The field that the next value taken is for. */
  aim: string | null;
}

/** Parts that are set as they are. */
type Plain = Pick<
  Draft,
  "serviceTitle" | "base" | "title" | "document" | "values" | "environment" | "record" | "isDescribing" | "aim" | "plan"
>;

export type Action =
  | { type: "set"; to: Partial<Plain> }
  | { type: "pasted"; parts: Schemas["PasteParts"]; isMeant?: boolean }
  | { type: "left as it is" }
  | { type: "sent" }
  | { type: "received"; response: Trial; sample?: string }
  | { type: "kept"; sample: string }
  | { type: "saved"; item: Operation }
  | { type: "theirs taken"; item: Operation }
  | { type: "proposed"; plan: Plan }
  | { type: "plan saved" }
  | { type: "take"; path: string; as: FieldType; convert: Conversion[] }
  | { type: "leave"; field: string }
  | { type: "only"; member: string; text: string }
  | { type: "correct"; correction: Schemas["Correction"] };

/** Values of an operation's inputs as they stand in its fields. */
export function asValues(document: Draft["document"], given: Record<string, unknown>): Record<string, string> {
  const values: Record<string, string> = {};
  for (const { name } of document.inputs ?? []) {
    const value = given[name];
    if (value !== undefined && value !== null) values[name] = asText(value);
  }
  return values;
}

/** The draft that a saved operation begins with; one without an operation is new. */
export function begun(
  service: string,
  found: { item: Operation; lastInputs: Record<string, unknown>; plan: Plan | null } | null,
): Draft {
  const document = found?.item.document ?? {};
  const tried = Object.fromEntries((document.inputs ?? []).map((one) => [one.name, one.try_value]));
  const values = { ...asValues(document, tried), ...asValues(document, found?.lastInputs ?? {}) };
  return {
    item: found?.item ?? null,
    service: found?.item.service ?? service,
    serviceTitle: "",
    base: "",
    title: found?.item.title ?? "",
    document,
    values,
    environment: "test",
    record: null,
    isDescribing: !document.path || document.path === "/",
    elsewhere: null,
    response: null,
    bodyBefore: null,
    keptSample: null,
    plan: found?.plan ?? null,
    savedPlan: found?.plan ?? null,
    aim: null,
  };
}

export function reduce(draft: Draft, action: Action): Draft {
  switch (action.type) {
    case "set":
      return { ...draft, ...action.to };
    case "pasted":
      return action.parts.difference && !action.isMeant
        ? { ...draft, elsewhere: action.parts }
        : {
            ...draft,
            elsewhere: null,
            document: withPasted(draft.document, action.parts),
            base: draft.service ? draft.base : action.parts.base_address || draft.base,
            title: draft.title || action.parts.title,
          };
    case "left as it is":
      return { ...draft, elsewhere: null };
    case "sent":
      return { ...draft, response: null, bodyBefore: draft.response?.body ?? null, keptSample: null };
    case "received":
      return { ...draft, response: action.response, keptSample: action.sample ?? null };
    case "kept":
      return { ...draft, keptSample: action.sample };
    case "saved":
      return { ...draft, item: action.item, service: action.item.service, document: action.item.document };
    case "theirs taken":
      return { ...draft, item: action.item, title: action.item.title, document: action.item.document };
    case "proposed":
      return {
        ...draft,
        plan: action.plan,
        document: { ...draft.document, response: { ...draft.document.response, rows: action.plan.rows } },
      };
    case "plan saved": {
      const plan = draft.plan && { ...draft.plan, proposed: {}, unsure: [] };
      return { ...draft, plan, savedPlan: plan, aim: null };
    }
    case "take":
      return {
        ...draft,
        plan: draft.plan && take(draft.plan, action.path, action.as, action.convert, draft.aim),
        aim: null,
      };
    case "leave":
      return { ...draft, plan: draft.plan && leave(draft.plan, action.field) };
    case "only":
      return { ...draft, plan: draft.plan && only(draft.plan, action.member, action.text) };
    case "correct":
      return corrected(draft, action.correction);
  }
}

/** With a correction of the response's schema, also in the field that takes its value from there. */
function corrected(draft: Draft, correction: Schemas["Correction"]): Draft {
  const others = correctionsOf(draft).filter((one) => one.path !== correction.path);
  const document = {
    ...draft.document,
    response: { ...draft.document.response, corrections: [...others, correction] },
  };
  let { plan } = draft;
  const relative = plan && fromRow(correction.path, plan.rows);
  const format = plan?.mapping.format;
  const rule = plan && relative ? rulesOf(plan).find((one) => pathOf(one.from, format) === relative) : undefined;
  if (plan && rule) {
    if (correction.type) plan = setField(plan, rule.name, { type: correction.type });
    if (correction.name && /^[a-z][a-z0-9_-]*$/.test(correction.name)) plan = rename(plan, rule.name, correction.name);
  }
  return { ...draft, document, plan };
}

export function correctionsOf(draft: Draft): Schemas["Correction"][] {
  return draft.document.response?.corrections ?? [];
}

/** Whether the operation is not as it is saved. */
export function isChanged({ item, title, document }: Draft): boolean {
  return title !== (item?.title ?? "") || JSON.stringify(document) !== JSON.stringify(item?.document ?? {});
}

/** Whether the plan is not as it is saved. */
export function isPlanChanged({ plan, savedPlan }: Draft): boolean {
  return plan !== null && JSON.stringify(plan) !== JSON.stringify(savedPlan);
}

/** The body of a response that can become records, null if there is none. */
export function bodyOf(response: Trial | null): string | null {
  const isGood = response?.outcome?.is_good && response.outcome.kind !== "nothing_found";
  return response?.body && !response.unreadable && isGood ? response.body : null;
}

/** Whether sending it may change something at the service though no input has a value. */
export function isEmpty({ document, values, record }: Draft): boolean {
  const inputs = document.inputs ?? [];
  return (
    inputs.length > 0 &&
    !record &&
    inputs.every((one) => one.default === undefined && (values[one.name] === undefined || values[one.name] === ""))
  );
}

/** Why it is not sent yet, empty if it can be. */
export function whyNotSent(
  draft: Draft,
  at: { mayTry: boolean; isTakingApart: boolean; problems: number; confirmed: boolean },
): string {
  if (!at.mayTry) return "Your role in this project does not send.";
  if (at.isTakingApart) return "Not before what was pasted is taken apart.";
  if (at.problems > 0) return "Not before what is said above is mended.";
  return !isReading(draft.document) && !at.confirmed ? "It is sent when you have said so above." : "";
}

/** The operation as somebody else has saved it meanwhile, if that is why it was not saved. */
export function savedMeanwhile(error: unknown): Operation | null {
  return error instanceof Problem && error.code === "changed_meanwhile" ? (error.document.current as Operation) : null;
}
