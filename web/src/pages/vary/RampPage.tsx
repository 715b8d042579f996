import { Link, useParams, useSearchParams } from "react-router";
import { type RampArm, type RampFigure, useRamp } from "../../api/vary";
import { LevelChart } from "../../charts/LevelChart";
import { Word } from "../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  Choice,
  Ends,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../kit";
import { AccountPage } from "./AccountPage";

const runsOf = (arms: readonly RampArm[]) =>
  arms.flatMap((arm) => [...arm.points, ...arm.held]).reduce((sum, point) => sum + point.runs.length, 0);

function Costs({ arm }: { arm: RampArm }) {
  return (
    <Box component="section" sx={{ marginTop: 10 }}>
      <h2>
        What one more costs
        {arm.name && (
          <Text as="span" tone="faded" aside>
            {arm.name}
          </Text>
        )}
      </h2>
      {arm.costs.map((said) => (
        <Text key={said}>{said}</Text>
      ))}
      <Text>{arm.growth}</Text>
    </Box>
  );
}

/** What two arms differ by: a unit, and at every load that both have. */
function TwoArms({ two, unit }: { two: NonNullable<RampFigure["two"]>; unit: string }) {
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>At equal load</h2>
      <Text>{two.unit}</Text>
      <Wide aria-label="At equal load">
        <Table aria-label="At equal load" sx={{ maxWidth: 640 }}>
          <TableHead>
            <TableRow>
              <Cell align="right">{unit}</Cell>
              <Cell align="right">Saved</Cell>
              <Cell align="right">Spent</Cell>
              <Cell align="right">95 % interval</Cell>
              <Cell>Of the frame</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {two.equal.map((row) => (
              <TableRow key={row.load}>
                <Cell align="right">{row.load.toLocaleString("en-GB", { maximumFractionDigits: 1 })}</Cell>
                <Amounts
                  column={row.words.column === "saved" ? "saved" : "spent"}
                  size={row.words.difference}
                  credited={row.shown}
                />
                <Ends interval={row.words.interval} />
                <Cell nowrap>{row.shown ? row.change : "not shown"}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      {two.apart && (
        <Text small tone="faded">
          {two.apart}
        </Text>
      )}
    </Box>
  );
}

/** How much load the budget carries: the sum on paper, the levels, what a unit costs and how that grows; of two arms, what they differ
 * by. */
export default function RampPage() {
  const { book = "", id = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const on = search.get("on") ?? "";
  const carry = (rig: string) => {
    const next = new URLSearchParams(search);
    if (rig) next.set("on", rig);
    else next.delete("on");
    setSearch(next, { replace: true });
  };
  return (
    <AccountPage
      query={useRamp(id, on)}
      title="Ramp"
      figures={(found) => found.figures}
      head={(found, figure) => (
        <>
          <Word of="ramp">Ramp</Word>: {figure.arms.reduce((sum, arm) => sum + arm.points.length, 0)} levels
          {found.in_one_run
            ? ` in each of ${figure.arms[0]?.points[0]?.runs.length ?? 0} runs`
            : `, ${runsOf(figure.arms)} runs`}
          {found.counter && `, loads by the counter ${found.counter}`}
        </>
      )}
      notes={(_, figure) =>
        figure.arms.flatMap((arm) => arm.notes.map((note) => (arm.name ? `${arm.name}: ${note}` : note)))
      }
    >
      {(found, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          {figure.arms.map(
            (arm) =>
              arm.paper && (
                <p key={arm.name}>
                  {arm.name && `${arm.name}: `}
                  {arm.paper}
                </p>
              ),
          )}
          <LevelChart
            label={`${figure.name} over the load, in ms, against the budget. ${figure.sentence}`}
            arms={figure.arms.map((arm) => ({ ...arm, levels: arm.points }))}
            name={found.unit}
            budget={figure.budget_ms}
          />
          {found.steps.length > 0 && (
            <Box component="section" sx={{ marginTop: 10 }}>
              <h2>
                How levels were chosen
                <Text as="span" tone="faded" aside>
                  by the mean frame
                </Text>
              </h2>
              <Box component="ol" sx={{ margin: 0, paddingLeft: "20px" }}>
                {found.steps.map((step) => (
                  <li key={step.runs}>{step.sentence}</li>
                ))}
              </Box>
            </Box>
          )}
          {(figure.arms[0]?.confirm.length ?? 0) > 1 && (
            <Text>
              <Link
                to={`/${book}/bench/plan?like=${found.recording.id}&values=${figure.arms[0]?.confirm.join("%2C")}&runs=3`}
              >
                Confirm it
              </Link>{" "}
              by three fresh passes around it, read by themselves.
            </Text>
          )}
          {found.rigs.length > 0 && (
            <Box component="section" sx={{ marginTop: 10 }}>
              <Choice aria-label="On another rig" value={on} onChange={(e) => carry(e.target.value)}>
                <option value="">on another rig …</option>
                {found.rigs.map((rig) => (
                  <option key={rig} value={rig}>
                    on {rig}
                  </option>
                ))}
              </Choice>
              {figure.elsewhere.map((said, i) => (
                <Text key={said}>
                  {figure.arms[i]?.name && `${figure.arms[i]?.name}: `}
                  {said}
                </Text>
              ))}
            </Box>
          )}
          {figure.two && <TwoArms two={figure.two} unit={found.unit} />}
          {figure.arms.map((arm) => arm.costs.length > 0 && <Costs key={arm.name} arm={arm} />)}
        </>
      )}
    </AccountPage>
  );
}
