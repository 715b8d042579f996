import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { useEntries, usePlanRecording, useScenarios, useStandbys } from "../../api/queries";
import { useTitle } from "../../app/head";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Choice,
  Field,
  Fields,
  PageTitle,
  SheetForm,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TextInput,
  Unseen,
  Wide,
} from "../../kit";
import { type ArmForm, asPlan, newArm, type PlanForm } from "./plan";

function ArmRow({
  arm,
  index,
  alone,
  subjects,
  change,
  remove,
}: {
  arm: ArmForm;
  index: number;
  alone: boolean;
  subjects: string[];
  change: (values: Partial<ArmForm>) => void;
  remove: (() => void) | null;
}) {
  const label = arm.empty
    ? "empty"
    : alone
      ? "both arms"
      : index === 0
        ? "before"
        : index === 1
          ? "after"
          : `after ${index}`;
  return (
    <TableRow>
      <Cell tone={arm.empty ? "faded" : index === 0 ? "before" : "after"}>{label}</Cell>
      <Cell>
        <TextInput
          aria-label={`Build of ${label}`}
          size={14}
          value={arm.name}
          onChange={(e) => change({ name: e.target.value })}
        />
      </Cell>
      <Cell>
        <TextInput
          list="subjects"
          aria-label={`Subject of ${label}`}
          size={14}
          value={arm.subject}
          placeholder={subjects[0] ?? "name of the program"}
          onChange={(e) => change({ subject: e.target.value })}
        />
      </Cell>
      <Cell>
        <TextInput
          sx={{ width: "100%" }}
          aria-label={`Arguments of ${label}`}
          value={arm.arguments}
          onChange={(e) => change({ arguments: e.target.value })}
        />
      </Cell>
      <Cell>
        <TextInput
          aria-label={`Observers of ${label}`}
          size={14}
          value={arm.observers}
          placeholder="none"
          onChange={(e) => change({ observers: e.target.value })}
        />
      </Cell>
      <Cell>
        {remove && (
          <TextButton small onClick={remove} aria-label={`Leave out ${label}`}>
            leave out
          </TextButton>
        )}
      </Cell>
    </TableRow>
  );
}

