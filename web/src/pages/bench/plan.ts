/** A plan as the form holds it, and as the tables of a plan file. */

import type { Definition, PlanTables } from "../../api/client";
import { KINDS, type Kind } from "./kinds";

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

/** Something that can be switched: what is added to the arguments while it is off, for a cheaper way of it, and while a
 * change is on. */
export interface SwitchForm {
  name: string;
  on: string;
  off: string;
  cure: string;
  /** It claims to do less work, so that witnesses may differ. */
  less?: boolean;
}

/** A setting and the values it is recorded at, with the arguments that carry them. */
export interface SweepForm {
  of: "load" | "knob" | "cores";
  name: string;
  values: string;
  arguments: string;
  counter: string;
  /** Further levels are chosen until half the interval is so many per cent; "" where none are. */
  until: string;
  mostRuns: string;
  mostValue: string;
  /** Every run plays all values, each in a leg of its own. */
  inOneRun?: boolean;
  /** How rich that is of which there is so much; the load is ramped at every value. */
  rich?: RichForm | null;
}

export interface RichForm {
  name: string;
  values: string;
  arguments: string;
}

/** Where the same plan is recorded, a cell each: sizes of the window, tiers, and the recorders of rigs. */
export interface OverForm {
  windows: string;
  windowArguments: string;
  tiers: string;
  tierArguments: string;
  rigs: string;
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
  /** Switched off one at a time; without any it is a comparison of arms. */
  switches: SwitchForm[];
  /** Changes in combinations, to tell which of them helped. */
  combined: boolean;
  /** What is switched are loads: none of them, each by itself, and all at once. */
  together?: boolean;
  /** One setting over its values: a load that grows, or a knob. */
  sweep: SweepForm | null;
  /** One change over many conditions; null of a plain comparison. */
  over?: OverForm | null;
  /** One build, recorded for its line. */
  ofLine?: boolean;
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

const newSweep = (of: SweepForm["of"], rich: boolean): SweepForm => ({
  of,
  name: of === "cores" ? "cores" : "",
  values: of === "cores" ? "1, 2, 4, 8" : "",
  arguments: "",
  counter: "",
  until: "",
  mostRuns: "",
  mostValue: "",
  ...(rich && { rich: { name: "", values: "", arguments: "" } }),
});

export const newSwitch = (): SwitchForm => ({ name: "", on: "", off: "", cure: "" });

/** The one arm, or the two, that a kind of plan begins with. */
const ARMS: Partial<Record<Kind, () => ArmForm[]>> = {
  blank: () => [newArm("one build")],
  combined: () => [newArm("none of them")],
  together: () => [newArm("nothing of them")],
  switched: () => [newArm("everything on"), newArm("everything off", true)],
  line: () => [newArm("")],
};

/** What a kind of plan sweeps. */
const SWEPT_BY: Partial<Record<Kind, SweepForm["of"]>> = {
  load: "load",
  rich: "load",
  knob: "knob",
  cores: "cores",
};

/** A plan nobody wrote anything into yet. */
export const emptyPlan = (kind: Kind): PlanForm => ({
  where: "",
  entry: "",
  title: KINDS[kind].title,
  scenario: "",
  arms: ARMS[kind]?.() ?? (SWEPT_BY[kind] ? [newArm("the subject")] : [newArm("before"), newArm("after")]),
  blank: kind === "blank",
  switches:
    kind === "switched" || kind === "combined" || kind === "together" ? [newSwitch(), newSwitch()] : [],
  combined: kind === "combined" || kind === "together",
  ...(kind === "together" && { together: true }),
  sweep: SWEPT_BY[kind] ? newSweep(SWEPT_BY[kind], kind === "rich") : null,
  over:
    kind === "matrix" ? { windows: "", windowArguments: "", tiers: "", tierArguments: "", rigs: "" } : null,
  ...(kind === "line" && { ofLine: true }),
  runs: kind === "blank" ? "8" : "5",
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

/** Whether levels are chosen one after the other: of one load, of one arm. */
export const chooses = ({ sweep, arms }: PlanForm): boolean =>
  sweep?.of === "load" &&
  !sweep.rich &&
  !sweep.inOneRun &&
  sweep.until !== "" &&
  arms.filter((arm) => !arm.empty).length === 1;

/** Whether every run plays all values: loads of one arm, none of them chosen later. */
export const inOneRun = ({ sweep, arms }: PlanForm): boolean =>
  sweep?.of === "load" &&
  !sweep.rich &&
  sweep.inOneRun === true &&
  arms.filter((arm) => !arm.empty).length === 1;

/** The plan's tables. The scenario's definition comes from its newest version. */
export function asPlan(form: PlanForm, definition: Definition): PlanTables {
  const { policy, ...scenario } = definition;
  const visited = form.where === VISITOR;
  const arms = form.blank
    ? [ONCE, AGAIN].flatMap((when) => form.arms.slice(0, 1).map((a) => ({ ...a, name: a.name + when })))
    : form.arms;
  const switches = form.switches.filter((s) => s.name.trim());
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
    ...(form.ofLine && { line: { build: arms[0]?.name.trim() ?? "" } }),
    ...(form.sweep && {
      sweep: {
        of: form.sweep.of,
        name: form.sweep.name.trim(),
        values: listed(form.sweep.values).map(Number),
        arguments: words(form.sweep.arguments),
        counter: form.sweep.of === "load" ? form.sweep.counter.trim() : "",
        ...(inOneRun(form) ? { in_one_run: true } : {}),
        ...(form.sweep.rich && {
          richness: {
            name: form.sweep.rich.name.trim(),
            values: listed(form.sweep.rich.values).map(Number),
            arguments: words(form.sweep.rich.arguments),
          },
        }),
        ...(chooses(form) && {
          until_pct: Number(form.sweep.until),
          ...(form.sweep.mostRuns ? { most_runs: Number(form.sweep.mostRuns) } : {}),
          ...(form.sweep.mostValue ? { most_value: Number(form.sweep.mostValue) } : {}),
        }),
      },
    }),
    ...(switches.length > 0 && {
      switch: switches.map((s) => ({
        name: s.name.trim(),
        off: words(s.off),
        ...(form.combined ? { on: words(s.on) } : { cure: words(s.cure) }),
      })),
    }),
    recording: {
      // A ramp that chooses its levels begins with runs of its own.
      ...(chooses(form) ? {} : { runs: Number(form.runs) }),
      ...(form.untilDecided && !visited ? { until_decided: true } : {}),
      ...(form.blank ? { blank: true } : {}),
      ...(form.combined
        ? { switches: form.together ? ("alone and together" as const) : ("in combinations" as const) }
        : {}),
      ...(form.combined && switches.some((s) => s.less)
        ? { less_work: switches.filter((s) => s.less).map((s) => s.name.trim()) }
        : {}),
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

const axis = (values: string, added: string) => ({ values: listed(values), arguments: words(added) });

/** The plan of a matrix: a recording a cell. Without rigs it is recorded where a plain plan would be. */
export function asMatrix(form: PlanForm, definition: Definition) {
  const over = form.over ?? { windows: "", windowArguments: "", tiers: "", tierArguments: "", rigs: "" };
  const rigs = listed(over.rigs);
  return {
    plan: asPlan(form, definition),
    windows: axis(over.windows, over.windowArguments),
    tiers: axis(over.tiers, over.tierArguments),
    rigs: rigs.length > 0 ? rigs : [form.where === ELSEWHERE || form.where === VISITOR ? "" : form.where],
  };
}

/** So many cells a matrix has. */
export const cellsOf = ({ over }: PlanForm): number =>
  over
    ? [over.windows, over.tiers, over.rigs].reduce((n, axis) => n * Math.max(1, listed(axis).length), 1)
    : 1;

/** The switches that the arms of a screening were made of; its arguments follow those of everything on. */
function switchesOf(arms: NonNullable<PlanTables["arm"]>, given: number): SwitchForm[] {
  const found = new Map<string, SwitchForm>();
  for (const arm of arms) {
    const name = arm.off || arm.cures;
    if (!name) continue;
    const one = found.get(name) ?? { ...newSwitch(), name };
    const added = (arm.arguments ?? []).slice(given).join(" ");
    found.set(name, arm.off ? { ...one, off: added } : { ...one, cure: added });
  }
  return [...found.values()];
}

/** The changes that the arms of an untangling combine; what each adds is told by the arm where it alone is on. */
function changesOf(arms: NonNullable<PlanTables["arm"]>, given: number): SwitchForm[] {
  const names = [...new Set(arms.flatMap((arm) => arm.on ?? []))];
  return names.map((name) => {
    const alone = arms.find((arm) => arm.on?.length === 1 && arm.on[0] === name);
    return { ...newSwitch(), name, on: (alone?.arguments ?? []).slice(given).join(" ") };
  });
}

/** The arms that a sweep was made of: the first level of each, without what its value adds. */
function sweptOf(arms: NonNullable<PlanTables["arm"]>, sweep: NonNullable<PlanTables["sweep"]>) {
  const firsts = arms.filter((a, i) => !a.empty && arms.findIndex((b) => b.side === a.side) === i);
  const added = (sweep.arguments ?? []).length + (sweep.richness?.arguments.length ?? 0);
  const bare = firsts.map((a) => ({
    ...a,
    name: a.side ? (a.name ?? "").replace(/, [^,]*$/, "") : "the subject",
    arguments: (a.arguments ?? []).slice(0, (a.arguments ?? []).length - added),
  }));
  return [...bare, ...arms.filter((a) => a.empty)];
}

/** So many arms a form's switches make, its own arms among them. */
export function armsOf(form: PlanForm): number {
  const named = form.switches.filter((s) => s.name.trim());
  if (form.blank) return 2;
  if (inOneRun(form)) return 1;
  if (form.sweep)
    return (
      form.arms.filter((a) => !a.empty).length *
      Math.max(1, listed(form.sweep.values).length) *
      Math.max(1, listed(form.sweep.rich?.values ?? "").length)
    );
  if (form.together) return named.length + 2;
  if (form.combined) return named.length < 2 ? 1 : Math.min(16, 2 ** named.length);
  return named.reduce((sum, s) => sum + (s.off.trim() ? 1 : 0) + (s.cure.trim() ? 1 : 0), form.arms.length);
}

/** An earlier plan as the form holds it, for a new entry. */
export function fromPlan(plan: PlanTables): PlanForm {
  const { recording = {}, arm = [], conditions = {}, entry = {} } = plan;
  const blank = recording.blank ?? false;
  const on = arm.find((a) => !a.empty)?.arguments ?? [];
  const combined = arm.some((a) => a.on != null);
  const together = recording.switches === "alone and together";
  const less = new Set(recording.less_work ?? []);
  const switches = combined
    ? changesOf(arm, on.length).map((s) => (less.has(s.name) ? { ...s, less: true } : s))
    : switchesOf(arm, on.length);
  const swept = plan.sweep && (plan.sweep.in_one_run || arm.some((a) => a.value != null)) ? plan.sweep : null;
  const own = swept
    ? sweptOf(arm, swept)
    : combined
      ? arm.filter((a) => a.on?.length === 0)
      : switches.length > 0
        ? arm.filter((a) => !a.off && !a.cures)
        : arm;
  const arms = own.map((a) => ({
    ...newArm(a.name ?? "", a.empty ?? false),
    subject: a.subject ?? "",
    arguments: (a.arguments ?? []).join(" "),
    observers: (a.observers ?? []).join(", "),
    tap: a.tap ?? false,
    page: a.page ?? "",
  }));
  return {
    ...emptyPlan(blank ? "blank" : ""),
    where: arms.some((a) => a.page) ? VISITOR : "",
    title: entry.title ?? "",
    switches,
    combined,
    ...(together && { together }),
    ...(plan.line && { ofLine: true }),
    sweep: swept
      ? {
          of: swept.of,
          name: swept.name,
          values: swept.values.join(", "),
          arguments: (swept.arguments ?? []).join(" "),
          counter: swept.counter ?? "",
          until: swept.until_pct == null ? "" : String(swept.until_pct),
          mostRuns: swept.most_runs == null ? "" : String(swept.most_runs),
          mostValue: swept.most_value == null ? "" : String(swept.most_value),
          ...(swept.in_one_run && { inOneRun: true }),
          ...(swept.richness && {
            rich: {
              name: swept.richness.name,
              values: swept.richness.values.join(", "),
              arguments: swept.richness.arguments.join(" "),
            },
          }),
        }
      : null,
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

/** What the form calls the keys of a sweep. */
const SWEPT: Record<string, string> = { until_pct: "until", most_runs: "mostRuns", most_value: "mostValue" };

/** The form's field of a place in the plan's tables. */
export function fieldOf(at: string): string {
  const [table = "", ...rest] = at.split(".");
  const key = rest.filter((part) => !/^\d+$/.test(part)).join(".");
  if (table === "sweep" && rest[0] === "richness") return `sweep.rich.${rest[1] ?? "values"}`;
  if (table === "sweep") return `sweep.${SWEPT[rest[0] ?? ""] ?? rest[0] ?? "values"}`;
  if (table === "switch") return rest.length > 1 ? `switches.${rest.slice(0, 2).join(".")}` : "";
  if (table === "line") return "arms.0.name";
  if (table === "arm") return rest.length > 1 ? `arms.${rest.slice(0, 2).join(".")}` : "";
  if (table === "recording") return key === "quiet_share" ? "quiet" : key;
  if (table === "conditions") return "conditions";
  return table === "entry" ? (key === "number" ? "entry" : key) : "";
}
