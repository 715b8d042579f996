import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { Definition, FigureChoice } from "../../api/client";
import { useFigures, useScenario, useScenarios, useWriteScenario } from "../../api/queries";
import { Field } from "../../app/Field";
import { Failure, Loading } from "../../app/states";

interface LegForm {
  key: number;
  name: string;
  from_s: string;
  play: boolean;
}

let keys = 0;
const leg = (name = "", from_s = "", play = true): LegForm => ({ key: keys++, name, from_s, play });
const num = (text: string) => (text.trim() === "" ? undefined : Number(text));
const listed = (text: string) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

interface Form {
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

type Figures = readonly FigureChoice[];
const factor = (figures: Figures, name: string) => figures.find((f) => f.name === name)?.margin_scale ?? 100;
const usual = (figures: Figures) => figures.filter((f) => f.usual).map((f) => f.name);

function fromDefinition(name: string, d: Definition, figures: Figures): Form {
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
  const { primaries, margins, witnesses, must_match, may_differ, change, ...policyRest } = policy;
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
    margins: Object.fromEntries(
      Object.entries((margins ?? {}) as Record<string, number>).map(([n, v]) => [
        n,
        String(Number((v * factor(figures, n)).toPrecision(6))),
      ]),
    ),
    witnesses: (witnesses ?? []).join(", "),
    guards: guards.join(", "),
    mustMatch: (must_match ?? []).join(", "),
    mayDiffer: (may_differ ?? []).join(", "),
    change: (change ?? []).join(", "),
  };
}

