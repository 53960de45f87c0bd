/** What the parts of the bench share: the draft, what it asks for by itself, and what is done with it. */

import { createContext, useContext, useMemo, useReducer, useState } from "react";
import type { Schemas } from "../../api/client";
import { useName } from "../../ui/naming";
import { usePermission } from "../session/session";
import { bodiesBeside, useOutline, useSamplesOf, type Sample } from "./responses";
import { usePasteParts, useRequest, useTrial, type Trial } from "./bench";
import { usePreview, usePropose } from "./keeping";
import { bodyOf, correctionsOf, reduce, type Action, type Draft } from "./draft";
import type { Plan } from "./plan";

export interface Bench {
  project: string;
  draft: Draft;
  change: (action: Action) => void;
  mayBuild: boolean;
  mayTry: boolean;
  /** The request as it would be sent. */
  request: ReturnType<typeof useRequest>;
  trial: ReturnType<typeof useTrial>;
  takeApart: ReturnType<typeof usePasteParts>;
  send: (isConfirmed: boolean, isMeantInProtected: boolean) => void;
  /** Looks at a response that was not sent, such as a sample. */
  receive: (response: Trial, sample: string) => void;
  /** The response's body if it can become records, and what is known of it. */
  body: string | null;
  lines: Schemas["OutlineItem"][];
  rowChoices: Schemas["RowChoiceItem"][];
  /** Of how many responses the lines are. */
  sampleCount: number;
  samples: Sample[];
  /** Bodies of the kept samples that the response is held against. */
  earlier: string[];
  preview: ReturnType<typeof usePreview>;
  proposal: ReturnType<typeof usePropose>;
  /** Proposes records for the rows at these levels. onto: a record type that is there. */
  chooseRows: (rows: string | string[], onto?: string) => void;
  /** What the operation is called: the name it has, or the one proposed for its title. */
  named: ReturnType<typeof useName>;
}

const Shared = createContext<Bench | null>(null);
export const BenchProvider = Shared.Provider;

export function useBench(): Bench {
  const bench = useContext(Shared);
  if (!bench) throw new Error("this part stands on a bench only");
  return bench;
}

/** The plan, where there is one. */
export function usePlan(): { plan: Plan; setPlan: (plan: Plan) => void } {
  const { draft, change } = useBench();
  if (!draft.plan) throw new Error("this part stands beside a plan only");
  return { plan: draft.plan, setPlan: (plan) => change({ type: "set", to: { plan } }) };
}

/** The state of one bench. */
export function useBenchState(project: string, start: Draft): Bench {
  const [draft, change] = useReducer(reduce, start);
  const { service, base, environment, document, values, record, item, plan, response } = draft;
  const asked = useMemo(
    () => ({
      service,
      base_address: service ? "" : base,
      environment,
      document,
      inputs: values,
      ...(record ? { record } : {}),
    }),
    [service, base, environment, document, values, record],
  );
  const named = useName(project, "operation", item ? "" : draft.title, service || draft.serviceTitle);
  const samples = useSamplesOf(project, item?.name ?? "");
  const body = bodyOf(response);
  const earlier = bodiesBeside(body, response?.format, samples);
  const outline = useOutline(project, body, earlier, correctionsOf(draft));
  const proposal = usePropose(project, item?.name ?? "");
  const trial = useTrial(project);

  const proposeFrom = (from: Trial | null, chosen: string | string[], onto = "") => {
    const rows = typeof chosen === "string" ? [chosen] : chosen;
    const body = bodyOf(from);
    if (!body || !rows[0]) return;
    proposal.mutate(
      {
        body,
        format: from?.format,
        rows,
        corrections: correctionsOf(draft),
        mappingName: plan?.mappingName ?? item?.name ?? (named.name || "mapping"),
        path: document.path ?? "",
        onto,
      },
      {
        onSuccess: (made) =>
          change({ type: "proposed", plan: { ...made, mappingName: made.mappingName || "mapping" } }),
      },
    );
  };
  const receive = (received: Trial, sample?: string) => {
    change({ type: "received", response: received, sample });
    const first = received.row_choices[0];
    if (!plan && first?.holds === "object") proposeFrom(received, document.response?.rows?.[0] ?? first.path);
  };

  return {
    project,
    draft,
    change,
    mayBuild: usePermission(project, "build"),
    mayTry: usePermission(project, "try"),
    request: useRequest(project, asked),
    trial,
    takeApart: usePasteParts(project, service, environment),
    send: (isConfirmed, isMeantInProtected) => {
      change({ type: "sent" });
      trial.mutate(
        {
          ...asked,
          operation: item?.name,
          confirmed: isConfirmed,
          in_protected: isMeantInProtected,
          empty_is_meant: isConfirmed,
        },
        { onSuccess: (made) => receive(made) },
      );
    },
    receive,
    body,
    lines: body ? (outline.data?.lines ?? []) : [],
    rowChoices: (body && outline.data?.row_choices) || response?.row_choices || [],
    sampleCount: outline.data?.samples ?? 1,
    samples,
    earlier: body ? earlier : [],
    preview: usePreview(project, body, plan, values),
    proposal,
    chooseRows: (rows, onto) => proposeFrom(response, rows, onto),
    named,
  };
}

/** What is pointed at in a response, and what is to be shown of it (JSON Pointers). */
export interface Pointing {
  lit: string | null;
  focus: string | null;
  point: (pointer: string | null) => void;
  show: (pointer: string | null) => void;
}

const SharedPointing = createContext<Pointing | null>(null);
export const PointingProvider = SharedPointing.Provider;

export function usePointing(): Pointing {
  const pointing = useContext(SharedPointing);
  if (!pointing) throw new Error("nothing is pointed at here");
  return pointing;
}

/** body: that of the response; what was to be shown of another is not shown of it. */
export function usePointingState(body: string | null = null): Pointing {
  const [lit, point] = useState<string | null>(null);
  const [focus, show] = useState<string | null>(null);
  const [of, setOf] = useState(body);
  if (of !== body) {
    setOf(body);
    show(null);
  }
  return useMemo(() => ({ lit, focus, point, show }), [lit, focus]);
}
