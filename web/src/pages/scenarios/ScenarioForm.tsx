import { useFieldArray } from "react-hook-form";
import { useNavigate, useParams, useSearchParams } from "react-router";
import { useFigures, useScenario, useScenarios, useWriteScenario } from "../../api/queries";
import { useTitle } from "../../app/head";
import { Failure, Loading } from "../../app/states";
import { amount, amounts, Chosen, required, Sending, Ticked, text, useSheet, Written } from "../../form";
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
  Tick,
} from "../../kit";
import { asDefinition, emptyForm, type Figures, type Form, fromDefinition, leg } from "./definition";

type NumberField =
  | "target_fps"
  | "duration_s"
  | "warm_up_s"
  | "cool_down_s"
  | "seed"
  | "settleWithin"
  | "settleFor";

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
    : { ...emptyForm(figures.data), ...proposed(search) };
  // A page that found what is to be reproduced leads on to a plan of it.
  const then = search.get("then");
  return (
    <Writing
      key={search.toString()}
      book={book}
      of={of}
      start={start}
      figures={figures.data}
      {...(then !== null && { then })}
    />
  );
}

/** What an address proposes for a new scenario. */
const proposed = (search: URLSearchParams): Partial<Form> => ({
  ...(search.get("name") && { name: search.get("name") ?? "" }),
  ...(search.get("target_fps") && { target_fps: search.get("target_fps") ?? "" }),
  ...(search.get("leg") && { legs: [leg(search.get("leg") ?? "", "0")] }),
});

/** The form's fields of keys that it calls otherwise. */
const PLACES: Record<string, string> = {
  "load.knob": "loadKnob",
  "load.values": "loadValues",
  "settle.counter": "settleCounter",
  "settle.within": "settleWithin",
  "settle.for_s": "settleFor",
};
const fieldOf = (at: string) =>
  at.startsWith("policy.margins.") ? at.replace("policy.", "") : (PLACES[at.replace(/\.\d+$/, "")] ?? at);

interface WritingProps {
  book: string;
  of: number;
  start: Form;
  figures: Figures;
  /** What a plan of the new scenario is to begin with. */
  then?: string;
}

