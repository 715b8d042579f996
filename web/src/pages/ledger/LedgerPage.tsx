import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { memo, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import type { EntryLine, Standing } from "../../api/client";
import { entriesAddress, useEntries, useLabels, useStanding } from "../../api/queries";
import { MOST_ENTRIES, ranges } from "../../api/statements";
import { useFilters } from "../../app/filters";
import { useHead, useTitle } from "../../app/head";
import { useKept } from "../../app/kept";
import { useKeys } from "../../app/keys";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { BalanceChart, balanceTable } from "../../charts/BalanceChart";
import { ChartTools, TableBehind } from "../../charts/copy";
import { commonReach, IntervalStrip } from "../../charts/IntervalStrip";
import { Explained } from "../../figures/Explained";
import { GoalLines } from "../../figures/GoalLines";
import { Word } from "../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  Choice,
  colour,
  Ends,
  Line,
  LinkRow,
  OneOf,
  PartTitle,
  Room,
  SortCell,
  Stamp,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleLink,
  Unseen,
  useRows,
} from "../../kit";
import { SmallLines } from "../trend/SmallLines";
import { NewEntry } from "./NewEntry";
import { OpenQuestions } from "./OpenQuestions";

const StandingGrid = styled("section")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "246px minmax(0, 1fr)",
  gap: 26,
  [theme.breakpoints.down("sm")]: { gridTemplateColumns: "minmax(0, 1fr)", gap: 14 },
}));

/** What no entry explains stands between two of them. */
const Unaccounted = styled(TableRow)({
  "& td": {
    fontStyle: "italic",
    color: colour.faded,
    background: `repeating-linear-gradient(-45deg, transparent 0 6px, color-mix(in srgb, ${colour.rule} 60%, transparent) 6px 7px)`,
  },
});

function WhereWeStand({ book, standing }: { book: string; standing: Standing }) {
  return (
    <StandingGrid>
      <div>
        <PartTitle>Where we stand</PartTitle>
        {standing.rows.length > 0 && (
          <Table sx={{ marginTop: 8 }} aria-label="Where we stand">
            <TableBody>
              {standing.rows.map((row) => (
                <TableRow key={row.label}>
                  <Cell>
                    <Explained definition={row.definition}>{row.label}</Explained>
                  </Cell>
                  <Cell align="right" nowrap>
                    <b>{row.value}</b> {row.unit}
                  </Cell>
                  <Cell align="right" nowrap tone="faded">
                    {row.note}
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        )}
        <Text small tone="faded" sx={{ marginTop: 8 }}>
          {standing.sentence}
        </Text>
        {standing.line && <SmallLines book={book} scenario={Number.parseInt(standing.line, 10)} small />}
      </div>
      <Balance standing={standing} />
    </StandingGrid>
  );
}

/** The balance, with what it is drawn from behind it. */
function Balance({ standing }: { standing: Standing }) {
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setShown(!shown) });
  if (standing.points.length === 0) return <div />;
  const table = () => balanceTable(standing.points);
  return (
    <div>
      <div ref={drawing}>
        <BalanceChart points={standing.points} budget={standing.budget_ms} />
      </div>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: "16px" }}>
        {standing.earlier > 0 && (
          <Text small tone="faded">
            The newest {standing.points.length} of{" "}
            {(standing.earlier + standing.points.length).toLocaleString("en-GB")} entries.
          </Text>
        )}
        <ChartTools table={table} drawing={drawing} shown={shown} toggle={() => setShown(!shown)} />
      </Box>
      {shown && <TableBehind table={table()} />}
    </div>
  );
}

interface RowProps {
  entry: EntryLine;
  reach: number;
  chosen: boolean;
  /** Where lines stand together each row says its own. */
  named: boolean;
  index: number;
  measure: (element: HTMLTableRowElement | null) => void;
}

