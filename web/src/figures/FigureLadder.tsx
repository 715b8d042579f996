import useMediaQuery from "@mui/material/useMediaQuery";
import { useMemo, useState } from "react";
import type { Figure } from "../api/client";
import { commonReach, IntervalStrip } from "../charts/IntervalStrip";
import { Amounts, Cell, Ends, Table, TableBody, TableHead, TableRow, Text, TextButton } from "../kit";
import { Explained } from "./Explained";
import { Word } from "./Word";

/** Shown beside the primaries before everything is asked for. */
const FIRST = ["p50_ms", "p95_ms", "p99_ms", "slowest_second_fps", "jitter_ms"];

interface RowProps {
  /** What the row is about, where that is not the figure. */
  name?: string;
  figure: Figure;
  reach: number;
  judged: boolean;
  credited: boolean;
  width: number;
  narrow: boolean;
}

function Row({ name, figure, reach, judged, credited, width, narrow }: RowProps) {
  const { words } = figure;
  const unit = words.unit === "a minute" ? "" : words.unit;
  const plain = { fontWeight: "400 !important" };
  const strip =
    figure.call === "none seen" ? (
      <Text as="span" tone="faded">
        none seen
      </Text>
    ) : (
      <IntervalStrip
        strip={figure}
        higherIsBetter={figure.higher_is_better}
        reach={reach}
        width={width}
        said={`${words.label}: ${words.change}`}
      />
    );
  return (
    <TableRow sx={figure.primary && name === undefined ? { "& td": { fontWeight: 600 } } : {}}>
      <Cell nowrap={!narrow}>
        {name ?? (
          <>
            <Explained definition={words.definition}>{words.label}</Explained>{" "}
            <Text as="span" small tone="faded" sx={{ fontWeight: 400 }}>
              {unit}
            </Text>
          </>
        )}
      </Cell>
      <Cell align="right" nowrap>
        {words.before}
      </Cell>
      <Cell align="right" nowrap>
        {words.after}
      </Cell>
      <Amounts
        column={words.column}
        size={words.difference}
        unit={words.of === "a minute" ? "" : words.of}
        credited={credited}
      />
      <Ends interval={words.interval}>{narrow && strip}</Ends>
      {!narrow && <Cell>{strip}</Cell>}
      {!narrow && (
        <Cell align="right" nowrap sx={plain}>
          {words.margin}
        </Cell>
      )}
      <Cell sx={plain}>
        {judged ? (
          figure.call
        ) : (
          <Text as="span" tone="faded">
            not comparable
          </Text>
        )}
        {narrow && words.margin && (
          <Text as="div" small tone="faded" nowrap>
            margin {words.margin}
          </Text>
        )}
      </Cell>
    </TableRow>
  );
}

interface TableProps {
  label: string;
  /** What the rows are. */
  head: string;
  rows: readonly { key: string; name?: string; figure: Figure }[];
  /** The rows that set the strips' common scale; all of them where none is named. */
  scaled?: (figure: Figure) => boolean;
  judged: boolean;
  credited: boolean;
}

/** Figures under each other: before, after, saved or spent, and the interval against the margin. */
export function FigureTable({ label, head, rows, scaled, judged, credited }: TableProps) {
  const narrow = useMediaQuery("(max-width: 1120px)");
  const width = narrow ? 96 : 104;
  const reach = commonReach(
    rows
      .map((row) => row.figure)
      .filter(scaled ?? (() => true))
      .map((f) => ({ strip: f, higherIsBetter: f.higher_is_better })),
    8,
  );
  return (
    <Table aria-label={label}>
      <TableHead>
        <TableRow>
          <Cell>{head}</Cell>
          <Cell align="right" tone="before" nowrap={!narrow}>
            ◇ Before
          </Cell>
          <Cell align="right" tone="after" nowrap={!narrow}>
            ◆ After
          </Cell>
          <Cell align="right">Saved, better</Cell>
          <Cell align="right">Spent, worse</Cell>
          <Cell align="right">
            <Word of="interval">95 % interval</Word>
          </Cell>
          {!narrow && <Cell sx={{ width: width + 12 }}>← saved, spent →</Cell>}
          {!narrow && (
            <Cell align="right">
              <Word of="margin">Margin</Word>
            </Cell>
          )}
          <Cell>
            <Word of="shown">Shown</Word>
          </Cell>
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map(({ key, name, figure }) => (
          <Row
            key={key}
            {...(name !== undefined && { name })}
            figure={figure}
            reach={reach}
            judged={judged}
            credited={credited}
            width={width}
            narrow={narrow}
          />
        ))}
      </TableBody>
    </Table>
  );
}

interface Props {
  figures: Figure[];
  primaries: readonly string[];
  /** False where the runs are not comparable: numbers are shown, calls are not. */
  judged: boolean;
  /** False where nothing is credited to what was changed: an undecided, void or blank entry. */
  credited: boolean;
}

/** The figures, primaries first and bold. */
export function FigureLadder({ figures, primaries, judged, credited }: Props) {
  const [all, setAll] = useState(false);
  const byName = useMemo(() => new Map(figures.map((f) => [f.name, f])), [figures]);
  const first = [...primaries, ...FIRST.filter((n) => !primaries.includes(n))];
  const names = all ? [...first, ...figures.map((f) => f.name).filter((n) => !first.includes(n))] : first;
  const rows = names.flatMap((n) => byName.get(n) ?? []).map((figure) => ({ key: figure.name, figure }));
  return (
    <div>
      <FigureTable
        label="Figures"
        head="Figure"
        rows={rows}
        scaled={(f) => f.primary}
        judged={judged}
        credited={credited}
      />
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        Bold rows were chosen before recording and carry the verdict; the rest is exploratory. Every name
        explains itself on hover or focus. A change within its margin counts as none.{" "}
        <TextButton onClick={() => setAll(!all)}>{all ? "fewer figures" : "all figures"}</TextButton>
      </Text>
    </div>
  );
}