function asDefinition(form: Form, figures: Figures): Definition {
  const known = figures.map((f) => f.name);
  const margins = Object.entries(form.margins).filter(([, v]) => v.trim() !== "");
  const policy: Definition["policy"] = {
    ...form.policyRest,
    primaries: [
      ...known.filter((n) => form.primaries.includes(n)),
      ...form.primaries.filter((n) => !known.includes(n)),
    ],
    margins: Object.fromEntries(margins.map(([n, v]) => [n, Number(v) / factor(figures, n)])),
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

/** Write a scenario, or the next version of one. */
export default function ScenarioForm() {
  const { book = "" } = useParams();
  const [search] = useSearchParams();
  const of = Number(search.get("of") ?? 0);
  const old = useScenario(book, of);
  const figures = useFigures();
  const error = figures.error ?? old.error;
  if (error) return <Failure error={error} />;
  if (!figures.data || (of > 0 && !old.data)) return <Loading what="the scenario" />;
  const start = old.data
    ? fromDefinition(old.data.name, old.data.definition, figures.data)
    : { ...BLANK, primaries: usual(figures.data) };
  return <Writing key={of} book={book} old={old.data !== undefined} start={start} figures={figures.data} />;
}

function Writing({
  book,
  old,
  start,
  figures,
}: {
  book: string;
  old: boolean;
  start: Form;
  figures: Figures;
}) {
  const write = useWriteScenario(book);
  const navigate = useNavigate();
  const [form, setForm] = useState<Form>(start);
  const others = useScenarios(book).data?.filter((s) => s.name !== start.name) ?? [];
  const takeSheet = (name: string) => {
    const other = others.find((s) => s.name === name);
    if (!other) return;
    const { mustMatch, mayDiffer, change } = fromDefinition(name, other.definition, figures);
    set({ mustMatch, mayDiffer, change });
  };
  const offered = figures.filter((f) => f.for_verdict || start.primaries.includes(f.name));
  const set = (values: Partial<Form>) => setForm((now) => ({ ...now, ...values }));
  const setLeg = (key: number, values: Partial<LegForm>) =>
    set({ legs: form.legs.map((l) => (l.key === key ? { ...l, ...values } : l)) });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    write.mutate(
      { name: form.name.trim(), definition: asDefinition(form, figures) },
      { onSuccess: (made) => navigate(`/${book}/scenarios/${made.id}`) },
    );
  };
  const text = (
    label: string,
    key:
      | "name"
      | "witnesses"
      | "guards"
      | "mustMatch"
      | "mayDiffer"
      | "change"
      | "settleCounter"
      | "loadKnob"
      | "loadValues",
    hint?: string,
  ) => (
    <Field label={label} hint={hint}>
      <input
        className="find-field"
        required={key === "name"}
        disabled={key === "name" && old}
        maxLength={160}
        value={form[key]}
        onChange={(e) => set({ [key]: e.target.value })}
      />
    </Field>
  );
  const amount = (
    label: string,
    key: "target_fps" | "duration_s" | "warm_up_s" | "cool_down_s" | "seed" | "settleWithin" | "settleFor",
    hint?: string,
  ) => (
    <Field label={label} hint={hint}>
      <input
        className="find-field"
        type="number"
        step="any"
        value={form[key]}
        onChange={(e) => set({ [key]: e.target.value })}
      />
    </Field>
  );
  return (
    <form onSubmit={submit} className="sheet-form">
      <h2>{old ? `${form.name}: the next version` : "Write a scenario"}</h2>
      <div className="fields">
        {text("Name", "name")}
        {amount(
          "Target, frames a second",
          "target_fps",
          Number(form.target_fps) > 0
            ? `a budget of ${(1000 / Number(form.target_fps)).toFixed(2)} ms`
            : "no target: no lateness",
        )}
        <Field label="Kind">
          <select className="find-field" value={form.kind} onChange={(e) => set({ kind: e.target.value })}>
            <option value="typical">typical</option>
            <option value="stress">stress</option>
          </select>
        </Field>
        {amount("Seconds a run", "duration_s")}
        {amount("Warm-up, seconds", "warm_up_s", "left out on both sides")}
        {amount("Cool-down, seconds", "cool_down_s", "between runs")}
        {amount("Seed", "seed")}
      </div>
      <section>
        <h3>Legs</h3>
        <table className="ruled" aria-label="Legs">
          <tbody>
            {form.legs.map((l, i) => (
              <tr key={l.key}>
                <td>
                  <input
                    className="find-field"
                    aria-label={`Leg ${i + 1}`}
                    required
                    value={l.name}
                    onChange={(e) => setLeg(l.key, { name: e.target.value })}
                  />
                </td>
                <td>
                  from{" "}
                  <input
                    className="find-field"
                    style={{ width: 90 }}
                    type="number"
                    step="any"
                    min={0}
                    aria-label={`Leg ${i + 1} starts at`}
                    placeholder="its mark"
                    value={l.from_s}
                    onChange={(e) => setLeg(l.key, { from_s: e.target.value })}
                  />{" "}
                  s
                </td>
                <td>
                  <label>
                    <input
                      type="checkbox"
                      checked={!l.play}
                      onChange={(e) => setLeg(l.key, { play: !e.target.checked })}
                    />{" "}
                    not play
                  </label>
                </td>
                <td>
                  <button
                    type="button"
                    className="plain-button small"
                    aria-label={`Leave out leg ${i + 1}`}
                    onClick={() => set({ legs: form.legs.filter((x) => x !== l) })}
                  >
                    leave out
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="small" style={{ marginTop: 6 }}>
          <button type="button" className="plain-button" onClick={() => set({ legs: [...form.legs, leg()] })}>
            another leg
          </button>{" "}
          <span className="faded">
            By time for a subject without marks; without a time by the mark of its name.
          </span>
        </p>
      </section>
      <section>
        <h3>What carries the verdict</h3>
        <table className="ruled" aria-label="Primary figures">
          <tbody>
            {offered.map(({ name, label, margin_unit }) => (
              <tr key={name}>
                <td style={{ width: 220 }}>
                  <label>
                    <input
                      type="checkbox"
                      checked={form.primaries.includes(name)}
                      onChange={(e) =>
                        set({
                          primaries: e.target.checked
                            ? [...form.primaries, name]
                            : form.primaries.filter((p) => p !== name),
                        })
                      }
                    />{" "}
                    {label}
                  </label>
                </td>
                <td>
                  {form.primaries.includes(name) && (
                    <>
                      margin{" "}
                      <input
                        className="find-field"
                        style={{ width: 90 }}
                        type="number"
                        step="any"
                        min={0}
                        aria-label={`Margin of ${label}`}
                        placeholder="usual"
                        value={form.margins[name] ?? ""}
                        onChange={(e) => set({ margins: { ...form.margins, [name]: e.target.value } })}
                      />{" "}
                      <span className="faded">{margin_unit}</span>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <div className="fields">
        {text("Witnesses", "witnesses", "counters that must be alike on both sides; commas between")}
        {!form.policyRest.guards &&
          text("Guards", "guards", "side figures that must not get worse: counters, stated figures")}
        {text("Settled by counter", "settleCounter", "a run counts from when it is steady")}
        {form.settleCounter && amount("changes by less than, %", "settleWithin")}
        {form.settleCounter && amount("for seconds", "settleFor")}
        {text("Load is set by", "loadKnob", "what a subject is given more or less of")}
        {form.loadKnob && text("Loads", "loadValues", "numbers; the first is recorded unless a plan says")}
      </div>
      <section>
        <h3>Conditions</h3>
        <div className="fields" style={{ marginTop: 6 }}>
          {text("Must match", "mustMatch", "what no list holds must match too")}
          {text("May differ", "mayDiffer", "conditions that need not match")}
          {text("The change itself", "change", "conditions that are what changes")}
          {others.length > 0 && (
            <Field label="As in another scenario" hint="its three lists are put in here">
              <select className="find-field" value="" onChange={(e) => takeSheet(e.target.value)}>
                <option value="">choose one</option>
                {others.map((s) => (
                  <option key={s.id} value={s.name}>
                    {s.name}
                  </option>
                ))}
              </select>
            </Field>
          )}
        </div>
      </section>
      {write.error && (
        <p role="alert" className="spent">
          {write.error.message}
        </p>
      )}
      <div>
        <Button type="submit" variant="contained" disabled={write.isPending}>
          {old ? "Keep this version" : "Keep the scenario"}
        </Button>
      </div>
    </form>
  );
}
