import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { type FileLine, useBring } from "../../api/files";
import { useJob, useScenarios } from "../../api/queries";
import { JobProgress } from "../../app/JobProgress";
import { dropDraft, keepDraft, readDraft } from "../../form/drafts";
import { Line, Text, TextInput } from "../../kit";
import { Sentence } from "./Sentence";
import { type Arm, conditionsOf, type Order } from "./sorting";

interface BecomingProps {
  book: string;
  files: readonly FileLine[];
  arm: (file: FileLine) => Arm;
  order: Order;
  runs: Record<Arm, number>;
  course: ReturnType<typeof useCourse>;
}

const NOTHING = { scenario: "", target: "", rig: "", title: "", conditions: "", before: "", after: "" };
type Typed = typeof NOTHING;

/** What is typed once for all files, kept as a draft until they are brought in; the scenario is one of the book, or a
    new one with its target. */
export function useCourse(book: string) {
  const scenarios = useScenarios(book).data ?? [];
  const draft = `bring ${book}`;
  const [typed, setTyped] = useState<Typed>(() => ({
    ...NOTHING,
    ...(readDraft(draft)?.values as Partial<Typed> | undefined),
  }));
  const drop = useCallback(() => dropDraft(draft), [draft]);
  const type = (words: Partial<Typed>) => {
    const next = { ...typed, ...words };
    setTyped(next);
    keepDraft(draft, next);
  };
  const known = scenarios.find((s) => s.name === typed.scenario);
  const fps = known ? known.target_fps : Number(typed.target);
  return { scenarios, typed, type, drop, known, budget: fps ? 1000 / fps : null };
}

/** What is typed once for all, and the two ways to take them. */
export function Becoming({ book, files, arm, order, runs, course }: BecomingProps) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const bring = useBring(book);
  const job = useJob(bring.data);
  const { typed, type, drop, known } = course;
  const { scenario, target, rig, title } = typed;
  const { sheet, wrong } = conditionsOf(typed.conditions);
  const waiting = files.filter((f) => f.state === "receiving" || f.state === "looking").length;
  const open = files.filter((f) => f.open || f.problem).length;
  const targetWrong = target !== "" && !(Number(target) > 0);
  const lacks = [
    waiting > 0 && `${waiting} files are still on their way`,
    open > 0 && (open === 1 ? "one file is still to be answered" : `${open} files are still to be answered`),
    scenario.trim() === "" && "name the scenario",
    rig.trim() === "" && "name the rig",
    targetWrong && "the target is a number",
    wrong.length > 0 && `“${wrong[0]}” is no condition: key = value`,
  ].filter((one): one is string => Boolean(one));
  const entryLacks = [
    ...lacks,
    ...(["before", "after"] as const).filter((side) => runs[side] === 0).map((side) => `no run is ${side}`),
    ...(title.trim() === "" ? ["give the entry a title"] : []),
  ];
  const going = job !== undefined && job.state !== "failed" && job.state !== "cancelled";
  const send = (own: string) =>
    bring.mutate({
      files: files.map((f) => {
        const side = f.runs.some((run) => run.arm) ? "" : arm(f);
        return { file: f.id, arm: side, build: side ? typed[side] : "" };
      }),
      scenario: scenario.trim(),
      target_fps: known || target === "" ? null : Number(target),
      rig: rig.trim(),
      conditions: sheet,
      order,
      title: own,
    });
  useEffect(() => {
    if (job?.state !== "done") return;
    drop();
    void client.invalidateQueries({ queryKey: ["book", book] });
    navigate(
      job.result
        ? `/${book}/entries/${job.result.number}`
        : `/${book}/runs?find=${encodeURIComponent(scenario)}`,
    );
  }, [job, book, client, navigate, scenario, drop]);
  return (
    <Sentence>
      Scenario{" "}
      <TextInput
        aria-label="Scenario"
        list="scenarios of the book"
        value={scenario}
        maxLength={160}
        sx={{ width: 150 }}
        onChange={(e) => type({ scenario: e.target.value })}
      />
      <datalist id="scenarios of the book">
        {course.scenarios.map((s) => (
          <option key={s.id} value={s.name} />
        ))}
      </datalist>{" "}
      {known ? (
        <Text as="span" tone="faded">
          {known.target_fps ? `target ${known.target_fps} fps` : "no target rate"}
        </Text>
      ) : (
        <>
          target{" "}
          <TextInput
            aria-label="Target"
            inputMode="decimal"
            value={target}
            sx={{ width: 56 }}
            onChange={(e) => type({ target: e.target.value })}
          />{" "}
          fps
        </>
      )}
      <br />
      Rig{" "}
      <TextInput
        aria-label="Rig"
        value={rig}
        maxLength={80}
        sx={{ width: 130 }}
        onChange={(e) => type({ rig: e.target.value })}
      />
      {(["before", "after"] as const).map(
        (side) =>
          runs[side] > 0 && (
            <span key={side}>
              {" "}
              build {side}{" "}
              <TextInput
                aria-label={`Build ${side}`}
                value={typed[side]}
                maxLength={160}
                sx={{ width: 96 }}
                onChange={(e) => type({ [side]: e.target.value })}
              />
            </span>
          ),
      )}
      <TextInput
        aria-label="Conditions of all files"
        placeholder="conditions of all files, a line each: window = 1600x900"
        lines={2}
        value={typed.conditions}
        sx={{ width: "100%", marginTop: 8 }}
        onChange={(e) => type({ conditions: e.target.value })}
      />
      <TextInput
        aria-label="Title of the entry"
        placeholder="title of the entry: what changed"
        value={title}
        maxLength={200}
        sx={{ width: "100%", margin: "8px 0" }}
        onChange={(e) => type({ title: e.target.value })}
      />
      {job && job.state !== "done" ? (
        <JobProgress job={job} what="Bringing in" ended="what was made of the files stays" />
      ) : (
        <Line>
          <Button
            variant="contained"
            disabled={entryLacks.length > 0 || bring.isPending || going}
            onClick={() => send(title.trim())}
          >
            Write into a new entry
          </Button>
          <Button disabled={lacks.length > 0 || bring.isPending || going} onClick={() => send("")}>
            Keep as runs
          </Button>
        </Line>
      )}
      {entryLacks.length > 0 && (
        <Text small role="status" tone="faded">
          {entryLacks[0]}
        </Text>
      )}
      {bring.error && (
        <Text role="alert" tone="spent">
          {bring.error.message}
        </Text>
      )}
    </Sentence>
  );
}