function Writing({ book, of, start, figures, then }: WritingProps) {
  const write = useWriteScenario(book);
  const navigate = useNavigate();
  const old = of > 0;
  const sheet = useSheet({
    values: start,
    send: (form: Form) =>
      write.mutateAsync({ name: form.name.trim(), definition: asDefinition(form, figures) }),
    sent: (made) =>
      navigate(
        then === undefined
          ? `/${book}/scenarios/${made.id}`
          : `/${book}/bench/plan?scenario=${encodeURIComponent(made.name)}&${then}`,
      ),
    draft: old ? `${book} version of ${of}` : `${book} scenario${then ? ` ${start.name}` : ""}`,
    place: fieldOf,
  });
  const legs = useFieldArray({ control: sheet.control, name: "legs" });
  const [target, primaries, settle, knob, kept] = sheet.watch([
    "target_fps",
    "primaries",
    "settleCounter",
    "loadKnob",
    "policyRest",
  ]);
  const others = useScenarios(book).data?.filter((s) => s.name !== start.name) ?? [];
  const takeSheet = (name: string) => {
    const other = others.find((s) => s.name === name);
    if (!other) return;
    const { mustMatch, mayDiffer, change } = fromDefinition(name, other.definition, figures);
    for (const [key, value] of Object.entries({ mustMatch, mayDiffer, change }))
      sheet.setValue(key as "mustMatch", value, { shouldDirty: true });
  };
  const offered = figures.filter((f) => f.for_verdict || start.primaries.includes(f.name));
  const written = (
    label: string,
    key: "witnesses" | "guards" | "mustMatch" | "mayDiffer" | "change" | "settleCounter" | "loadKnob",
    hint?: string,
  ) => <Written of={sheet} name={key} label={label} hint={hint} />;
  const number = (label: string, name: NumberField, bounds: Parameters<typeof amount>[0], hint?: string) => (
    <Written of={sheet} name={name} label={label} hint={hint} inputMode="decimal" rules={amount(bounds)} />
  );
  return (
    <SheetForm noValidate onSubmit={sheet.submit}>
      <PageTitle>{old ? `${start.name}: the next version` : "Write a scenario"}</PageTitle>
      <Fields>
        <Written of={sheet} name="name" label="Name" disabled={old} rules={{ ...required, ...text(160) }} />
        {number(
          "Target, frames a second",
          "target_fps",
          { least: 1, most: 10_000 },
          Number(target) > 0
            ? `a budget of ${(1000 / Number(target)).toFixed(2)} ms`
            : "no target: no lateness",
        )}
        <Chosen of={sheet} name="kind" label="Kind">
          <option value="typical">typical</option>
          <option value="stress">stress</option>
        </Chosen>
        {number("Seconds a run", "duration_s", { least: 0 })}
        {number("Warm-up, seconds", "warm_up_s", { least: 0 }, "left out on both sides")}
        {number("Cool-down, seconds", "cool_down_s", { least: 0 }, "between runs")}
        {number("Seed", "seed", { whole: true })}
      </Fields>
      <section>
        <h2>Legs</h2>
        <Table aria-label="Legs">
          <TableBody>
            {legs.fields.map((leg, i) => (
              <TableRow key={leg.id}>
                <Cell>
                  <Written bare of={sheet} name={`legs.${i}.name`} label={`Leg ${i + 1}`} rules={required} />
                </Cell>
                <Cell>
                  from{" "}
                  <Written
                    bare
                    of={sheet}
                    name={`legs.${i}.from_s`}
                    label={`Leg ${i + 1} starts at`}
                    sx={{ width: 90 }}
                    inputMode="decimal"
                    placeholder="its mark"
                    rules={amount({ least: 0 })}
                  />{" "}
                  s
                </Cell>
                <Cell>
                  <Ticked inverse of={sheet} name={`legs.${i}.play`} label="not play" />
                </Cell>
                <Cell>
                  <TextButton small aria-label={`Leave out leg ${i + 1}`} onClick={() => legs.remove(i)}>
                    leave out
                  </TextButton>
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        <Text small sx={{ marginTop: 6 }}>
          <TextButton onClick={() => legs.append(leg())}>another leg</TextButton>{" "}
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
                    checked={primaries.includes(name)}
                    onChange={(e) =>
                      sheet.setValue(
                        "primaries",
                        e.target.checked ? [...primaries, name] : primaries.filter((p) => p !== name),
                        { shouldDirty: true },
                      )
                    }
                    label={label}
                  />
                </Cell>
                <Cell>
                  {primaries.includes(name) && (
                    <>
                      margin{" "}
                      <Written
                        bare
                        of={sheet}
                        name={`margins.${name}`}
                        label={`Margin of ${label}`}
                        sx={{ width: 90 }}
                        inputMode="decimal"
                        placeholder="usual"
                        rules={amount({ least: 0 })}
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
        {written("Witnesses", "witnesses", "counters that must be alike on both sides; commas between")}
        {!kept.guards &&
          written("Guards", "guards", "side figures that must not get worse: counters, stated figures")}
        {written("Settled by counter", "settleCounter", "a run counts from when it is steady")}
        {settle && number("changes by less than, %", "settleWithin", { least: 0 })}
        {settle && number("for seconds", "settleFor", { least: 0 })}
        {written("Load is set by", "loadKnob", "what a subject is given more or less of")}
        {knob && (
          <Written
            of={sheet}
            name="loadValues"
            label="Loads"
            hint="numbers; the first is recorded unless a plan says"
            rules={{ ...required, ...amounts() }}
          />
        )}
      </Fields>
      <section>
        <h2>Conditions</h2>
        <Fields sx={{ marginTop: 6 }}>
          {written("Must match", "mustMatch", "what no list holds must match too")}
          {written("May differ", "mayDiffer", "conditions that need not match")}
          {written("The change itself", "change", "conditions that are what changes")}
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
      <Sending of={sheet} verb={old ? "Keep this version" : "Keep the scenario"} />
    </SheetForm>
  );
}