/** Which scenario, which builds, how many runs: everything a recorder needs, and where it shall run. */
export default function PlanPage() {
  useTitle("Plan a recording");
  const { book = "" } = useParams();
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const scenarios = useScenarios(book);
  const standbys = useStandbys(book);
  const entries = useEntries(book, { recorded: false });
  const plan = usePlanRecording(book);
  const blank = search.get("blank") === "1";
  const [form, setForm] = useState<PlanForm>({
    entry: search.get("entry") ?? "",
    title: blank ? "Blank test" : "",
    scenario: search.get("scenario") ?? "",
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
  const [where, setWhere] = useState<string | null>(null);
  const set = (values: Partial<PlanForm>) => setForm((old) => ({ ...old, ...values }));
  if (scenarios.error && !scenarios.data)
    return <Failure error={scenarios.error} again={() => scenarios.refetch()} />;
  if (scenarios.isPending) return <Loading what="the scenarios" />;
  const offered = scenarios.data;
  if (offered.length === 0)
    return (
      <Empty title="First fix a scenario">
        <p>A recording plays a scenario: the same course every time, with the same seed and length.</p>
        <Link to={`/${book}/scenarios/write`}>Write the first scenario</Link>
      </Empty>
    );
  const asked_for = offered.find((s) => s.name === form.scenario);
  // A scenario just written may not be in the list yet; another one must never stand in for it.
  if (form.scenario && !asked_for)
    return scenarios.isFetching ? (
      <Loading what="the scenario" />
    ) : (
      <Failure error={new Error(`There is no scenario named ${form.scenario} in this book.`)} />
    );
  const scenario = asked_for ?? offered[0];
  const load = scenario?.definition.load;
  const open = entries.data?.pages.flatMap((p) => p.results).filter((e) => !e.verdict) ?? [];
  const subjects = [...new Set(standbys.data?.flatMap((s) => s.subjects) ?? [])];
  const asked = where ?? standbys.data?.[0]?.name ?? "";
  const seconds =
    Number(scenario?.definition.duration_s ?? 120) + Number(scenario?.definition.warm_up_s ?? 0);
  const armCount = blank ? 2 : form.arms.length;
  const total = (seconds + Number(scenario?.definition.cool_down_s ?? 0)) * Number(form.runs || 0) * armCount;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (!scenario) return;
    plan.mutate(
      {
        plan: asPlan({ ...form, scenario: scenario.name }, scenario.definition),
        asked_of: asked === "elsewhere" ? "" : asked,
      },
      { onSuccess: (made) => navigate(`/${book}/bench/${made.id}`) },
    );
  };
  const change = (key: number, values: Partial<ArmForm>) =>
    set({ arms: form.arms.map((a) => (a.key === key ? { ...a, ...values } : a)) });
  const played = form.arms.filter((a) => !a.empty);
  return (
    <SheetForm onSubmit={submit}>
      <div>
        <PageTitle>{blank ? "Plan a blank test" : "Plan a recording"}</PageTitle>
        {blank && (
          <Text tone="faded">
            One build recorded as both arms, to learn what this bench can see. Whatever it calls different is
            a false alarm.
          </Text>
        )}
      </div>
      <Fields>
        <Field label="Entry" hint="What is recorded comes into this entry.">
          <Choice value={form.entry} onChange={(e) => set({ entry: e.target.value })}>
            <option value="">a new entry</option>
            {open.map((e) => (
              <option key={e.number} value={e.number}>
                {e.number}. {e.title}
              </option>
            ))}
          </Choice>
        </Field>
        {form.entry === "" && (
          <Field label={blank ? "Title" : "What changes"}>
            <TextInput
              required
              maxLength={200}
              value={form.title}
              onChange={(e) => set({ title: e.target.value })}
            />
          </Field>
        )}
        <Field label="Scenario">
          <Choice value={scenario?.name} onChange={(e) => set({ scenario: e.target.value, load: "" })}>
            {offered.map((s) => (
              <option key={s.id} value={s.name}>
                {s.name}, version {s.version}
              </option>
            ))}
          </Choice>
        </Field>
      </Fields>
      <section>
        <h2>Arms</h2>
        <datalist id="subjects">
          {subjects.map((s) => (
            <option key={s} value={s} />
          ))}
        </datalist>
        <Wide aria-label="The arms">
          <Table aria-label="Arms">
            <TableHead>
              <TableRow>
                <Cell>Arm</Cell>
                <Cell>Build</Cell>
                <Cell>Subject</Cell>
                <Cell sx={{ width: "45%" }}>Arguments</Cell>
                <Cell>Observers</Cell>
                <Cell>
                  <Unseen>what can be done</Unseen>
                </Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {form.arms.map((arm) => (
                <ArmRow
                  key={arm.key}
                  arm={arm}
                  index={played.indexOf(arm)}
                  alone={blank}
                  subjects={subjects}
                  change={(values) => change(arm.key, values)}
                  remove={
                    arm.empty || (played.length > 2 && played.indexOf(arm) > 1)
                      ? () => set({ arms: form.arms.filter((a) => a !== arm) })
                      : null
                  }
                />
              ))}
            </TableBody>
          </Table>
        </Wide>
        {!blank && (
          <Text small sx={{ display: "flex", gap: 16, marginTop: 6 }}>
            <TextButton
              onClick={() =>
                set({
                  arms: [...played, newArm(`after ${played.length}`), ...form.arms.filter((a) => a.empty)],
                  // Looks are for two arms.
                  ...(form.untilDecided ? { untilDecided: false, runs: "5" } : {}),
                })
              }
            >
              another arm
            </TextButton>
            {!form.arms.some((a) => a.empty) && (
              <TextButton onClick={() => set({ arms: [...form.arms, newArm("empty", true)] })}>
                an empty arm
              </TextButton>
            )}
            <Text as="span" tone="faded">
              The empty arm is the scenario with its work switched off: what measuring itself costs.
            </Text>
          </Text>
        )}
      </section>
      <Fields>
        <Field label="How long">
          <Choice
            value={form.untilDecided ? "decided" : "fixed"}
            onChange={(e) => {
              const untilDecided = e.target.value === "decided";
              set({ untilDecided, runs: untilDecided ? "15" : "5" });
            }}
          >
            <option value="fixed">so many runs</option>
            {played.length === 2 && <option value="decided">until decided</option>}
          </Choice>
        </Field>
        <Field
          label={form.untilDecided ? "Most runs an arm" : "Runs an arm"}
          hint={
            form.untilDecided
              ? "A look after each pair from the 4th on; all looks together stay at 5 %."
              : "5 is the recommended least."
          }
        >
          <TextInput
            type="number"
            min={1}
            max={1000}
            required
            value={form.runs}
            onChange={(e) => set({ runs: e.target.value })}
          />
        </Field>
        <Field label="Order">
          <Choice value={form.order} onChange={(e) => set({ order: e.target.value as PlanForm["order"] })}>
            <option value="pairs">random within blocks</option>
            <option value="mirrored">mirrored blocks</option>
          </Choice>
        </Field>
        {load && (
          <Field label="Load" hint="{load} in the arguments">
            <Choice value={form.load} onChange={(e) => set({ load: e.target.value })}>
              {load.values.map((value, i) => (
                <option key={value} value={i === 0 ? "" : value}>
                  {value} {load.knob}
                </option>
              ))}
            </Choice>
          </Field>
        )}
        <Field label="Played">
          <Choice value={form.played} onChange={(e) => set({ played: e.target.value as PlanForm["played"] })}>
            <option value="by itself">by itself</option>
            <option value="by hand">by hand</option>
          </Choice>
        </Field>
        <Field label="Try a failed run again" hint="times; every attempt is kept">
          <TextInput
            type="number"
            min={0}
            max={10}
            value={form.retries}
            onChange={(e) => set({ retries: e.target.value })}
          />
        </Field>
        <Field label="Wait for a quiet machine" hint="other work below so many % of a core">
          <TextInput
            type="number"
            min={0}
            max={6400}
            placeholder="do not wait"
            value={form.quiet}
            onChange={(e) => set({ quiet: e.target.value })}
          />
        </Field>
        <Field label="Files that must not change" hint="hashed before every run; commas between">
          <TextInput value={form.files} onChange={(e) => set({ files: e.target.value })} />
        </Field>
        <Field label="Conditions" hint="one a line, as window: 1600x900">
          <TextInput
            lines={3}
            value={form.conditions}
            onChange={(e) => set({ conditions: e.target.value })}
          />
        </Field>
        <Field label="Record on">
          <Choice value={asked} onChange={(e) => setWhere(e.target.value)}>
            {standbys.data?.map((s) => (
              <option key={s.name} value={s.name}>
                {s.name} (stands by)
              </option>
            ))}
            <option value="elsewhere">another machine, by a command</option>
          </Choice>
        </Field>
      </Fields>
      {plan.error && (
        <Text role="alert" tone="spent">
          {plan.error.message}
        </Text>
      )}
      <Box sx={{ display: "flex", gap: 14, alignItems: "center" }}>
        <Button type="submit" variant="contained" disabled={plan.isPending}>
          {asked && asked !== "elsewhere" ? "Start recording" : "Plan it"}
        </Button>
        <Text as="span" tone="faded">
          {armCount} × {form.runs || 0} runs of {seconds} s: {form.untilDecided && "at most "}about{" "}
          {total < 120 ? `${Math.round(total)} s` : `${Math.round(total / 60)} min`}.
        </Text>
      </Box>
    </SheetForm>
  );
}
