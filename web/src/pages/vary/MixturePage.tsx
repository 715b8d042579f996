import { useRef } from "react";
import { useParams } from "react-router";
import { type MixtureFigure, useMixture } from "../../api/vary";
import { ChartTools } from "../../charts/copy";
import { Stacks } from "../../charts/Stacks";
import { Word } from "../../figures/Word";
import { Box, Cell, colour, Ends, Sentence, Table, TableBody, TableHead, TableRow, Wide } from "../../kit";
import { AccountPage, runsOf } from "./AccountPage";

const ms = (value: number) => value.toFixed(3);

/** The sum as it is done on paper: the empty scene, what each adds to it, and what they take in one scene. */
function Sum({ figure }: { figure: MixtureFigure }) {
  const ruled = { "& td": { borderTop: `3px double ${colour.ink}` } };
  return (
    <Wide aria-label="The sum">
      <Table aria-label="The sum" sx={{ maxWidth: 560 }}>
        <TableHead>
          <TableRow>
            <Cell>Scene</Cell>
            <Cell align="right">{figure.name}, ms</Cell>
            <Cell align="right">Adds, ms</Cell>
            <Cell align="right">95 % interval</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          <TableRow>
            <Cell>nothing of them</Cell>
            <Cell align="right">{ms(figure.empty_ms)}</Cell>
            <Cell align="right">{ms(figure.empty_ms)}</Cell>
            <Cell />
          </TableRow>
          {figure.parts.map((part) => (
            <TableRow key={part.name}>
              <Cell>{part.name} alone</Cell>
              <Cell align="right">{ms(part.ms)}</Cell>
              <Cell align="right">{ms(part.net_ms)}</Cell>
              <Cell />
            </TableRow>
          ))}
          <TableRow sx={ruled}>
            <Cell>the sum of them</Cell>
            <Cell />
            <Cell align="right">{ms(figure.sum_ms)}</Cell>
            <Cell />
          </TableRow>
          <TableRow>
            <Cell>
              <b>all together</b>
            </Cell>
            <Cell align="right">
              <b>{ms(figure.together_ms)}</b>
            </Cell>
            <Cell align="right">
              {figure.beyond_ms > 0 ? "+" : ""}
              {ms(figure.beyond_ms)} beyond
            </Cell>
            <Ends interval={figure.beyond.interval} />
          </TableRow>
        </TableBody>
      </Table>
    </Wide>
  );
}

const tableOf = (figure: MixtureFigure) => ({
  head: ["scene", "ms", "adds ms"],
  rows: [
    ["nothing of them", figure.empty_ms, figure.empty_ms],
    ...figure.parts.map((part) => [`${part.name} alone`, part.ms, part.net_ms]),
    ["the sum of them", null, figure.sum_ms],
    ["all together", figure.together_ms, figure.beyond_ms],
  ],
});

/** Loads alone and together: whether a mix takes what its parts take one by one. */
export default function MixturePage() {
  const { id = "" } = useParams();
  const drawing = useRef<HTMLDivElement>(null);
  return (
    <AccountPage
      query={useMixture(id)}
      title="Loads alone and together"
      figures={(found) => found.figures}
      head={(found) => (
        <>
          <Word of="mixture">Loads alone and together</Word>: {found.parts.join(", ")} in {found.arms.length}{" "}
          scenes, {runsOf(found.arms)} runs
        </>
      )}
      notes={(_, figure) => figure.notes}
    >
      {(_, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          <Box ref={drawing}>
            <Stacks
              label={`One by one ${ms(figure.sum_ms)} ms, together ${ms(figure.together_ms)} ms. ${figure.sentence}`}
              rows={[
                {
                  name: "one by one",
                  parts: [
                    { name: "nothing", ms: figure.empty_ms },
                    ...figure.parts.map((part) => ({ name: part.name, ms: Math.max(0, part.net_ms) })),
                  ],
                },
                { name: "together", parts: [{ name: "all in one scene", ms: figure.together_ms }] },
              ]}
              interval={
                figure.low_ms === null || figure.high_ms === null
                  ? null
                  : [figure.sum_ms + figure.low_ms, figure.sum_ms + figure.high_ms]
              }
            />
          </Box>
          <Box sx={{ display: "flex", margin: "6px 0" }}>
            <ChartTools table={() => tableOf(figure)} drawing={drawing} />
          </Box>
          <Sum figure={figure} />
        </>
      )}
    </AccountPage>
  );
}
