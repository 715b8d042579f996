import { useRef, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { useRamp } from "../../api/vary";
import { useHead, useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { LevelChart, levelTable } from "../../charts/LevelChart";
import { Word } from "../../figures/Word";
import { Box, Sentence, Text } from "../../kit";
import { AccountHead } from "./AccountHead";

/** How much load the budget carries: the sum on paper, the levels, what a unit costs and how that grows. */
export default function RampPage() {
  const { id = "" } = useParams();
  const [search] = useSearchParams();
  const [behind, setBehind] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setBehind(!behind) });
  const query = useRamp(id);
  const found = query.data;
  useHead(found ? { ...found.recording } : null);
  useTitle(found && `Ramp: ${found.recording.title}`);
  if (query.error && !found) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found) return <Loading what="the ramp" />;
  const figure = found.figures.find((f) => f.figure === search.get("of")) ?? found.figures[0];
  if (!figure) return null;
  const runs = figure.points.reduce((sum, point) => sum + point.runs.length, 0);
  const table = () => levelTable(figure.points, found.unit);
  return (
    <article>
      <AccountHead recording={found.recording} figures={found.figures} chosen={figure.figure}>
        <Word of="ramp">Ramp</Word>: {figure.points.length} levels, {runs} runs
        {found.counter && `, loads by the counter ${found.counter}`}
      </AccountHead>
      <Sentence>{figure.sentence}</Sentence>
      {figure.paper && <p>{figure.paper}</p>}
      <Box ref={drawing} sx={{ marginTop: 8 }}>
        <LevelChart
          label={`${figure.name} over the load, in ms, against the budget. ${figure.sentence}`}
          levels={figure.points}
          name={found.unit}
          budget={figure.budget_ms}
          capacity={figure.capacity}
        />
      </Box>
      <Box sx={{ display: "flex" }}>
        <ChartTools table={table} drawing={drawing} shown={behind} toggle={() => setBehind(!behind)} />
      </Box>
      {behind && <TableBehind table={table()} />}
      <Box component="section" sx={{ marginTop: 10 }}>
        <h2>What one more costs</h2>
        {figure.costs.map((said) => (
          <Text key={said}>{said}</Text>
        ))}
        <Text>{figure.growth}</Text>
      </Box>
      {figure.notes.map((note) => (
        <Text key={note} small tone="faded" sx={{ marginTop: 4 }}>
          {note}
        </Text>
      ))}
    </article>
  );
}
