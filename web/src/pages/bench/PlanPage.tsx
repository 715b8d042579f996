import Button from "@mui/material/Button";
import { useEffect } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { usePlanOf, usePlanRecording, useRecordings, useStandbys, useSubjects } from "../../api/bench";
import type { Schemas } from "../../api/client";
import { useEntries, useScenarios } from "../../api/queries";
import { usePlanMatrix } from "../../api/vary";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { Empty, Failure, Loading } from "../../app/states";
import { amount, Chosen, required, Said, text, useSheet, Written } from "../../form";
import { Box, Choice, Field, Fields, PageTitle, SheetForm, Text } from "../../kit";
import { Arms } from "./Arms";
import { isKind, KINDS, kindOf } from "./kinds";
import { Over } from "./Over";
import {
  armsOf,
  asMatrix,
  asPlan,
  cellsOf,
  chooses,
  ELSEWHERE,
  emptyPlan,
  fieldOf,
  fromPlan,
  type PlanForm,
  VISITOR,
} from "./plan";
import { Sweep } from "./Sweep";
import { Switches } from "./Switches";
import { Visible } from "./Visible";

type Scenario = Schemas["ScenarioLine"];

/** What the page begins with: empty, a blank test, for an entry or a scenario, or like an earlier plan. */
export default function PlanPage() {
  useTitle("Plan a recording");
  const { book = "" } = useParams();
  const [search] = useSearchParams();
  const like = search.get("like") ?? "";
  const asked = search.get("what") ?? "";
  const scenarios = useScenarios(book);
  const standbys = useStandbys(book);
  const earlier = usePlanOf(like);
  const failed = (scenarios.error && !scenarios.data && scenarios) || (earlier.error && earlier);
  if (failed) return <Failure error={failed.error as Error} again={() => failed.refetch()} />;
  if (scenarios.isPending || standbys.isPending || (like && !earlier.data))
    return <Loading what="what a plan needs" />;
  const offered = scenarios.data;
  const first = offered[0];
  if (!first)
    return (
      <Empty title="First fix a scenario">
        <p>A recording plays a scenario: the same course every time, with the same seed and length.</p>
        <Link to={`/${book}/scenarios/write`}>Write the first scenario</Link>
      </Empty>
    );
  const copied = earlier.data && fromPlan(earlier.data.plan);
  const wanted = search.get("scenario") ?? copied?.scenario ?? "";
  // A scenario just written may not be in the list yet; another one must never stand in for it.
  if (wanted && !offered.some((s) => s.name === wanted))
    return scenarios.isFetching ? (
      <Loading what="the scenario" />
    ) : (
      <Failure error={new Error(`There is no scenario named ${wanted} in this book.`)} />
    );
  const start: PlanForm = {
    ...(copied ?? emptyPlan(isKind(asked) ? asked : "")),
    ...fresh(copied, search.get("values")),
    ...(search.get("runs") && { runs: search.get("runs") ?? "" }),
    entry: search.get("entry") ?? "",
    ...(search.get("title") && { title: search.get("title") ?? "" }),
    ...(search.get("conditions") && { conditions: search.get("conditions") ?? "" }),
    // The one that is recorded most.
    scenario:
      wanted || offered.reduce((most, one) => (one.compared > most.compared ? one : most), first).name,
    where: copied?.where || (standbyFor(standbys.data ?? [], search.get("rig")) ?? ELSEWHERE),
  };
  return <Planning key={search.toString()} book={book} start={start} scenarios={offered} like={like} />;
}

/** Who records: the recorder of the rig that is wanted, else the first that stands by. */
const standbyFor = (there: readonly { name: string }[], rig: string | null) =>
  (rig ? there.find((one) => one.name === rig) : there[0])?.name;

/** Runs of each level that a ramp begins with, before it chooses further ones. */
const FIRST_PASSES = 2;

/** A sweep's fresh passes over values of their own; no further levels are chosen then. */
const fresh = (copied: PlanForm | undefined, values: string | null) =>
  copied?.sweep && values
    ? {
        sweep: {
          ...copied.sweep,
          values: values.split(",").join(", "),
          until: "",
          mostRuns: "",
          mostValue: "",
        },
      }
    : {};

interface PlanningProps {
  book: string;
  start: PlanForm;
  scenarios: readonly Scenario[];
  like: string;
}

