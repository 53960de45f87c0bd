import { describe, expect, it } from "vitest";
import { Problem, type Schemas } from "../../api/client";
import type { Trial } from "./bench";
import {
  begun,
  bodyOf,
  isChanged,
  isEmpty,
  isPlanChanged,
  reduce,
  savedMeanwhile,
  whyNotSent,
  type Draft,
  type Operation,
} from "./draft";
import { rulesOf, type Plan } from "./plan";

const item = {
  name: "trees",
  service: "register",
  title: "Trees",
  version: 3,
  document: { path: "/trees", inputs: [{ name: "district" }, { name: "limit", try_value: "5" }] },
} as unknown as Operation;
const plan = {
  rows: ["$.trees[*]"],
  typeName: "tree",
  mappingName: "trees",
  recordType: { fields: [{ name: "number", type: "text" }], key: ["number"] },
  mapping: { outputs: [{ record_type: "tree", fields: [{ name: "number", from: "number" }] }] },
  notes: [],
  linked: {},
  parts: [],
  proposed: { number: "name" },
  unsure: ["number"],
  isShared: false,
} as unknown as Plan;
const trial = {
  run: 7,
  body: "12",
  unreadable: "",
  outcome: { is_good: true, kind: "good" },
} as unknown as Trial;
const parts = {
  kind: "address",
  base_address: "https://register.example",
  title: "Trees of a district",
  difference: "",
  operation: { path: "/v1/trees" },
} as unknown as Schemas["PasteParts"];
const saved = begun("", { item, lastInputs: { district: "Vigna" }, plan });
const oneOff = begun("", null);
const withPlan: Draft = { ...oneOff, plan };

describe("a draft", () => {
  it("begins with the operation as it is saved, and with the values of its last trial", () => {
    expect(saved.values).toEqual({ district: "Vigna", limit: "5" });
    expect([isChanged(saved), isPlanChanged(saved), saved.isDescribing]).toEqual([false, false, false]);
  });
  it("begins describing where nothing is described", () => {
    expect([oneOff.isDescribing, oneOff.service, isChanged(oneOff)]).toEqual([true, "", false]);
    expect(begun("register", null).service).toBe("register");
  });
  it("is changed by its title as by its document, and not by what it is tried with", () => {
    expect(isChanged(reduce(saved, { type: "set", to: { title: "All trees" } }))).toBe(true);
    expect(isChanged(reduce(saved, { type: "set", to: { document: { path: "/all" } } }))).toBe(true);
    expect(isChanged(reduce(saved, { type: "set", to: { values: {}, environment: "live" } }))).toBe(false);
  });
  it("is saved as what the service gives back", () => {
    const made = { ...item, version: 4, document: { path: "/all" } } as unknown as Operation;
    const next = reduce({ ...saved, document: { path: "/all" } }, { type: "saved", item: made });
    expect([isChanged(next), next.item?.version]).toEqual([false, 4]);
  });
  it("takes what somebody else has saved, with its title", () => {
    const theirs = { ...item, title: "Theirs", version: 4 } as unknown as Operation;
    const next = reduce({ ...saved, title: "Mine" }, { type: "theirs taken", item: theirs });
    expect([next.title, isChanged(next)]).toEqual(["Theirs", false]);
  });
});

describe("what is pasted", () => {
  it("becomes the operation of a one-off, with its address and a title", () => {
    const next = reduce(oneOff, { type: "pasted", parts });
    expect([next.document.path, next.base, next.title]).toEqual(["/v1/trees", "https://register.example", parts.title]);
  });
  it("leaves the address to the connection, and the title that is there", () => {
    const next = reduce(saved, { type: "pasted", parts });
    expect([next.document.path, next.base, next.title]).toEqual(["/v1/trees", "", "Trees"]);
  });
  it("waits where the connection would send it elsewhere, until that is said to be meant", () => {
    const elsewhere = { ...parts, difference: "it goes elsewhere" };
    const asked = reduce(saved, { type: "pasted", parts: elsewhere });
    expect([asked.elsewhere, asked.document]).toEqual([elsewhere, saved.document]);
    const meant = reduce(asked, { type: "pasted", parts: elsewhere, isMeant: true });
    expect([meant.elsewhere, meant.document.path]).toEqual([null, "/v1/trees"]);
    expect(reduce(asked, { type: "left as it is" })).toEqual(saved);
  });
});

