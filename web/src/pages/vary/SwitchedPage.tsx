import { useParams } from "react-router";
import { type SwitchedFigure, useSwitched } from "../../api/vary";
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

type Row = Pick<
  SwitchedFigure["switches"][number],
  "name" | "saved_ms" | "low_ms" | "high_ms" | "shown" | "words"
>;

/** A saving as a strip: saved lies left. The band is a fiftieth of the frame, so that all rows compare. */
const stripOf = (row: Row, on: number): Strip => ({
  difference: -row.saved_ms,
  ci_low: row.high_ms === null ? null : -row.high_ms,
  ci_high: row.low_ms === null ? null : -row.low_ms,
  margin_low: -on / 50,
  margin_high: on / 50,
});

const column = (words: Row["words"]) => (words.column === "saved" ? "saved" : "spent");

function Total({ name, words, ruled }: { name: string; words: Row["words"]; ruled?: boolean }) {
  return (
    <TableRow sx={ruled ? { "& td": { borderTop: `3px double ${colour.ink}` } } : {}}>
      <Cell />
      <Cell>
        <b>{name}</b>
      </Cell>
      <Cell align="right">{words.after}</Cell>
      <Cell wide />
      <Amounts column={column(words)} size={words.difference} credited={words.interval !== ""} />
      <Ends interval={words.interval} />
      <Cell />
    </TableRow>
  );
}

function Account({ figure }: { figure: SwitchedFigure }) {
  const cures = (name: string) => figure.cures.filter((c) => c.of === name);
  const alone = figure.cures.filter((c) => !figure.switches.some((s) => s.name === c.of));
  const reach = commonReach(
    [...figure.switches, ...figure.cures].map((row) => ({
      strip: stripOf(row, figure.on_ms),
      higherIsBetter: false,
    })),
    60,
  );
  const strip = (row: Row, said: string) =>
    row.low_ms !== null && (
      <IntervalStrip strip={stripOf(row, figure.on_ms)} reach={reach} width={220} said={said} />
    );
  const cureRow = (row: SwitchedFigure["cures"][number]) => (
    <TableRow key={row.name}>
      <Cell />
      <Cell>
        <Box component="span" sx={{ paddingLeft: "16px" }}>
          <Word of="cure">{row.name}</Word>
        </Box>
        <Text as="div" small tone="faded" sx={{ paddingLeft: 16 }}>
          {row.price}
        </Text>
      </Cell>
      <Cell align="right">{row.words.after}</Cell>
      <Cell wide>{strip(row, `${row.name}, net`)}</Cell>
      <Amounts column={column(row.words)} size={row.words.difference} credited={row.shown} />
      <Ends interval={row.words.interval} />
      <Cell>net</Cell>
    </TableRow>
  );
  return (
    <Wide aria-label="The account">
      <Table aria-label="Account">
        <TableHead>
          <TableRow>
            <Cell align="right">Rank</Cell>
            <Cell>
              <Word of="switched">Off alone</Word>
            </Cell>
            <Cell align="right">Left ms</Cell>
            <Cell wide>← saved, spent →</Cell>
            <Cell align="right">Saved</Cell>
            <Cell align="right">Spent</Cell>
            <Cell align="right">95 % interval</Cell>
            <Cell>Of the frame</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {figure.switches.flatMap((row) => [
            <TableRow key={row.name}>
              <Cell align="right">{row.rank}</Cell>
              <Cell>{row.name}</Cell>
              <Cell align="right">{row.words.after}</Cell>
              <Cell wide>{strip(row, `${row.name} off`)}</Cell>
              <Amounts column={column(row.words)} size={row.words.difference} credited={row.shown} />
              <Ends interval={row.words.interval} />
              <Cell nowrap>{row.shown ? row.change : "not shown"}</Cell>
            </TableRow>,
            ...cures(row.name).map(cureRow),
          ])}
          {alone.map(cureRow)}
          {figure.switches.length > 0 && <Total name="One by one, added up" words={figure.sum} ruled />}
          {figure.total && <Total name="Everything off" words={figure.total} />}
        </TableBody>
      </Table>
    </Wide>
  );
}

/** The account as rows of figures, to be copied. */
const tableOf = (figure: SwitchedFigure) => ({
  head: ["off alone, or cured", "rank", "saved ms", "low ms", "high ms", "shown"],
  rows: [
    ...figure.switches.map((r) => [r.name, r.rank, r.saved_ms, r.low_ms, r.high_ms, r.shown ? "yes" : "no"]),
    ...figure.cures.map((r) => [r.name, "", r.saved_ms, r.low_ms, r.high_ms, r.shown ? "yes" : "no"]),
  ],
});

/** Features switched off one at a time: what each costs while all others are on. */
export default function SwitchedPage() {
  const { id = "" } = useParams();
  return (
    <AccountPage
      query={useSwitched(id)}
      title="Switched off"
      figures={(found) => found.figures}
      head={(found) => (
        <>
          Switched off one at a time: {found.arms.length} arms, {runsOf(found.arms)} runs
        </>
      )}
      notes={(_, figure) => figure.notes}
    >
      {(_, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          <Text tone="faded" size={13} sx={{ marginBottom: 8 }}>
            With everything on {figure.name} takes {figure.on_ms.toFixed(2)} ms.
          </Text>
          <Account figure={figure} />
          <Box sx={{ display: "flex", margin: "6px 0" }}>
            <ChartTools table={() => tableOf(figure)} />
          </Box>
          {figure.gap && <p>{figure.gap}</p>}
        </>
      )}
    </AccountPage>
  );
}