const EntryRow = memo(function EntryRow({ entry, reach, chosen, named, index, measure }: RowProps) {
  return (
    <LinkRow
      ref={measure}
      data-index={index}
      to={`./entries/${entry.number}`}
      selected={chosen}
      aria-selected={chosen}
    >
      <Cell align="right">{entry.number}</Cell>
      <Cell>
        <TitleLink to={`./entries/${entry.number}`}>
          {entry.withdrawn ? <s>{entry.title}</s> : entry.title}
        </TitleLink>
        {entry.remark && (
          <Text as="span" tone="faded">
            {" "}
            ({entry.remark})
          </Text>
        )}
        {entry.labels.length > 0 && (
          <Text as="span" small tone="faded" sx={{ fontStyle: "italic" }}>
            {" "}
            {entry.labels.join(", ")}
          </Text>
        )}
        {named && entry.scenario && (
          <Text as="div" small tone="faded">
            {entry.scenario} {entry.version} on {entry.rig}
          </Text>
        )}
        <Text as="div" narrow small tone="faded" sx={{ marginTop: 3 }}>
          {entry.verdict && <Stamp verdict={entry.verdict} word={entry.stamp} struck={entry.withdrawn} />}{" "}
          {entry.decision?.choice ?? (entry.verdict && !entry.blank && !entry.withdrawn ? "decide" : "")}
        </Text>
      </Cell>
      <Cell tone="faded" nowrap wide>
        {entry.runs}
      </Cell>
      <Cell wide>
        {entry.mean ? (
          <IntervalStrip
            strip={entry.mean}
            reach={reach}
            width={116}
            said={`Mean frame, entry ${entry.number}, against its margin`}
          />
        ) : (
          <Text as="span" tone="faded">
            {entry.verdict === "void" ? "not comparable" : ""}
          </Text>
        )}
      </Cell>
      <Amounts
        column={entry.saved ? "saved" : entry.spent ? "spent" : ""}
        size={entry.saved || entry.spent}
        credited={entry.credited}
      />
      <Ends interval={entry.verdict === "void" ? "" : entry.interval} />
      <Cell wide>
        {entry.verdict && <Stamp verdict={entry.verdict} word={entry.stamp} struck={entry.withdrawn} />}
      </Cell>
      <Cell wide>
        {entry.decision?.choice ??
          (entry.blank || entry.withdrawn ? (
            ""
          ) : entry.verdict ? (
            <u>decide</u>
          ) : (
            <Text as="span" tone="faded">
              record
            </Text>
          ))}
      </Cell>
      <Cell align="right" wide>
        {entry.standing_ms}
      </Cell>
    </LinkRow>
  );
});

const VERDICTS = ["gain", "regression", "trade-off", "no material change", "undecided", "void"] as const;
const DECISIONS = ["none", "kept", "dropped", "more runs", "record again"] as const;
const WITHDRAWN = [
  ["false", "without the withdrawn"],
  ["true", "withdrawn"],
] as const;
const NAMES = ["find", "verdict", "decision", "withdrawn", "label", "line", "ordering"] as const;
const LAST = "last";

interface FiltersProps {
  book: string;
  standing: Standing;
  count: number;
  /** Where the view is taken out whole. */
  taken: (kind: "csv" | "json") => string;
}

/** Which line of the book, and which of its entries. */
function Filters({ book, standing, count, taken }: FiltersProps) {
  const { filters, set, clear, any } = useFilters(NAMES);
  const labels = useLabels(book).data ?? [];
  return (
    <Line sx={{ margin: "0 0 6px", alignItems: "center" }} role="search" aria-label="Which entries">
      <Choice
        aria-label="Line of the book"
        value={filters.line || standing.line}
        onChange={(e) => set("line", e.target.value)}
      >
        {standing.lines.map((line) => (
          <option key={line.line} value={line.line}>
            {line.scenario} on {line.rig} ({line.entries})
          </option>
        ))}
        <option value="all">every scenario and rig</option>
      </Choice>
      <OneOf
        label="Verdict"
        all="every verdict"
        value={filters.verdict}
        options={VERDICTS.map((verdict) => [verdict, verdict])}
        onChoose={(verdict) => set("verdict", verdict)}
      />
      <OneOf
        label="Decision"
        all="every decision"
        value={filters.decision}
        options={DECISIONS.map((decision) => [decision, decision === "none" ? "to be decided" : decision])}
        onChoose={(decision) => set("decision", decision)}
      />
      <OneOf
        label="Withdrawn"
        all="withdrawn or not"
        value={filters.withdrawn}
        options={WITHDRAWN}
        onChoose={(withdrawn) => set("withdrawn", withdrawn)}
      />
      {(labels.length > 0 || filters.label) && (
        <OneOf
          label="Label"
          all="every label"
          value={filters.label}
          options={[...new Set([...labels, ...(filters.label ? [filters.label] : [])])].map((l) => [l, l])}
          onChoose={(label) => set("label", label)}
        />
      )}
      <Text as="span" small tone="faded" role="status">
        {count.toLocaleString("en-GB")} {count === 1 ? "entry" : "entries"}
      </Text>
      {count > 0 && (
        <Text as="span" small tone="faded">
          <a href={taken("csv")} download>
            CSV
          </a>
          ,{" "}
          <a href={taken("json")} download>
            JSON
          </a>
        </Text>
      )}
      {any && (
        <TextButton small onClick={clear}>
          as at first
        </TextButton>
      )}
    </Line>
  );
}

