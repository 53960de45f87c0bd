import { useQuery } from "@tanstack/react-query";
import { answer, api, type Schemas } from "../api/client";

export type Paging = NonNullable<Schemas["OperationDocument"]["paging"]>;
export type PagingForm = Schemas["FormShown"];

/** What an operation is set to, as forms. */
export function useOperationForms(project: string) {
  const forms = useQuery({
    queryKey: ["operation-forms", project],
    staleTime: Infinity,
    queryFn: () => answer(api.GET("/api/v1/projects/{project}/operation-forms", { params: { path: { project } } })),
  });
  return forms.data;
}

/** The pagination strategies, each as a form. */
export function usePagingForms(project: string): PagingForm[] {
  return useOperationForms(project)?.paging ?? [];
}

/** What a strategy does, in words that go on after the name of an operation. */
export function pagingWords(forms: PagingForm[], paging: Paging): string {
  const words = forms.find((form) => form.type === paging.type)?.words.replace(/\.$/, "") ?? "";
  return words.slice(0, 1).toLowerCase() + words.slice(1);
}
