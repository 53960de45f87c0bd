import type { Schemas } from "../../api/client";
import { asText } from "../../ui/text";

export type Document = Schemas["FlowDocument"];
export type Step = NonNullable<Document["steps"]>[number];
export type Source = Schemas["FlowSource"];
export type AskStep = Extract<Step, { type: "ask" }>;
type Rule = NonNullable<AskStep["on_failure"]>[number];

/** A source in words: `number`, `tree › body.girth`, `"fixed"`. */
export function sourceWords(source: Source): string {
  const at = pathWords(source.at ?? "");
  const path = at ? ` › ${at}` : "";
  const end = `${path}${source.convert?.length ? ", converted" : ""}`;
  if (source.input) return source.input + end;
  if (source.result) return source.result + end;
  if (source.kept) return source.kept + end;
  if (source.standing) return `standing value ${source.standing}${end}`;
  if (source.item) return `the one that it is asked for${end}`;
  if (source.position) return `its number${end}`;
  if (source.failure) return `the failure${end}`;
  if (source.undone) return `what is taken back${end}`;
  if (source.caller) return `the caller${end}`;
  if (source.members) return `an object of ${Object.keys(source.members).join(", ")}${end}`;
  if (source.several) return `a list of ${together(source.several)}${end}`;
  if (source.joined) return `${together(source.joined)}, one after the other${end}`;
  if (source.first_of) return `the first there is of ${together(source.first_of)}${end}`;
  return `${JSON.stringify(source.value)}${end}`;
}

/** A path as it is written, in whichever language. */
export const pathWords = (at: NonNullable<Source["at"]>) =>
  typeof at === "string" ? at : (Object.values(at).find(Boolean) ?? "");

const together = (sources: Source[]) => sources.map(sourceWords).join(", ");

/** The names of all steps, however deep they stand, in their order. */
export function namesOf(steps: Step[]): string[] {
  return steps.flatMap((step) => [step.name, ...within(step).flatMap(namesOf)]);
}

/** The lists of steps that stand in a step. */
function within(step: Step): Step[][] {
  const ways = step.type === "decide" ? [...(step.ways ?? []).map((way) => way.steps), step.otherwise] : [];
  const rules = "on_failure" in step ? (step.on_failure ?? []) : [];
  return [...ways, ...rules.map((rule) => (rule.type === "instead" ? rule.steps : []))].map((list) => list ?? []);
}

/** What a step does, as one would tell a colleague. */
export function stepWords(step: Step): string {
  if (step.title) return step.title;
  switch (step.type) {
    case "ask":
      if (step.ask) return `Ask ${asked(step.ask)}`;
      if (step.each) return `Ask ${asked(step.each.ask)} for each of ${sourceWords(step.each.of)}`;
      return `Ask ${step.together?.map(asked).join(", ") ?? ""} at once`;
    case "records":
      return { find: "Find", keep: "Keep", change: "Change", remove: "Remove" }[step.action] + ` a ${step.record_type}`;
    case "decide":
      return "Decide";
    case "pause":
      if (step.person) return `Ask a person: ${step.person.question}`;
      if (step.callback) return `Wait for a request${step.callback.webhook ? ` to ${step.callback.webhook}` : ""}`;
      return step.until ? `Wait until ${sourceWords(step.until)}` : `Wait ${time(step.seconds ?? 0)}`;
    case "end":
      return step.fail ? `End as failed: ${sourceWords(step.fail)}` : "Reply";
  }
}

export const asked = (ask: Schemas["Asked"] | Schemas["Ask"]) =>
  ask.operation || (ask.flow ? `flow ${ask.flow}` : `records of ${ask.record_type ?? ""}`);

/** What goes for a step besides what it does, a line each. */
export function ruleWords(step: Step): string[] {
  const lines: string[] = [];
  if (step.only?.roles?.length) lines.push(`only if ${step.only.roles.join(" or ")} began it`);
  if (step.only?.when?.length) lines.push(`only if ${step.only.when.map(conditionWords).join(" and ")}`);
  if (step.type === "ask" && !step.ask) lines.push(successWords(step));
  if (step.type === "ask" && step.gather) lines.push(`brings ${step.gather.record_type} together`);
  if (step.type === "pause" && step.person) {
    const people = [...(step.person.people ?? []), ...(step.person.roles ?? [])];
    if (people.length) lines.push(`${people.join(" or ")} may answer`);
  }
  if ("time_limit" in step && step.time_limit) lines.push(`${time(step.time_limit)} at most`);
  if ("keep" in step) for (const one of step.keep ?? []) lines.push(`keeps ${one.name} from ${sourceWords(one.from)}`);
  if ("on_failure" in step) for (const rule of step.on_failure ?? []) lines.push(failureWords(rule));
  return lines;
}

function successWords(step: AskStep): string {
  const success = step.success;
  switch (success?.type) {
    case "what_succeeds":
      return "goes on with what succeeds, each failure beside it";
    case "at_least":
      return `needs ${success.count} of them`;
    case "first":
      return "takes the first that succeeds";
    default:
      return "needs all of them";
  }
}

function failureWords(rule: Rule): string {
  const which = rule.kinds?.length ? ` with ${rule.kinds.join(" or ")}` : "";
  switch (rule.type) {
    case "go_on":
      return `if it fails${which}: goes on without it`;
    case "instead":
      return `if it fails${which}, instead:`;
    case "repeat":
      return `if it fails${which || " and may pass"}: again, ${rule.times ?? 3} times at most`;
  }
}

/** How values are compared, in words; others are said by their names. */
export const COMPARED: Record<string, string> = {
  equal: "is",
  not_equal: "is not",
  present: "is there",
  absent: "is not there",
  of_kind: "is of the kind",
  less: "is less than",
  more: "is more than",
};

export function conditionWords(condition: Schemas["FlowCondition"]): string {
  const how = COMPARED[condition.is ?? "equal"] ?? (condition.is ?? "").replaceAll("_", " ");
  const than = condition.than ? sourceWords(condition.than) : "value" in condition ? asText(condition.value) : "";
  return [sourceWords(condition.from), how, than].filter(Boolean).join(" ");
}

export function time(seconds: number): string {
  for (const [size, word] of [
    [86_400, "day"],
    [3_600, "hour"],
    [60, "minute"],
  ] as const)
    if (seconds >= size && seconds % size === 0) return `${seconds / size} ${word}${seconds === size ? "" : "s"}`;
  return `${seconds} s`;
}
