import { useRef, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { useKnob } from "../../api/vary";
import { useHead, useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { LevelChart, levelTable } from "../../charts/LevelChart";
import { Word } from "../../figures/Word";
import { Box, Cell, Sentence, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";
import { AccountHead } from "./AccountHead";

/** Which value of a knob is best, by mean and by the slowest 1 %, always both. */
export default function KnobPage() {
  const { id = "" } = useParams();
  const [search] = useSearchParams();
  const [behind, setBehind] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setBehind(!behind) });
  const query = useKnob(id);
  const found = query.data;
  useHead(found ? { ...found.recording } : null);
  useTitle(found && `Knob: ${found.recording.title}`);
  if (query.error && !found) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found) return <Loading what="the knob" />;
  const figure = found.figures.find((f) => f.figure === search.get("of")) ?? found.figures[0];
  if (!figure) return null;
  const runs = figure.points.reduce((sum, point) => sum + point.runs.length, 0);
  const table = () => levelTable(figure.points, found.name);
  return (
    <article>
      <AccountHead recording={found.recording} figures={found.figures} chosen={figure.figure}>
        <Word of="knob">Knob</Word>: {figure.points.length} values of {found.name}, {runs} runs
      </AccountHead>
      <Sentence>{found.sentence}</Sentence>
      <Wide aria-label="Values of the knob">
        <Table aria-label="Values" sx={{ maxWidth: 860 }}>
          <TableHead>
            <TableRow>
              <Cell align="right">{found.name}</Cell>
              {found.figures.map((f) => [
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
            {figure.points.map((point, i) => (
              <TableRow key={point.value}>
                <Cell align="right">{point.value}</Cell>
                {found.figures.map((f) => [
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
        In bold, and underlined below: what cannot be told from the best.{" "}
        {found.figures.map((f) => f.flat && `${f.name} is ${f.flat}. `)}
      </Text>
      <Box ref={drawing} sx={{ marginTop: 8 }}>
        <LevelChart
          label={`${figure.name} over ${found.name}, in ms. ${found.sentence}`}
          levels={figure.points}
          name={found.name}
          budget={null}
          underlined={figure.inside}
        />
      </Box>
      <Box sx={{ display: "flex" }}>
        <ChartTools table={table} drawing={drawing} shown={behind} toggle={() => setBehind(!behind)} />
      </Box>
      {behind && <TableBehind table={table()} />}
      {found.notes.map((note) => (
        <Text key={note} small tone="faded" sx={{ marginTop: 4 }}>
          {note}
        </Text>
      ))}
    </article>
  );
}
