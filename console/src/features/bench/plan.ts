/** What is being made of a response, and its changes: each gives a new plan. */

import { hashKey } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { fieldName, pathOf, sourceOf } from "./paths";

export type RecordTypeDocument = Schemas["RecordTypeDocument"];
export type MappingDocument = Schemas["MappingDocument"];
export type FieldType = NonNullable<RecordTypeDocument["fields"]>[number]["type"];
export const FIELD_TYPES: FieldType[] = ["text", "integer", "decimal", "boolean", "date", "datetime", "json"];

/** What is being made of the response: where the rows are, and the two documents. */
export interface Plan {
  rows: string[];
  typeName: string;
  mappingName: string;
  recordType: RecordTypeDocument;
  mapping: MappingDocument;
  notes: string[];
  /** Record types of the mapping's other outputs, by name. */
  linked: Record<string, RecordTypeDocument>;
  /** Fields whose source was found by likeness, and by what; until someone confirms them or saves. */
  proposed: Record<string, string>;
  /** Those of them that are saved only after someone confirmed them. */
  unsure: string[];
  /** Whether other mappings fill the record type too: its fields stay when this one leaves them out. */
  isShared: boolean;
  /** Lists in a row that could become records of their own. */
  parts: Schemas["ProposedPartShown"][];
}

export type Conversion = NonNullable<Rule["convert"]>[number];
export type Rule = NonNullable<NonNullable<MappingDocument["outputs"]>[number]["fields"]>[number];

export function rulesOf(plan: Plan): Rule[] {
  return plan.mapping.outputs?.[0]?.fields ?? [];
}

export function takenPaths(plan: Plan): Map<string, string> {
  return new Map(
    rulesOf(plan).flatMap((rule) => {
      const path = pathOf(rule.from, plan.mapping.format);
      return path ? [[path, rule.name] as const] : [];
    }),
  );
}

function withParts(plan: Plan, fields: RecordTypeDocument["fields"], rules: Rule[], key?: string[]): Plan {
  const output = plan.mapping.outputs?.[0];
  if (!output) return plan;
  return {
    ...plan,
    recordType: { ...plan.recordType, fields, key: key ?? plan.recordType.key },
    mapping: { ...plan.mapping, outputs: [{ ...output, fields: rules }, ...(plan.mapping.outputs ?? []).slice(1)] },
  };
}

/** Takes a value: for a field of its own, or for one that is there and that nothing fills yet. */
export function take(
  plan: Plan,
  path: string,
  type: FieldType,
  convert: Conversion[] = [],
  into: string | null = null,
): Plan {
  const fields = plan.recordType.fields ?? [];
  if (into) {
    const isSame = fields.find((one) => one.name === into)?.type === type;
    return withParts(plan, fields, [
      ...rulesOf(plan),
      {
        name: into,
        from: sourceOf(path),
        ...(isSame && convert.length ? { convert } : {}),
        ...(plan.recordType.key?.includes(into) ? { required: true } : {}),
      },
    ]);
  }
  const name = fieldName(
    path,
    fields.map((one) => one.name),
  );
  const rule: Rule = { name, from: sourceOf(path), ...(convert.length ? { convert } : {}) };
  return withParts(plan, [...fields, { name, type, searchable: type !== "json" }], [...rulesOf(plan), rule]);
}

/** Says that what was proposed for a field is right. */
export function confirm(plan: Plan, name: string): Plan {
  return { ...plan, proposed: Object.fromEntries(Object.entries(plan.proposed).filter(([one]) => one !== name)) };
}

/** Its fields that no rule fills. */
export function openFields(plan: Plan) {
  const filled = new Set(rulesOf(plan).map((one) => one.name));
  return (plan.recordType.fields ?? []).filter((one) => !filled.has(one.name));
}

/** Whether two documents say the same, whatever the order of their members. */
export function isSame(one: unknown, other: unknown): boolean {
  return hashKey([one]) === hashKey([other]);
}

/** Changes how a field gets its value: its steps, and what a failure does. */
export function setRule(plan: Plan, name: string, change: Partial<Pick<Rule, "convert" | "on_failure">>): Plan {
  return withParts(
    plan,
    plan.recordType.fields,
    rulesOf(plan).map((one) => (one.name === name ? { ...one, ...change } : one)),
  );
}

export function leave(plan: Plan, name: string): Plan {
  if (plan.isShared)
    return withParts(
      plan,
      plan.recordType.fields,
      rulesOf(plan).filter((one) => one.name !== name),
    );
  const key = (plan.recordType.key ?? []).filter((one) => one !== name);
  return withParts(
    plan,
    (plan.recordType.fields ?? []).filter((one) => one.name !== name),
    rulesOf(plan).filter((one) => one.name !== name),
    key,
  );
}

export function conditionsOf(plan: Plan) {
  return plan.mapping.outputs?.[0]?.where ?? [];
}

export function dropCondition(plan: Plan, number: number): Plan {
  const output = plan.mapping.outputs?.[0];
  if (!output) return plan;
  return {
    ...plan,
    mapping: {
      ...plan.mapping,
      outputs: [
        { ...output, where: conditionsOf(plan).filter((_, at) => at !== number) },
        ...(plan.mapping.outputs ?? []).slice(1),
      ],
    },
  };
}

export type Condition = NonNullable<NonNullable<MappingDocument["outputs"]>[number]["where"]>[number];

