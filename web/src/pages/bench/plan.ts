/** A plan as the form holds it, and as the tables of a plan file. */

import type { Definition, PlanTables } from "../../api/client";

export interface ArmForm {
  name: string;
  subject: string;
  arguments: string;
  observers: string;
  empty: boolean;
  /** Recorded as it is, by the frames it presents. */
  tap: boolean;
  /** The address that a visitor's own browser opens. */
  page: string;
}

/** Where it is recorded when no recorder stands by for it: by a command, or in a browser that opens a link. */
export const ELSEWHERE = "elsewhere";
export const VISITOR = "visitor";

export interface PlanForm {
  /** A recorder standing by, or ELSEWHERE. */
  where: string;
  entry: string;
  title: string;
  scenario: string;
  arms: ArmForm[];
  runs: string;
  order: "pairs" | "mirrored";
  load: string;
  untilDecided: boolean;
  /** One build as both arms. */
  blank: boolean;
  played: "by itself" | "by hand";
  retries: string;
  quiet: string;
  files: string;
  conditions: string;
}

export const newArm = (name: string, empty = false): ArmForm => ({
  name,
  subject: "",
  arguments: "",
  observers: "",
  empty,
  tap: false,
  page: "",
});

/** A plan nobody wrote anything into yet. */
export const emptyPlan = (blank: boolean): PlanForm => ({
  where: "",
  entry: "",
  title: blank ? "Blank test" : "",
  scenario: "",
  arms: blank ? [newArm("one build")] : [newArm("before"), newArm("after")],
  blank,
  runs: blank ? "8" : "5",
  order: "pairs",
  load: "",
  untilDecided: false,
  played: "by itself",
  retries: "1",
  quiet: "",
  files: "",
  conditions: "",
});

const [ONCE, AGAIN] = [", once", ", again"];

const words = (text: string) => text.split(/\s+/).filter(Boolean);
const listed = (text: string) =>
  text
    .split(/[,\n]/)
    .map((part) => part.trim())
    .filter(Boolean);

/** Free keys, one "key: value" a line. */
export function sheet(text: string): Record<string, string> {
  const rows = text
    .split("\n")
    .map((line) => /^\s*([^:=]+?)\s*[:=]\s*(.+?)\s*$/.exec(line))
    .filter((match) => match !== null);
  return Object.fromEntries(rows.map((match) => [match[1] ?? "", match[2] ?? ""]));
}

/** The plan's tables. The scenario's definition comes from its newest version. */
export function asPlan(form: PlanForm, definition: Definition): PlanTables {
  const { policy, ...scenario } = definition;
  const visited = form.where === VISITOR;
  const arms = form.blank
    ? [ONCE, AGAIN].flatMap((when) => form.arms.slice(0, 1).map((a) => ({ ...a, name: a.name + when })))
    : form.arms;
  return {
    scenario: { name: form.scenario, ...scenario },
    policy: policy ?? {},
    arm: arms.map((arm) => ({
      name: arm.name,
      ...(visited
        ? { page: arm.page.trim() }
        : { subject: arm.subject, arguments: words(arm.arguments), ...(arm.tap ? { tap: true } : {}) }),
      ...(arm.observers ? { observers: listed(arm.observers) } : {}),
      ...(arm.empty ? { empty: true } : {}),
    })),
    recording: {
      runs: Number(form.runs),
      ...(form.untilDecided && !visited ? { until_decided: true } : {}),
      ...(form.blank ? { blank: true } : {}),
      order: form.order,
      ...(form.load ? { load: Number(form.load) } : {}),
      retries: Number(form.retries || 0),
      // What a recorder sees to; in a visitor's browser there is none.
      ...(visited
        ? {}
        : {
            ...(form.played === "by hand" ? { played: form.played } : {}),
            ...(form.quiet ? { quiet_share: Number(form.quiet) / 100 } : {}),
            ...(form.files ? { files: listed(form.files) } : {}),
          }),
    },
    conditions: sheet(form.conditions),
    entry: form.entry ? { number: Number(form.entry) } : { title: form.title },
  };
}

/** An earlier plan as the form holds it, for a new entry. */
export function fromPlan(plan: PlanTables): PlanForm {
  const { recording = {}, arm = [], conditions = {}, entry = {} } = plan;
  const blank = recording.blank ?? false;
  const arms = arm.map((a) => ({
    ...newArm(a.name ?? "", a.empty ?? false),
    subject: a.subject ?? "",
    arguments: (a.arguments ?? []).join(" "),
    observers: (a.observers ?? []).join(", "),
    tap: a.tap ?? false,
    page: a.page ?? "",
  }));
  return {
    ...emptyPlan(blank),
    where: arms.some((a) => a.page) ? VISITOR : "",
    title: entry.title ?? "",
    scenario: plan.scenario.name ?? "",
    arms: blank ? arms.slice(0, 1).map((a) => ({ ...a, name: a.name.replace(ONCE, "") })) : arms,
    runs: String(recording.runs ?? (recording.until_decided ? 15 : 5)),
    order: recording.order ?? "pairs",
    load: recording.load == null ? "" : String(recording.load),
    untilDecided: recording.until_decided ?? false,
    played: recording.played ?? "by itself",
    retries: String(recording.retries ?? 0),
    quiet: recording.quiet_share == null ? "" : String(Number((100 * recording.quiet_share).toPrecision(6))),
    files: (recording.files ?? []).join(", "),
    conditions: Object.entries(conditions)
      .map(([key, value]) => `${key}: ${value}`)
      .join("\n"),
  };
}

/** The form's field of a place in the plan's tables. */
export function fieldOf(at: string): string {
  const [table = "", ...rest] = at.split(".");
  const key = rest.filter((part) => !/^\d+$/.test(part)).join(".");
  if (table === "arm") return rest.length > 1 ? `arms.${rest.slice(0, 2).join(".")}` : "";
  if (table === "recording") return key === "quiet_share" ? "quiet" : key;
  if (table === "conditions") return "conditions";
  return table === "entry" ? (key === "number" ? "entry" : key) : "";
}
