import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";
import type { FigureChoice, Schemas } from "../../api/client";
import { useDropGoal, useFigures, useGoals, useMoveGoal, useSetGoal } from "../../api/queries";
import { day } from "../../app/days";
import { Failure, Loading } from "../../app/states";
import { Box, Choice, Field, Fields, InlineForm, RuledList, Text, TextButton, TextInput } from "../../kit";

type Goal = Schemas["Goal"];
const COUNTER = "most:";
const scaleOf = (figures: readonly FigureChoice[], figure: string) =>
  figures.find((f) => f.name === figure)?.threshold_scale ?? 1;
interface MoveProps {
  book: string;
  goal: Goal;
  figures: readonly FigureChoice[];
  done: () => void;
}

function Move({ book, goal, figures, done }: MoveProps) {
  const move = useMoveGoal(book);
  const [threshold, setThreshold] = useState(
    String(Number(((goal.moves[0]?.threshold ?? 0) * scaleOf(figures, goal.figure)).toPrecision(8))),
  );
  const [reason, setReason] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    move.mutate(
      { goal: goal.id, threshold: Number(threshold) / scaleOf(figures, goal.figure), reason },
      { onSuccess: done },
    );
  };
  return (
    <InlineForm onSubmit={submit}>
      <TextInput
        sx={{ width: 90 }}
        type="number"
        step="any"
        min={0}
        required
        aria-label="New threshold"
        value={threshold}
        onChange={(e) => setThreshold(e.target.value)}
      />
      <TextInput
        sx={{ flex: 1 }}
        required
        placeholder="why it is moved"
        aria-label="Why it is moved"
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <Button type="submit" disabled={move.isPending}>
        Move the goal
      </Button>
      {move.error && (
        <Text role="alert" as="span" tone="spent">
          {move.error.message}
        </Text>
      )}
    </InlineForm>
  );
}

interface NewGoalProps {
  book: string;
  scenario: number;
  figures: readonly FigureChoice[];
  done: () => void;
}

function NewGoal({ book, scenario, figures, done }: NewGoalProps) {
  const make = useSetGoal(book, scenario);
  const [form, setForm] = useState({
    figure: "slowest_second_fps",
    counter: "",
    threshold: "",
    legs: "",
    load: "",
    rig: "",
    reason: "",
  });
  const field = (label: string, key: keyof typeof form, hint?: string, required = false) => (
    <Field label={label} hint={hint}>
      <TextInput
        type={key === "threshold" ? "number" : "text"}
        step="any"
        required={required}
        value={form[key]}
        onChange={(e) => setForm({ ...form, [key]: e.target.value })}
      />
    </Field>
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const figure = form.figure === COUNTER ? `${COUNTER}${form.counter.trim()}` : form.figure;
    const legs = form.legs
      .split(",")
      .map((leg) => leg.trim())
      .filter(Boolean);
    make.mutate(
      {
        figure,
        threshold: Number(form.threshold) / scaleOf(figures, figure),
        legs,
        load: form.load,
        rig: form.rig,
        reason: form.reason,
      },
      { onSuccess: done },
    );
  };
  return (
    <Box component="form" onSubmit={submit} sx={{ display: "grid", gap: 12, marginTop: 10 }}>
      <Fields>
        <Field label="Figure">
          <Choice value={form.figure} onChange={(e) => setForm({ ...form, figure: e.target.value })}>
            {figures
              .filter((f) => f.for_goal)
              .map((f) => (
                <option key={f.name} value={f.name}>
                  {f.label}, {f.limit} {f.unit}
                </option>
              ))}
            <option value={COUNTER}>A counter, at most in any frame</option>
          </Choice>
        </Field>
        {form.figure === COUNTER && field("Counter", "counter", undefined, true)}
        {field("Threshold", "threshold", undefined, true)}
        {field("In the legs", "legs", "all of them if left empty; commas between")}
        {field("On the rig", "rig", "its alias; any if left empty")}
        {field("At the load", "load", "any if left empty")}
        {field("Why", "reason")}
      </Fields>
      {make.error && (
        <Text role="alert" tone="spent">
          {make.error.message}
        </Text>
      )}
      <Box sx={{ display: "flex", gap: 8 }}>
        <Button type="submit" variant="contained" disabled={make.isPending}>
          Set the goal
        </Button>
        <Button onClick={done}>Leave</Button>
      </Box>
    </Box>
  );
}

/** What must hold for a scenario, each goal with the thresholds it had. */
export function Goals({ book, scenario }: { book: string; scenario: number }) {
  const goals = useGoals(book, scenario);
  const figures = useFigures();
  const drop = useDropGoal(book);
  const [moving, setMoving] = useState<number | null>(null);
  const [writing, setWriting] = useState(false);
  if (goals.error && !goals.data) return <Failure error={goals.error} again={() => goals.refetch()} />;
  if (figures.error && !figures.data)
    return <Failure error={figures.error} again={() => figures.refetch()} />;
  if (goals.isPending || figures.isPending) return <Loading what="the goals" />;
  return (
    <section>
      <h2>Goals</h2>
      {goals.data.length === 0 && !writing && (
        <Text tone="faded" sx={{ marginTop: 6 }}>
          No goal is set: what must hold, in which legs, on which rig? A floor or a share, rarely a mean.
        </Text>
      )}
      <RuledList sx={{ marginTop: 6, "& > li": { display: "grid", gap: 3 } }}>
        {goals.data.map((goal) => (
          <li key={goal.id}>
            <b>{goal.sentence}</b>
            <Text as="div" tone="faded">
              {goal.moves.map((move, i) => (
                <div key={move.moved_at}>
                  {i === 0 ? "" : `before: ${move.said}, `}
                  {day(move.moved_at)}, {move.by}
                  {move.reason && `: ${move.reason}`}
                </div>
              ))}
            </Text>
            {moving === goal.id ? (
              <Move book={book} goal={goal} figures={figures.data} done={() => setMoving(null)} />
            ) : (
              <Text as="span" small sx={{ display: "flex", gap: 14 }}>
                <TextButton onClick={() => setMoving(goal.id)}>move</TextButton>
                <TextButton onClick={() => drop.mutate(goal.id)}>drop</TextButton>
              </Text>
            )}
          </li>
        ))}
      </RuledList>
      {writing ? (
        <NewGoal book={book} scenario={scenario} figures={figures.data} done={() => setWriting(false)} />
      ) : (
        <Button onClick={() => setWriting(true)} sx={{ marginTop: 8 }}>
          Another goal
        </Button>
      )}
    </section>
  );
}
