import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../../api/client";
import { asText } from "../../ui/text";

export type ComparisonForm = Schemas["ComparisonItem"];

/** What mappings are made of: the steps that convert values, and the comparisons of conditions. */
export function useMappingForms(project: string): Schemas["MappingForms"] {
  const found = useQuery({
    queryKey: ["mapping-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/mapping-forms", { params: { path: { project } } })),
  });
  return found.data ?? { conversions: [], comparisons: [] };
}

/** A comparison by name; one that is not known (yet) takes a value. */
export function comparisonOf(forms: ComparisonForm[], name: string | undefined): ComparisonForm {
  const wanted = name ?? "equal";
  return forms.find((one) => one.name === wanted) ?? { name: wanted, words: wanted.replace("_", " "), takes: "value" };
}

/** A value as JSON has it: a number or a truth value where the text is one, else the text. */
export function plainValue(text: string, isNumber: boolean): string | number | boolean {
  if (text === "true" || text === "false") return text === "true";
  return isNumber && /^-?\d+(\.\d+)?$/.test(text) ? (JSON.parse(text) as number) : text;
}

/** What a comparison is given, from one text: of a list its values, parted by commas. */
export function comparedWith(form: ComparisonForm, text: string, isNumber: boolean): unknown {
  if (form.takes === "nothing") return undefined;
  if (form.takes === "value") return plainValue(text, isNumber && form.name !== "matches");
  return text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean)
    .map((one) => plainValue(one, isNumber));
}

/** What a comparison is given, as the text that it is made of. */
export function comparedText(value: unknown): string {
  return Array.isArray(value) ? value.map(asText).join(", ") : asText(value);
}