describe("a response", () => {
  it("is away while the next one is asked for, and its body stays to be compared", () => {
    const seen = reduce(oneOff, { type: "received", response: trial, sample: "kept" });
    expect([seen.response, seen.keptSample]).toEqual([trial, "kept"]);
    const next = reduce(seen, { type: "sent" });
    expect([next.response, next.bodyBefore, next.keptSample]).toEqual([null, "12", null]);
    expect(reduce(next, { type: "received", response: trial }).keptSample).toBe(null);
  });
  it("becomes records only if it is good, can be read and holds something", () => {
    const outcome = trial.outcome!;
    expect(bodyOf(trial)).toBe("12");
    expect(bodyOf(null)).toBe(null);
    expect(bodyOf({ ...trial, unreadable: "no JSON" })).toBe(null);
    expect(bodyOf({ ...trial, outcome: null })).toBe(null);
    expect(bodyOf({ ...trial, outcome: { ...outcome, is_good: false } })).toBe(null);
    expect(bodyOf({ ...trial, outcome: { ...outcome, kind: "nothing_found" } })).toBe(null);
  });
});

describe("the plan of a draft", () => {
  it("comes with its rows noted in the operation", () => {
    const next = reduce(oneOff, { type: "proposed", plan });
    expect([next.plan, next.document.response?.rows]).toEqual([plan, ["$.trees[*]"]]);
    expect(isPlanChanged(next)).toBe(true);
  });
  it("takes a value for the field that was aimed at, once", () => {
    const fields = [...plan.recordType.fields!, { name: "girth", type: "decimal" as const }];
    const aimed: Draft = { ...withPlan, plan: { ...plan, recordType: { ...plan.recordType, fields } }, aim: "girth" };
    const next = reduce(aimed, { type: "take", path: "size", as: "decimal", convert: [] });
    expect(rulesOf(next.plan!).map((rule) => rule.name)).toEqual(["number", "girth"]);
    expect(next.aim).toBe(null);
    expect(rulesOf(reduce(next, { type: "leave", field: "girth" }).plan!).map((rule) => rule.name)).toEqual(["number"]);
  });
  it("stays away where there is none", () => {
    expect(reduce(oneOff, { type: "take", path: "size", as: "text", convert: [] }).plan).toBe(null);
    expect(reduce(oneOff, { type: "leave", field: "size" }).plan).toBe(null);
    expect(reduce(oneOff, { type: "plan saved" }).savedPlan).toBe(null);
  });
  it("is confirmed by saving it", () => {
    const next = reduce(withPlan, { type: "plan saved" });
    expect([next.plan?.proposed, next.plan?.unsure, isPlanChanged(next)]).toEqual([{}, [], false]);
  });
  it("follows a correction of the value it takes, and keeps one correction a place", () => {
    const path = "$.trees[*].number";
    const once = reduce(withPlan, { type: "correct", correction: { path, type: "integer", name: "tree_number" } });
    expect(once.plan?.recordType.fields).toEqual([{ name: "tree_number", type: "integer" }]);
    const twice = reduce(once, { type: "correct", correction: { path, type: "text" } });
    expect(twice.document.response?.corrections).toEqual([{ path, type: "text" }]);
    const odd = reduce(withPlan, { type: "correct", correction: { path, name: "Not a name" } });
    expect(odd.plan?.recordType.fields?.[0]?.name).toBe("number");
  });
});

describe("sending", () => {
  const may = { mayTry: true, isTakingApart: false, problems: 0, confirmed: false };
  const writing: Draft = { ...saved, document: { ...saved.document, method: "POST" } };
  it.each([
    [saved, may, ""],
    [writing, may, "It is sent when you have said so above."],
    [writing, { ...may, confirmed: true }, ""],
    [saved, { ...may, problems: 1 }, "Not before what is said above is mended."],
    [saved, { ...may, isTakingApart: true }, "Not before what was pasted is taken apart."],
    [saved, { ...may, mayTry: false }, "Your role in this project does not send."],
  ])("waits for what is said of it (%#)", (draft, at, why) => {
    expect(whyNotSent(draft, at)).toBe(why);
  });
  it("is of nothing where no input has a value, a default, or a record to fill it", () => {
    const bare: Draft = { ...saved, values: { district: "" } };
    expect(isEmpty(bare)).toBe(true);
    expect(isEmpty({ ...bare, values: { district: "Vigna" } })).toBe(false);
    expect(isEmpty({ ...bare, record: { record_type: "tree", key: ["OLM-1"] } })).toBe(false);
    expect(isEmpty({ ...bare, document: { inputs: [{ name: "limit", default: 5 }] } })).toBe(false);
    expect(isEmpty(oneOff)).toBe(false);
  });
  it("knows a refusal because somebody else has saved from any other", () => {
    const refused = (code: string) => new Problem({ code, current: item } as never);
    expect(savedMeanwhile(refused("changed_meanwhile"))).toBe(item);
    expect(savedMeanwhile(refused("wrong_input"))).toBe(null);
    expect(savedMeanwhile(new Error("no network"))).toBe(null);
  });
});