/** Lets only rows pass that pass this condition too, in place of any other on the same value. */
export function withCondition(plan: Plan, condition: Condition): Plan {
  const output = plan.mapping.outputs?.[0];
  if (!output) return plan;
  const where = [
    ...(output.where ?? []).filter((one) => JSON.stringify(one.from) !== JSON.stringify(condition.from)),
    condition,
  ];
  return {
    ...plan,
    mapping: { ...plan.mapping, outputs: [{ ...output, where }, ...(plan.mapping.outputs ?? []).slice(1)] },
  };
}

/** Lets only rows pass that have this text in this member of theirs. */
export function only(plan: Plan, member: string, text: string): Plan {
  const from = sourceOf(
    `$${/^[A-Za-z_][A-Za-z0-9_]*$/.test(member) ? `.${member}` : `[${JSON.stringify(member)}]`}`,
  ) as Condition["from"];
  return withCondition(plan, { from, is: "equal", value: text });
}

/** Whether one object in place of the list of rows is taken for the only one in it. */
export function isOrOne(plan: Plan): boolean {
  return plan.mapping.outputs?.[0]?.rows?.slice(-1)[0]?.or_one ?? false;
}

export function setOrOne(plan: Plan, orOne: boolean): Plan {
  const output = plan.mapping.outputs?.[0];
  const rows = output?.rows ?? [];
  const last = rows[rows.length - 1];
  if (!output || !last) return plan;
  const { or_one: _, ...plain } = last;
  return {
    ...plan,
    mapping: {
      ...plan.mapping,
      outputs: [
        { ...output, rows: [...rows.slice(0, -1), orOne ? { ...plain, or_one: true } : plain] },
        ...(plan.mapping.outputs ?? []).slice(1),
      ],
    },
  };
}

/** Renames a field; to the name of one that nothing fills yet, that one is filled with its value. */
export function rename(plan: Plan, from: string, to: string): Plan {
  const swap = (name: string) => (name === from ? to : name);
  if (plan.recordType.fields?.some((one) => one.name === to)) {
    const rules = rulesOf(plan).map((one) => ({
      ...one,
      name: swap(one.name),
      ...(plan.recordType.key?.includes(to) && one.name === from ? { required: true } : {}),
    }));
    return withParts(
      plan,
      plan.recordType.fields.filter((one) => one.name !== from),
      rules,
    );
  }
  return withParts(
    plan,
    (plan.recordType.fields ?? []).map((one) => ({ ...one, name: swap(one.name) })),
    rulesOf(plan).map((one) => ({ ...one, name: swap(one.name) })),
    (plan.recordType.key ?? []).map(swap),
  );
}

export function setField(plan: Plan, name: string, change: { type?: FieldType; unit?: string }): Plan {
  return withParts(
    plan,
    (plan.recordType.fields ?? []).map((one) => (one.name === name ? { ...one, ...change } : one)),
    rulesOf(plan),
  );
}

export function toggleKey(plan: Plan, name: string): Plan {
  const key = plan.recordType.key ?? [];
  const next = key.includes(name) ? key.filter((one) => one !== name) : [...key, name];
  return withParts(
    plan,
    plan.recordType.fields,
    rulesOf(plan).map((rule) => (rule.name === name ? { ...rule, required: next.includes(name) } : rule)),
    next,
  );
}

export function renameType(plan: Plan, typeName: string): Plan {
  const outputs = (plan.mapping.outputs ?? []).map((one, number) =>
    number === 0 ? { ...one, record_type: typeName } : one,
  );
  const linked = Object.fromEntries(
    Object.entries(plan.linked).map(([name, type]) => [name, linkedTo(type, plan.typeName, typeName)]),
  );
  return { ...plan, typeName, linked, mapping: { ...plan.mapping, outputs } };
}

function linkedTo(type: RecordTypeDocument, from: string, to: string): RecordTypeDocument {
  return {
    ...type,
    links: (type.links ?? []).map((one) => (one.record_type === from ? { ...one, record_type: to } : one)),
  };
}

/**
 * Makes a list in each row records of their own, which belong to the row's; they are named after it, also if it was
 * renamed meanwhile.
 */
export function addPart(plan: Plan, proposed: Schemas["ProposedPartShown"]): Plan {
  const part = namedFor(proposed, plan.typeName);
  return {
    ...plan,
    linked: { ...plan.linked, [part.name]: part.record_type },
    mapping: { ...plan.mapping, outputs: [...(plan.mapping.outputs ?? []), part.output] },
  };
}

export function namedFor(part: Schemas["ProposedPartShown"], typeName: string): Schemas["ProposedPartShown"] {
  const before = part.record_type.links?.[0]?.record_type ?? typeName;
  if (before === typeName) return part;
  const held = new Set(part.record_type.links?.flatMap((one) => one.fields));
  const field = (name: string) =>
    held.has(name) ? name.replace(before.replaceAll("-", "_"), typeName.replaceAll("-", "_")) : name;
  const name = part.name.replace(before, typeName);
  const { fields = [], key = [], links = [] } = part.record_type;
  return {
    name,
    path: part.path,
    record_type: {
      ...part.record_type,
      fields: fields.map((one) => ({ ...one, name: field(one.name) })),
      key: key.map(field),
      links: links.map((one) => ({ record_type: typeName, fields: one.fields.map(field) })),
    },
    output: {
      ...part.output,
      record_type: name,
      fields: part.output.fields?.map((one) => ({ ...one, name: field(one.name) })),
    },
  };
}

export function dropPart(plan: Plan, name: string): Plan {
  const linked = Object.fromEntries(Object.entries(plan.linked).filter(([one]) => one !== name));
  return {
    ...plan,
    linked,
    mapping: {
      ...plan.mapping,
      outputs: (plan.mapping.outputs ?? []).filter((one, number) => number === 0 || one.record_type !== name),
    },
  };
}
