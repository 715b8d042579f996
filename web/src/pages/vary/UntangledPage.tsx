import { useParams } from "react-router";
import { type UntangledFigure, useUntangled } from "../../api/vary";
import { ChartTools } from "../../charts/copy";
import { commonReach, IntervalStrip, type Strip } from "../../charts/IntervalStrip";
import { Word } from "../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  colour,
  Ends,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../kit";
import { AccountPage, runsOf } from "./AccountPage";

type Row = Pick<UntangledFigure["credits"][number], "ms" | "low_ms" | "high_ms" | "shown" | "words">;

/** As a strip: saved lies left. The band is a fiftieth of the frame. */
const stripOf = (row: Row, off: number): Strip => ({
  difference: row.ms,
  ci_low: row.low_ms,
  ci_high: row.high_ms,
  margin_low: -off / 50,
  margin_high: off / 50,
});

const column = (words: Row["words"]) => (words.column === "saved" ? "saved" : "spent");

function Credits({ figure }: { figure: UntangledFigure }) {
  const reach = commonReach(
    [...figure.credits, ...figure.interactions].map((row) => ({
      strip: stripOf(row, figure.off_ms),
      higherIsBetter: false,
    })),
    60,
  );
  const cells = (row: Row, said: string) => (
    <>
      <Cell wide>
        {row.low_ms !== null && (
          <IntervalStrip strip={stripOf(row, figure.off_ms)} reach={reach} width={220} said={said} />
        )}
      </Cell>
      <Amounts column={column(row.words)} size={row.words.difference} credited={row.shown} />
      <Ends interval={row.words.interval} />
    </>
  );
  return (
    <Wide aria-label="The account">
      <Table aria-label="Credit">
        <TableHead>
          <TableRow>
            <Cell>
              <Word of="credit">Credit of</Word>
            </Cell>
            <Cell wide>← saved, spent →</Cell>
            <Cell align="right">Saved</Cell>
            <Cell align="right">Spent</Cell>
            <Cell align="right">95 % interval</Cell>
            <Cell>On against off</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {figure.credits.map((row) => (
            <TableRow key={row.name}>
              <Cell>{row.name}</Cell>
              {cells(row, `Credit of ${row.name}`)}
              <Cell nowrap>{row.shown ? row.share : "not shown"}</Cell>
            </TableRow>
          ))}
          {figure.total && (
            <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}` } }}>
              <Cell>
                <b>All of them together</b>
              </Cell>
              <Cell wide />
              <Amounts
                column={column(figure.total)}
                size={figure.total.difference}
                credited={figure.total.interval !== ""}
              />
              <Ends interval={figure.total.interval} />
              <Cell />
            </TableRow>
          )}
        </TableBody>
      </Table>
    </Wide>
  );
}

function Together({ figure }: { figure: UntangledFigure }) {
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        What they do together
        <Text as="span" tone="faded" aside>
          beyond what each does alone
        </Text>
      </h2>
      <Wide aria-label="What they do together">
        <Table aria-label="What they do together">
          <TableBody>
            {figure.interactions.map((row) => (
              <TableRow key={row.name}>
                <Cell>{row.name}</Cell>
                <Amounts column={column(row.words)} size={row.words.difference} credited={row.shown} />
                <Ends interval={row.words.interval} />
                <Cell>{row.said}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
    </Box>
  );
}

function Configurations({ figure }: { figure: UntangledFigure }) {
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        Every configuration
        <Text as="span" tone="faded" aside>
          {figure.name}, ms
        </Text>
      </h2>
      <Table aria-label="Configurations" sx={{ maxWidth: 560 }}>
        <TableBody>
          {figure.configurations.map((one) => (
            <TableRow key={one.name}>
              <Cell>{one.name}</Cell>
              <Cell align="right">{one.ms.toFixed(3)}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

/** The account as rows of figures, to be copied. */
const tableOf = (figure: UntangledFigure) => ({
  head: ["change", "credit ms", "low ms", "high ms", "shown"],
  rows: [...figure.credits, ...figure.interactions].map((r) => [
    r.name,
    r.ms,
    r.low_ms,
    r.high_ms,
    r.shown ? "yes" : "no",
  ]),
});

/** Changes in combinations: which of them helped. */
export default function UntangledPage() {
  const { id = "" } = useParams();
  return (
    <AccountPage
      query={useUntangled(id)}
      title="Untangled"
      figures={(found) => found.figures}
      head={(found) => (
        <>
          <Word of="untangled">Untangled</Word>: {found.changes.length} changes in {found.arms.length}{" "}
          configurations, {runsOf(found.arms)} runs
        </>
      )}
      notes={(_, figure) => figure.notes}
    >
      {(_, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          <Text tone="faded" size={13} sx={{ marginBottom: 8 }}>
            Without any of them {figure.name} takes {figure.off_ms.toFixed(2)} ms.
          </Text>
          <Credits figure={figure} />
          <Box sx={{ display: "flex", margin: "6px 0" }}>
            <ChartTools table={() => tableOf(figure)} />
          </Box>
          {figure.gap && <p>{figure.gap}</p>}
          <Together figure={figure} />
          <Configurations figure={figure} />
        </>
      )}
    </AccountPage>
  );
}
