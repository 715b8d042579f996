/** A scenario's definition as its form holds it. */

import type { Definition, FigureChoice } from "../../api/client";

export interface LegForm {
  name: string;
  from_s: string;
  play: boolean;
}

export const leg = (name = "", from_s = "", play = true): LegForm => ({ name, from_s, play });
const num = (text: string) => (text.trim() === "" ? undefined : Number(text));
const listed = (text: string) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

export interface Form {
  name: string;
  target_fps: string;
  duration_s: string;
  warm_up_s: string;
  cool_down_s: string;
  seed: string;
  kind: string;
  loadKnob: string;
  loadValues: string;
  settleCounter: string;
  settleWithin: string;
  settleFor: string;
  legs: LegForm[];
  primaries: string[];
  margins: Record<string, string>;
  witnesses: string;
  guards: string;
  mustMatch: string;
  mayDiffer: string;
  change: string;
  /** What a definition says beyond this form; it stays. */
  rest: Record<string, unknown>;
  policyRest: Record<string, unknown>;
}

/** A margin for each figure, "" where it is the usual one. */
const margins = (figures: Figures, own: Record<string, string> = {}) => ({
  ...Object.fromEntries(figures.map((f) => [f.name, ""])),
  ...own,
});

const BLANK: Form = {
  name: "",
  target_fps: "60",
  duration_s: "120",
  warm_up_s: "0",
  cool_down_s: "0",
  seed: "0",
  kind: "typical",
  loadKnob: "",
  loadValues: "",
  settleCounter: "",
  settleWithin: "1",
  settleFor: "2",
  legs: [],
  primaries: [],
  margins: {},
  witnesses: "",
  guards: "",
  mustMatch: "",
  mayDiffer: "",
  change: "",
  rest: {},
  policyRest: {},
};

/** A scenario nobody wrote anything into yet. */
export const emptyForm = (figures: Figures): Form => ({
  ...BLANK,
  primaries: usual(figures),
  margins: margins(figures),
});

export type Figures = readonly FigureChoice[];
export const factor = (figures: Figures, name: string) =>
  figures.find((f) => f.name === name)?.margin_scale ?? 100;
export const usual = (figures: Figures) => figures.filter((f) => f.usual).map((f) => f.name);

export function fromDefinition(name: string, d: Definition, figures: Figures): Form {
  const {
    policy = {},
    target_fps,
    duration_s,
    warm_up_s,
    cool_down_s,
    seed,
    kind,
    load,
    settle,
    legs,
    ...rest
  } = d;
  const { primaries, margins: own, witnesses, must_match, may_differ, change, ...policyRest } = policy;
  // A guard with a margin or a direction of its own stays as it was written.
  const written = policyRest.guards ?? [];
  const plain = written.every((g) => typeof g === "string");
  const guards = plain ? written.filter((g) => typeof g === "string") : [];
  if (plain) delete policyRest.guards;
  return {
    rest,
    policyRest,
    name,
    target_fps: target_fps == null ? "" : String(target_fps),
    duration_s: String(duration_s ?? 120),
    warm_up_s: String(warm_up_s ?? 0),
    cool_down_s: String(cool_down_s ?? 0),
    seed: String(seed ?? 0),
    kind: kind ?? "typical",
    loadKnob: load?.knob ?? "",
    loadValues: (load?.values ?? []).join(", "),
    settleCounter: settle?.counter ?? "",
    settleWithin: String(Number((100 * (settle?.within ?? 0.01)).toPrecision(6))),
    settleFor: String(settle?.for_s ?? 2),
    legs: (legs ?? []).map((l) => leg(l.name, l.from_s == null ? "" : String(l.from_s), l.play ?? true)),
    primaries: primaries ?? usual(figures),
    margins: margins(
      figures,
      Object.fromEntries(
        Object.entries((own ?? {}) as Record<string, number>).map(([n, v]) => [
          n,
          String(Number((v * factor(figures, n)).toPrecision(6))),
        ]),
      ),
    ),
    witnesses: (witnesses ?? []).join(", "),
    guards: guards.join(", "),
    mustMatch: (must_match ?? []).join(", "),
    mayDiffer: (may_differ ?? []).join(", "),
    change: (change ?? []).join(", "),
  };
}

export function asDefinition(form: Form, figures: Figures): Definition {
  const known = figures.map((f) => f.name);
  const own = Object.entries(form.margins).filter(([, v]) => v.trim() !== "");
  const policy: Definition["policy"] = {
    ...form.policyRest,
    primaries: [
      ...known.filter((n) => form.primaries.includes(n)),
      ...form.primaries.filter((n) => !known.includes(n)),
    ],
    margins: Object.fromEntries(own.map(([n, v]) => [n, Number(v) / factor(figures, n)])),
    witnesses: listed(form.witnesses),
    ...(form.policyRest.guards ? {} : { guards: listed(form.guards) }),
    must_match: listed(form.mustMatch),
    may_differ: listed(form.mayDiffer),
    change: listed(form.change),
  };
  return {
    ...form.rest,
    target_fps: num(form.target_fps),
    duration_s: num(form.duration_s),
    warm_up_s: num(form.warm_up_s),
    cool_down_s: num(form.cool_down_s),
    seed: num(form.seed),
    kind: form.kind,
    legs: form.legs.map((l) => ({
      name: l.name.trim(),
      ...(l.from_s.trim() === "" ? {} : { from_s: Number(l.from_s) }),
      play: l.play,
    })),
    ...(form.loadKnob
      ? { load: { knob: form.loadKnob.trim(), values: listed(form.loadValues).map(Number) } }
      : {}),
    ...(form.settleCounter
      ? {
          settle: {
            counter: form.settleCounter.trim(),
            within: Number(form.settleWithin) / 100,
            for_s: Number(form.settleFor),
          },
        }
      : {}),
    policy,
  };
}
