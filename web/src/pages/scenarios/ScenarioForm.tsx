import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { useFigures, useScenario, useScenarios, useWriteScenario } from "../../api/queries";
import { useTitle } from "../../app/head";
import { Failure, Loading } from "../../app/states";
import {
  Cell,
  Choice,
  Field,
  Fields,
  PageTitle,
  SheetForm,
  Table,
  TableBody,
  TableRow,
  Text,
  TextButton,
  TextInput,
  Tick,
} from "../../kit";
import {
  asDefinition,
  BLANK,
  type Figures,
  type Form,
  fromDefinition,
  type LegForm,
  leg,
  usual,
} from "./definition";

/** Write a scenario, or the next version of one. */
export default function ScenarioForm() {
  const { book = "" } = useParams();
  const [search] = useSearchParams();
  const of = Number(search.get("of") ?? 0);
  const old = useScenario(book, of);
  useTitle(old.data ? `${old.data.name}: the next version` : "Write a scenario");
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
      <TextInput
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
      <TextInput
        type="number"
        step="any"
        value={form[key]}
        onChange={(e) => set({ [key]: e.target.value })}
      />
    </Field>
  );
  return (
    <SheetForm onSubmit={submit}>
      <PageTitle>{old ? `${form.name}: the next version` : "Write a scenario"}</PageTitle>
      <Fields>
        {text("Name", "name")}
        {amount(
          "Target, frames a second",
          "target_fps",
          Number(form.target_fps) > 0
            ? `a budget of ${(1000 / Number(form.target_fps)).toFixed(2)} ms`
            : "no target: no lateness",
        )}
        <Field label="Kind">
          <Choice value={form.kind} onChange={(e) => set({ kind: e.target.value })}>
            <option value="typical">typical</option>
            <option value="stress">stress</option>
          </Choice>
        </Field>
        {amount("Seconds a run", "duration_s")}
        {amount("Warm-up, seconds", "warm_up_s", "left out on both sides")}
        {amount("Cool-down, seconds", "cool_down_s", "between runs")}
        {amount("Seed", "seed")}
      </Fields>
      <section>
        <h2>Legs</h2>
        <Table aria-label="Legs">
          <TableBody>
            {form.legs.map((l, i) => (
              <TableRow key={l.key}>
                <Cell>
                  <TextInput
                    aria-label={`Leg ${i + 1}`}
                    required
                    value={l.name}
                    onChange={(e) => setLeg(l.key, { name: e.target.value })}
                  />
                </Cell>
                <Cell>
                  from{" "}
                  <TextInput
                    sx={{ width: 90 }}
                    type="number"
                    step="any"
                    min={0}
                    aria-label={`Leg ${i + 1} starts at`}
                    placeholder="its mark"
                    value={l.from_s}
                    onChange={(e) => setLeg(l.key, { from_s: e.target.value })}
                  />{" "}
                  s
                </Cell>
                <Cell>
                  <Tick
                    label="not play"
                    checked={!l.play}
                    onChange={(e) => setLeg(l.key, { play: !e.target.checked })}
                  />
                </Cell>
                <Cell>
                  <TextButton
                    small
                    aria-label={`Leave out leg ${i + 1}`}
                    onClick={() => set({ legs: form.legs.filter((x) => x !== l) })}
                  >
                    leave out
                  </TextButton>
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        <Text small sx={{ marginTop: 6 }}>
          <TextButton onClick={() => set({ legs: [...form.legs, leg()] })}>another leg</TextButton>{" "}
          <Text as="span" tone="faded">
            By time for a subject without marks; without a time by the mark of its name.
          </Text>
        </Text>
      </section>
      <section>
        <h2>What carries the verdict</h2>
        <Table aria-label="Primary figures">
          <TableBody>
            {offered.map(({ name, label, margin_unit }) => (
              <TableRow key={name}>
                <Cell sx={{ width: 220 }}>
                  <Tick
                    checked={form.primaries.includes(name)}
                    onChange={(e) =>
                      set({
                        primaries: e.target.checked
                          ? [...form.primaries, name]
                          : form.primaries.filter((p) => p !== name),
                      })
                    }
                    label={label}
                  />
                </Cell>
                <Cell>
                  {form.primaries.includes(name) && (
                    <>
                      margin{" "}
                      <TextInput
                        sx={{ width: 90 }}
                        type="number"
                        step="any"
                        min={0}
                        aria-label={`Margin of ${label}`}
                        placeholder="usual"
                        value={form.margins[name] ?? ""}
                        onChange={(e) => set({ margins: { ...form.margins, [name]: e.target.value } })}
                      />{" "}
                      <Text as="span" tone="faded">
                        {margin_unit}
                      </Text>
                    </>
                  )}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </section>
      <Fields>
        {text("Witnesses", "witnesses", "counters that must be alike on both sides; commas between")}
        {!form.policyRest.guards &&
          text("Guards", "guards", "side figures that must not get worse: counters, stated figures")}
        {text("Settled by counter", "settleCounter", "a run counts from when it is steady")}
        {form.settleCounter && amount("changes by less than, %", "settleWithin")}
        {form.settleCounter && amount("for seconds", "settleFor")}
        {text("Load is set by", "loadKnob", "what a subject is given more or less of")}
        {form.loadKnob && text("Loads", "loadValues", "numbers; the first is recorded unless a plan says")}
      </Fields>
      <section>
        <h2>Conditions</h2>
        <Fields sx={{ marginTop: 6 }}>
          {text("Must match", "mustMatch", "what no list holds must match too")}
          {text("May differ", "mayDiffer", "conditions that need not match")}
          {text("The change itself", "change", "conditions that are what changes")}
          {others.length > 0 && (
            <Field label="As in another scenario" hint="its three lists are put in here">
              <Choice value="" onChange={(e) => takeSheet(e.target.value)}>
                <option value="">choose one</option>
                {others.map((s) => (
                  <option key={s.id} value={s.name}>
                    {s.name}
                  </option>
                ))}
              </Choice>
            </Field>
          )}
        </Fields>
      </section>
      {write.error && (
        <Text role="alert" tone="spent">
          {write.error.message}
        </Text>
      )}
      <div>
        <Button type="submit" variant="contained" disabled={write.isPending}>
          {old ? "Keep this version" : "Keep the scenario"}
        </Button>
      </div>
    </SheetForm>
  );
}
