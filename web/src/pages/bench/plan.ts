/** A plan as the form holds it, and as the tables of a plan file. */

import type { Definition, PlanTables } from "../../api/client";

export interface ArmForm {
  key: number;
  name: string;
  subject: string;
  arguments: string;
  observers: string;
  empty: boolean;
}

export interface PlanForm {
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

let keys = 0;
export const newArm = (name: string, empty = false): ArmForm => ({
  key: keys++,
  name,
  subject: "",
  arguments: "",
  observers: "",
  empty,
});

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
  const arms = form.blank
    ? ["once", "again"].flatMap((when) =>
        form.arms.slice(0, 1).map((a) => ({ ...a, name: `${a.name}, ${when}` })),
      )
    : form.arms;
  return {
    scenario: { name: form.scenario, ...scenario },
    policy: policy ?? {},
    arm: arms.map((arm) => ({
      name: arm.name,
      subject: arm.subject,
      arguments: words(arm.arguments),
      ...(arm.observers ? { observers: listed(arm.observers) } : {}),
      ...(arm.empty ? { empty: true } : {}),
    })),
    recording: {
      runs: Number(form.runs),
      ...(form.untilDecided ? { until_decided: true } : {}),
      ...(form.blank ? { blank: true } : {}),
      order: form.order,
      ...(form.load ? { load: Number(form.load) } : {}),
      ...(form.played === "by hand" ? { played: form.played } : {}),
      retries: Number(form.retries || 0),
      ...(form.quiet ? { quiet_share: Number(form.quiet) / 100 } : {}),
      ...(form.files ? { files: listed(form.files) } : {}),
    },
    conditions: sheet(form.conditions),
    entry: form.entry ? { number: Number(form.entry) } : { title: form.title },
  };
}
