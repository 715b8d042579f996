import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import { useCloseGoal } from "../../api/backlog";
import type { FigureChoice, Schemas } from "../../api/client";
import { useDropGoal, useFigures, useGoals, useMoveGoal, useSetGoal } from "../../api/queries";
import { day } from "../../app/days";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import { amount, Chosen, required, Said, Sending, text, useSheet, Written } from "../../form";
import { Asks, Box, Fields, InlineForm, RuledList, Text, TextButton } from "../../kit";

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
  const scale = scaleOf(figures, goal.figure);
  const stands = String(Number(((goal.moves[0]?.threshold ?? 0) * scale).toPrecision(8)));
  const sheet = useSheet({
    values: { threshold: stands, reason: "" },
    send: ({ threshold, reason }) =>
      move.mutateAsync({ goal: goal.id, threshold: Number(threshold) / scale, reason }),
    sent: done,
  });
  return (
    <InlineForm noValidate onSubmit={sheet.submit}>
      <Written
        bare
        sx={{ width: 90 }}
        of={sheet}
        name="threshold"
        label="New threshold"
        inputMode="decimal"
        rules={{ ...required, ...amount({ least: 0 }) }}
      />
      <Written
        bare
        sx={{ flex: 1 }}
        of={sheet}
        name="reason"
        label="Why it is moved"
        placeholder="why it is moved"
        rules={{ ...required, ...text(4000) }}
      />
      <Button type="submit" disabled={sheet.sending}>
        Move the goal
      </Button>
      <Button onClick={done}>Leave</Button>
    </InlineForm>
  );
}

/** Good enough for now: with what is left to try, as the backlog has it. */
function Close({ book, goal, done }: { book: string; goal: Goal; done: () => void }) {
  const close = useCloseGoal(book);
  const sheet = useSheet({
    values: { why: "" },
    send: ({ why }) => close.mutateAsync({ goal: goal.id, why }),
    sent: done,
  });
  return (
    <InlineForm noValidate onSubmit={sheet.submit}>
      <Written
        bare
        sx={{ flex: 1 }}
        of={sheet}
        name="why"
        label="Why it is good enough for now"
        placeholder="why it is good enough for now"
        rules={{ ...required, ...text(4000) }}
      />
      <Button type="submit" disabled={sheet.sending}>
        Close the goal
      </Button>
      <Button onClick={done}>Leave</Button>
    </InlineForm>
  );
}

interface NewGoalProps {
  book: string;
  scenario: number;
  figures: readonly FigureChoice[];
  done: () => void;
}

const NONE = {
  figure: "slowest_second_fps",
  counter: "",
  threshold: "",
  legs: "",
  load: "",
  rig: "",
  reason: "",
};

function NewGoal({ book, scenario, figures, done }: NewGoalProps) {
  const make = useSetGoal(book, scenario);
  const sheet = useSheet({
    values: NONE,
    send: ({ counter, threshold, legs, ...rest }) => {
      const figure = rest.figure === COUNTER ? `${COUNTER}${counter.trim()}` : rest.figure;
      return make.mutateAsync({
        ...rest,
        figure,
        threshold: Number(threshold) / scaleOf(figures, figure),
        legs: legs
          .split(",")
          .map((leg) => leg.trim())
          .filter(Boolean),
      });
    },
    sent: done,
    draft: `${book} goal of ${scenario}`,
    place: (at) => at.replace(/\..*$/, ""),
  });
  const counted = sheet.watch("figure") === COUNTER;
  return (
    <Box component="form" noValidate onSubmit={sheet.submit} sx={{ display: "grid", gap: 12, marginTop: 10 }}>
      <Fields>
        <Chosen of={sheet} name="figure" label="Figure">
          {figures
            .filter((f) => f.for_goal)
            .map((f) => (
              <option key={f.name} value={f.name}>
                {f.label}, {f.limit} {f.unit}
              </option>
            ))}
          <option value={COUNTER}>A counter, at most in any frame</option>
        </Chosen>
        {counted && <Written of={sheet} name="counter" label="Counter" rules={required} />}
        <Written
          of={sheet}
          name="threshold"
          label="Threshold"
          inputMode="decimal"
          rules={{ ...required, ...amount() }}
        />
        <Written
          of={sheet}
          name="legs"
          label="In the legs"
          hint="all of them if left empty; commas between"
        />
        <Written of={sheet} name="rig" label="On the rig" hint="its alias; any if left empty" />
        <Written of={sheet} name="load" label="At the load" hint="any if left empty" />
        <Written of={sheet} name="reason" label="Why" rules={text(4000)} />
      </Fields>
      <Said of={sheet} />
      <Sending of={sheet} verb="Set the goal" leave={done} />
    </Box>
  );
}

/** What must hold for a scenario, each goal with the thresholds it had. */
export function Goals({ book, scenario }: { book: string; scenario: number }) {
  const goals = useGoals(book, scenario);
  const figures = useFigures();
  const drop = useDropGoal(book);
  const [moving, setMoving] = useState<number | null>(null);
  const [closing, setClosing] = useState<number | null>(null);
  const [writing, setWriting] = useState(false);
  const may = useMay();
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
            <span>
              <b>{goal.sentence}</b>{" "}
              <Link to={`/${book}/statement?goal=${goal.id}`} aria-label={`statement of ${goal.sentence}`}>
                statement
              </Link>
            </span>
            <Text as="div" tone="faded">
              {goal.moves.map((move, i) => (
                <div key={move.moved_at}>
                  {i === 0 ? "" : `before: ${move.said}, `}
                  {day(move.moved_at)}, {move.by}
                  {move.reason && `: ${move.reason}`}
                </div>
              ))}
            </Text>
            {goal.closing && (
              <Text as="div" size={13}>
                <b>Good enough for now</b>, {goal.closing.by}, {day(goal.closing.closed_at)}:{" "}
                {goal.closing.why}{" "}
                {goal.closing.left.length > 0 ? (
                  <Text as="span" tone="faded">
                    Left to try:{" "}
                    {goal.closing.left
                      .map((idea) => (idea.most ? `${idea.title} (${idea.most} at most)` : idea.title))
                      .join("; ")}
                    .
                  </Text>
                ) : (
                  <Text as="span" tone="faded">
                    Nothing was left in the <Link to={`/${book}/backlog`}>backlog</Link>.
                  </Text>
                )}
              </Text>
            )}
            {closing === goal.id ? (
              <Close book={book} goal={goal} done={() => setClosing(null)} />
            ) : moving === goal.id ? (
              <Move book={book} goal={goal} figures={figures.data} done={() => setMoving(null)} />
            ) : (
              may.write && (
                <Text as="span" small sx={{ display: "flex", gap: 14 }}>
                  <TextButton onClick={() => setMoving(goal.id)}>move</TextButton>
                  {!goal.closing && (
                    <TextButton onClick={() => setClosing(goal.id)}>good enough for now</TextButton>
                  )}
                  <Asks
                    text
                    label="drop"
                    question="Drop this goal?"
                    said="Entries are no longer held against it."
                    yes="Drop it"
                    onYes={() => drop.mutate(goal.id)}
                  />
                </Text>
              )
            )}
          </li>
        ))}
      </RuledList>
      {writing ? (
        <NewGoal book={book} scenario={scenario} figures={figures.data} done={() => setWriting(false)} />
      ) : (
        may.write && (
          <Button onClick={() => setWriting(true)} sx={{ marginTop: 8 }}>
            Another goal
          </Button>
        )
      )}
    </section>
  );
}