export function LedgerPage() {
  const { book = "" } = useParams();
  const { filters, set, any } = useFilters(NAMES);
  const { find } = filters;
  const navigate = useNavigate();
  const every = filters.line === "all";
  // What is looked for by words is looked for in the whole book.
  const line = every || find ? "" : filters.line || LAST;
  const standing = useStanding(book, every ? "" : filters.line);
  const asked = {
    find,
    line,
    verdict: filters.verdict ? [filters.verdict as (typeof VERDICTS)[number]] : undefined,
    decision: filters.decision ? [filters.decision as (typeof DECISIONS)[number]] : undefined,
    withdrawn: filters.withdrawn ? filters.withdrawn === "true" : undefined,
    label: filters.label,
    ordering: filters.ordering ? ([filters.ordering] as never) : undefined,
  };
  const pages = useEntries(book, asked);
  const [chosen, setChosen] = useKept("row", -1);
  const [writing, setWriting] = useState(false);
  const may = useMay();
  const entries = useMemo(() => pages.data?.pages.flatMap((p) => p.results) ?? [], [pages.data]);
  const reach = useMemo(
    () => commonReach(entries.flatMap((e) => (e.mean ? [{ strip: e.mean, higherIsBetter: false }] : []))),
    [entries],
  );
  // A gap that no entry explains has a row of its own.
  const rows = useMemo(
    () =>
      entries.flatMap((entry, at) => [
        { entry, at, gap: false },
        ...(entry.unaccounted ? [{ entry, at, gap: true }] : []),
      ]),
    [entries],
  );
  const { body, items, before, after, measure, show } = useRows(rows.length, 34, {
    has: pages.hasNextPage,
    busy: pages.isFetchingNextPage,
    fetch: pages.fetchNextPage,
  });
  const go = (step: number) => {
    const next = Math.max(0, Math.min(chosen + step, entries.length - 1));
    setChosen(next);
    show(rows.findIndex((row) => row.at === next));
  };
  useKeys({
    j: () => go(1),
    k: () => go(-1),
    Enter: () => entries[chosen] && navigate(`/${book}/entries/${entries[chosen].number}`),
    ...(may.write && { n: () => setWriting(true) }),
  });
  useHead(standing.data ?? null);
  useTitle(find ? `Entries that say "${find}"` : "Ledger");

  if (standing.error && !standing.data)
    return <Failure error={standing.error} again={() => standing.refetch()} />;
  if (pages.error && !pages.data) return <Failure error={pages.error} again={() => pages.refetch()} />;
  if (standing.isPending || pages.isPending) return <Loading what="the ledger" />;
  const sort = { ordering: filters.ordering || "-number", onOrder: (by: string) => set("ordering", by) };
  return (
    <>
      <Unseen as="h1">Ledger</Unseen>
      <WhereWeStand book={book} standing={standing.data} />
      <GoalLines goals={standing.data.goals} brief />
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 18, margin: "12px 0 4px", flexWrap: "wrap" }}>
        <PartTitle>Entries</PartTitle>
        <OpenQuestions book={book} standing={standing.data} />
        {entries.length > 0 && (
          <Link
            to={`/${book}/statement?entries=${ranges(entries.slice(0, MOST_ENTRIES).map((e) => e.number))}`}
          >
            statement of these
          </Link>
        )}
        {may.write && (
          <Button sx={{ marginLeft: "auto" }} onClick={() => setWriting(true)}>
            New entry&ensp;n
          </Button>
        )}
      </Box>
      <Filters
        book={book}
        standing={standing.data}
        count={pages.data.pages[0]?.count ?? 0}
        taken={(kind) => entriesAddress(book, asked, kind)}
      />
      {entries.length === 0 ? (
        any && !find ? (
          <Empty title="No entry is like that">
            <p>Of all that is asked for above, no entry has everything.</p>
          </Empty>
        ) : find ? (
          <Empty title={`No entry says "${find}"`}>
            <p>Titles and reasons are searched, and numbers.</p>
          </Empty>
        ) : (
          <Empty title="The first entry">
            <p>Record a scenario before and after a change; the recorder writes the entry.</p>
            <code>vigilant record docs/examples/neighbours.toml --server {window.location.origin}</code>
          </Empty>
        )
      ) : (
        <Table aria-label="Entries" aria-rowcount={(pages.data.pages[0]?.count ?? 0) + 1}>
          <TableHead>
            <TableRow>
              <SortCell by="number" first="desc" align="right" {...sort}>
                No.
              </SortCell>
              <SortCell by="title" {...sort}>
                Change
              </SortCell>
              <Cell wide>Runs</Cell>
              <Cell wide>
                Mean frame
                <br />← saved, spent →
              </Cell>
              <Cell align="right">
                Saved
                <br />
                ms
              </Cell>
              <Cell align="right">
                Spent
                <br />
                ms
              </Cell>
              <Cell align="right">95 % interval</Cell>
              <SortCell by="verdict" wide {...sort}>
                Verdict
              </SortCell>
              <Cell wide>Decision</Cell>
              <Cell align="right" wide>
                <Word of="standing">Standing</Word>
                <br />
                ms
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody ref={body}>
            <Room height={before} />
            {items.map(({ index }) => {
              const row = rows[index];
              if (!row) return null;
              const { entry, at, gap } = row;
              return gap ? (
                <Unaccounted key={`gap ${entry.number}`} ref={measure} data-index={index}>
                  <Cell />
                  <Cell colSpan={9}>
                    <Word of="unaccounted">{entry.unaccounted}</Word>
                  </Cell>
                </Unaccounted>
              ) : (
                <EntryRow
                  key={entry.number}
                  entry={entry}
                  reach={reach}
                  chosen={at === chosen}
                  named={line === ""}
                  index={index}
                  measure={measure}
                />
              );
            })}
            <Room height={after} />
          </TableBody>
        </Table>
      )}
      {pages.isFetchingNextPage && <Loading what="more entries" />}
      {writing && <NewEntry book={book} close={() => setWriting(false)} />}
    </>
  );
}
