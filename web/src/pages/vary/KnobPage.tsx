import { useParams } from "react-router";
import { type KnobArm, useKnob } from "../../api/vary";
import { LevelChart } from "../../charts/LevelChart";
import { Word } from "../../figures/Word";
import { Cell, Sentence, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";
import { AccountPage } from "./AccountPage";

/** Every value with what it takes by each figure, and what choosing it loses at most. */
function Values({ arm, setting }: { arm: KnobArm; setting: string }) {
  return (
    <>
      {arm.name && <h2>{arm.name}</h2>}
      <Wide aria-label={`Values ${arm.name}`}>
        <Table aria-label={`Values ${arm.name}`.trim()} sx={{ maxWidth: 860 }}>
          <TableHead>
            <TableRow>
              <Cell align="right">{setting}</Cell>
              {arm.figures.map((f) => [
                <Cell key={f.figure} align="right">
                  {f.name}, ms
                </Cell>,
                <Cell key={`${f.figure} lost`} align="right">
                  loses at most
                </Cell>,
              ])}
            </TableRow>
          </TableHead>
          <TableBody>
            {arm.figures[0]?.points.map((point, i) => (
              <TableRow key={point.value}>
                <Cell align="right">{point.value}</Cell>
                {arm.figures.map((f) => [
                  <Cell key={f.figure} align="right">
                    {f.inside[i] ? <b>{f.points[i]?.ms.toFixed(3)}</b> : f.points[i]?.ms.toFixed(3)}
                  </Cell>,
                  <Cell key={`${f.figure} lost`} align="right" tone="faded">
                    {f.lost[i]}
                  </Cell>,
                ])}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <Text small tone="faded" sx={{ marginTop: 4 }}>
        In bold{arm.name ? "" : ", and underlined below"}: what cannot be told from the best.{" "}
        {arm.figures.map((f) => f.flat && `${f.name.replace(/^./, (c) => c.toUpperCase())} is ${f.flat}. `)}
      </Text>
    </>
  );
}

/** Which value of a knob is best, by mean and by the slowest 1 %, always both; of two arms, where they cross. */
export default function KnobPage() {
  const { id = "" } = useParams();
  return (
    <AccountPage
      query={useKnob(id)}
      title="Knob"
      figures={(found) => found.arms[0]?.figures ?? []}
      head={(found, figure) => (
        <>
          <Word of="knob">Knob</Word>: {figure.points.length} values of {found.name},{" "}
          {found.arms
            .flatMap((arm) => arm.figures[0]?.points ?? [])
            .reduce((sum, point) => sum + point.runs.length, 0)}{" "}
          runs
        </>
      )}
      notes={(found) => found.notes}
    >
      {(found, figure) => {
        const crossing = found.crossings.find((c) => c.figure === figure.figure);
        return (
          <>
            {crossing && <Sentence>{crossing.sentence}</Sentence>}
            {found.arms.length > 1 ? <p>{found.sentence}</p> : <Sentence>{found.sentence}</Sentence>}
            {found.arms.map((arm) => (
              <Values key={arm.name} arm={arm} setting={found.name} />
            ))}
            <LevelChart
              label={`${figure.name} over ${found.name}, in ms. ${crossing?.sentence ?? found.sentence}`}
              arms={found.arms.map((arm) => {
                const own = arm.figures.find((f) => f.figure === figure.figure);
                return { name: arm.name, levels: own?.points ?? [], underlined: own?.inside ?? [] };
              })}
              name={found.name}
              budget={null}
            />
          </>
        );
      }}
    </AccountPage>
  );
}