/** Which scenario, which builds, how many runs: everything a recorder needs, and where it shall run. */
function Planning({ book, start, scenarios, like }: PlanningProps) {
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const standbys = useStandbys(book).data ?? [];
  const subjects = useSubjects(book).data ?? [];
  const recordings = useRecordings(book, ["entry", "account"]).data?.results ?? [];
  const entries = useEntries(book, { recorded: false });
  const plan = usePlanRecording(book);
  const matrix = usePlanMatrix(book);
  const { blank } = start;
  const kind = KINDS[kindOf(start)];
  // What comes of it is an account, and no entry.
  const over = start.over != null;
  const ofLine = start.ofLine === true;
  const switched = start.switches.length > 0 || start.sweep !== null || over || ofLine;
  const sheet = useSheet({
    values: start,
    send: async (form: PlanForm): Promise<{ id: string; at: string }> => {
      const definition = scenarios.find((s) => s.name === form.scenario)?.definition ?? {};
      if (over) {
        const made = await matrix.mutateAsync(asMatrix(form, definition));
        return { id: made.recordings[0] ?? "", at: "matrix" };
      }
      const made = await plan.mutateAsync({
        plan: asPlan(form, definition),
        asked_of: form.where === ELSEWHERE || form.where === VISITOR ? "" : form.where,
      });
      return { id: made.id, at: "bench" };
    },
    sent: (made) => navigate(`/${book}/${made.at}/${made.id}`),
    draft: `${book} plan ${search.toString()}`,
    place: fieldOf,
  });
  const form = sheet.watch();
  // A recorder that comes to stand by meanwhile is where it goes, unless one chose otherwise.
  const rig = search.get("rig");
  const comes = standbyFor(standbys, rig);
  const chose = sheet.takenUp !== "" || sheet.formState.dirtyFields.where === true || start.where === VISITOR;
  const { resetField } = sheet;
  useEffect(() => {
    if (comes && !chose) resetField("where", { defaultValue: comes });
  }, [comes, chose, resetField]);
  const scenario = scenarios.find((s) => s.name === form.scenario);
  const load = scenario?.definition.load;
  const open = entries.data?.pages.flatMap((p) => p.results).filter((e) => !e.verdict) ?? [];
  const seconds =
    Number(scenario?.definition.duration_s ?? 120) + Number(scenario?.definition.warm_up_s ?? 0);
  const visited = form.where === VISITOR;
  const untilDecided = form.untilDecided && !visited;
  const played = form.arms.filter((arm) => !arm.empty).length;
  const cells = cellsOf(form);
  const armCount = armsOf(form) * cells;
  const choosing = chooses(form);
  const runs = choosing ? FIRST_PASSES : Number(form.runs) || 0;
  const total = (seconds + Number(scenario?.definition.cool_down_s ?? 0)) * runs * armCount;
  const copyFrom = (id: string) => setSearch(id ? { like: id } : {});
  return (
    <SheetForm noValidate onSubmit={sheet.submit}>
      <div>
        <PageTitle>{kind.head}</PageTitle>
        {kind.says && <Text tone="faded">{kind.says}</Text>}
      </div>
      <Said of={sheet} />
      <Fields>
        {!switched && (
          <Chosen of={sheet} name="entry" label="Entry" hint="What is recorded comes into this entry.">
            <option value="">a new entry</option>
            {open.map((e) => (
              <option key={e.number} value={e.number}>
                {e.number}. {e.title}
              </option>
            ))}
          </Chosen>
        )}
        {form.entry === "" && (
          <Written
            of={sheet}
            name="title"
            label={blank ? "Title" : switched ? "What is asked" : "What changes"}
            rules={{ ...required, ...text(200) }}
          />
        )}
        <Chosen of={sheet} name="scenario" label="Scenario" onChosen={() => sheet.setValue("load", "")}>
          {scenarios.map((s) => (
            <option key={s.id} value={s.name}>
              {s.name}, version {s.version}
            </option>
          ))}
        </Chosen>
        {recordings.length > 0 && (
          <Field label="As an earlier plan" hint="its arms and settings are put in here">
            <Choice value={like} onChange={(e) => copyFrom(e.target.value)}>
              <option value="">not as another</option>
              {recordings.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.title}, {day(r.created_at)}
                </option>
              ))}
            </Choice>
          </Field>
        )}
      </Fields>
      <Arms of={sheet} blank={blank} subjects={subjects} where={form.where} />
      {start.switches.length > 0 && <Switches of={sheet} />}
      {start.sweep && <Sweep of={sheet} />}
      {over && <Over of={sheet} recorders={standbys.map((s) => s.name)} />}
      <Fields>
        {!choosing && (
          <>
            <Field label="How long">
              <Choice
                value={untilDecided ? "decided" : "fixed"}
                onChange={(e) => {
                  const decided = e.target.value === "decided";
                  sheet.setValue("untilDecided", decided, { shouldDirty: true });
                  sheet.setValue("runs", decided ? "15" : "5", { shouldDirty: true });
                }}
              >
                <option value="fixed">so many runs</option>
                {played === 2 && !blank && !switched && !visited && (
                  <option value="decided">until decided</option>
                )}
              </Choice>
            </Field>
            <Written
              of={sheet}
              name="runs"
              label={untilDecided ? "Most runs an arm" : ofLine ? "Runs" : "Runs an arm"}
              hint={
                untilDecided
                  ? "A look after each pair from the 4th on; all looks together stay at 5 %."
                  : switched && !ofLine
                    ? "passes; 3 are the recommended least."
                    : "5 is the recommended least."
              }
              inputMode="numeric"
              rules={{ ...required, ...amount({ least: 1, most: 1000, whole: true }) }}
            />
          </>
        )}
        {!ofLine && (
          <Chosen of={sheet} name="order" label="Order">
            <option value="pairs">random within blocks</option>
            <option value="mirrored">mirrored blocks</option>
          </Chosen>
        )}
        {load && (
          <Chosen of={sheet} name="load" label="Load" hint="{load} in the arguments">
            {load.values.map((value, i) => (
              <option key={value} value={i === 0 ? "" : value}>
                {value} {load.knob}
              </option>
            ))}
          </Chosen>
        )}
        {!visited && (
          <Chosen of={sheet} name="played" label="Played">
            <option value="by itself">by itself</option>
            <option value="by hand">by hand</option>
          </Chosen>
        )}
        <Written
          of={sheet}
          name="retries"
          label="Try a failed run again"
          hint="times; every attempt is kept"
          inputMode="numeric"
          rules={amount({ least: 0, most: 10, whole: true })}
        />
        {!visited && (
          <>
            <Written
              of={sheet}
              name="quiet"
              label="Wait for a quiet machine"
              hint="other work below so many % of a core"
              inputMode="decimal"
              placeholder="do not wait"
              rules={amount({ least: 0, most: 6400 })}
            />
            <Written
              of={sheet}
              name="files"
              label="Files that must not change"
              hint="hashed before every run; commas between"
            />
          </>
        )}
        <Written
          of={sheet}
          name="conditions"
          label="Conditions"
          hint="each on a line of its own, as window: 1600x900"
          lines={3}
        />
        <Chosen
          of={sheet}
          name="where"
          label="Record on"
          hint={rig && !comes && `It was met on ${rig}: no recorder of that name stands by.`}
        >
          {standbys.map((s) => (
            <option key={s.name} value={s.name}>
              {s.name} (stands by)
            </option>
          ))}
          <option value={ELSEWHERE}>another machine, by a command</option>
          <option value={VISITOR}>a visitor's browser, by a link</option>
        </Chosen>
      </Fields>
      {scenario && runs > 0 && !ofLine && (
        <Visible book={book} scenario={scenario.id} runs={runs} rig={form.where} />
      )}
      <Box sx={{ display: "flex", gap: 14, alignItems: "center" }}>
        <Button type="submit" variant="contained" disabled={sheet.sending}>
          {form.where === ELSEWHERE || visited ? "Plan it" : "Start recording"}
        </Button>
        <Text as="span" tone="faded">
          {cells > 1 && `${cells} cells: `}
          {armCount} × {runs} runs of {seconds} s{choosing && " to begin with"}: {untilDecided && "at most "}
          about {total < 120 ? `${Math.round(total)} s` : `${Math.round(total / 60)} min`}.
        </Text>
      </Box>
    </SheetForm>
  );
}
