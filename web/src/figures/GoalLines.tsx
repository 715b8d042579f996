import { styled } from "@mui/material/styles";
import type { Schemas } from "../api/client";
import { day } from "../app/days";
import { Box, Cell, colour, Table, TableBody, TableHead, TableRow, Text } from "../kit";

const GoalState = styled("span")({
  borderBottom: `2px solid ${colour.rule}`,
  '[data-goal="met"] &': { borderBottomColor: colour.ink, fontWeight: 600 },
  '[data-goal="not met"] &': {
    borderBottomStyle: "double",
    borderBottomColor: colour.spent,
    color: colour.spent,
    fontWeight: 600,
  },
  '[data-goal="extrapolated"] &, [data-goal="other rig"] &': {
    borderBottomStyle: "dotted",
    borderBottomColor: colour.faded,
  },
});

type GoalLine = Schemas["GoalLine"];
/** Each goal with where these runs stand: level, interval, distance, and what they are under earlier thresholds. */
export function GoalLines({ goals, brief = false }: { goals: readonly GoalLine[]; brief?: boolean }) {
  if (goals.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: brief ? 8 : 16 }}>
      <h2>Goals</h2>
      <Table size={brief ? "small" : "medium"} aria-label="Goals">
        <TableHead>
          <TableRow>
            <Cell>What must hold</Cell>
            <Cell align="right">Here</Cell>
            <Cell align="right" wide>
              95 % interval
            </Cell>
            <Cell align="right" wide>
              Distance
            </Cell>
            <Cell>State</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {goals.map((goal) => (
            <TableRow key={goal.goal} data-goal={goal.state}>
              <Cell>
                {goal.sentence}
                {(brief ? [] : goal.earlier).map((old) => (
                  <Text key={old.until} as="div" tone="faded">
                    until {day(old.until)} {old.threshold}: {old.state} under it ({old.reason})
                  </Text>
                ))}
              </Cell>
              <Cell align="right" nowrap>
                {goal.level}
              </Cell>
              <Cell align="right" nowrap tone="faded" wide>
                {goal.interval}
              </Cell>
              <Cell align="right" nowrap wide>
                {goal.distance}
              </Cell>
              <Cell>
                <GoalState title={goal.remark}>{goal.said}</GoalState>
                {goal.closed && (
                  <Text as="div" tone="faded">
                    {goal.closed}
                  </Text>
                )}
                {!brief && goal.remark && (
                  <Text as="div" tone="faded">
                    {goal.remark}
                  </Text>
                )}
              </Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
