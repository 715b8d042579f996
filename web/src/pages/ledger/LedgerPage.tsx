import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { EntryLine, Standing } from "../../api/client";
import { useEntries, useStanding } from "../../api/queries";
import { useHead, useTitle } from "../../app/head";
import { useKept } from "../../app/kept";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import { BalanceChart } from "../../charts/BalanceChart";
import { commonReach, IntervalStrip } from "../../charts/IntervalStrip";
import { Explained } from "../../figures/Explained";
import { GoalLines } from "../../figures/GoalLines";
import {
  Amounts,
  Box,
  Cell,
  colour,
  Ends,
  LinkRow,
  PartTitle,
  Stamp,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TitleLink,
  Unseen,
} from "../../kit";
import { NewEntry } from "./NewEntry";

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

function WhereWeStand({ standing }: { standing: Standing }) {
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
      </div>
      <BalanceChart points={standing.points} budget={standing.budget_ms} />
    </StandingGrid>
  );
}

interface LineProps {
  entry: EntryLine;
  reach: number;
  chosen: boolean;
}

function EntryRow({ entry, reach, chosen }: LineProps) {
  const row = useRef<HTMLTableRowElement>(null);
  useEffect(() => {
    if (chosen) row.current?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  return (
    <>
      <LinkRow ref={row} to={`./entries/${entry.number}`} selected={chosen} aria-selected={chosen}>
        <Cell align="right">{entry.number}</Cell>
        <Cell>
          <TitleLink to={`./entries/${entry.number}`}>{entry.title}</TitleLink>
          {entry.remark && (
            <Text as="span" tone="faded">
              {" "}
              ({entry.remark})
            </Text>
          )}
          <Text as="div" narrow small tone="faded" sx={{ marginTop: 3 }}>
            {entry.verdict && <Stamp verdict={entry.verdict} word={entry.stamp} />}{" "}
            {entry.decision?.choice ?? (entry.verdict && !entry.blank ? "decide" : "")}
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
        <Cell wide>{entry.verdict && <Stamp verdict={entry.verdict} word={entry.stamp} />}</Cell>
        <Cell wide>
          {entry.decision?.choice ??
            (entry.blank ? (
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
      {entry.unaccounted && (
        <Unaccounted>
          <Cell />
          <Cell colSpan={9}>{entry.unaccounted}</Cell>
        </Unaccounted>
      )}
    </>
  );
}

export function LedgerPage() {
  const { book = "" } = useParams();
  const [search] = useSearchParams();
  const find = search.get("find") ?? "";
  const navigate = useNavigate();
  const standing = useStanding(book);
  const pages = useEntries(book, find);
  const [chosen, setChosen] = useKept("row", -1);
  const [writing, setWriting] = useState(false);
  const end = useRef<HTMLDivElement>(null);
  const entries = useMemo(() => pages.data?.pages.flatMap((p) => p.results) ?? [], [pages.data]);
  const reach = useMemo(
    () => commonReach(entries.flatMap((e) => (e.mean ? [{ strip: e.mean, higherIsBetter: false }] : []))),
    [entries],
  );
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  useEffect(() => {
    const mark = end.current;
    if (!mark || !hasNextPage) return;
    const watch = new IntersectionObserver(
      ([seen]) => seen?.isIntersecting && !isFetchingNextPage && fetchNextPage(),
    );
    watch.observe(mark);
    return () => watch.disconnect();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  const open = (entry: EntryLine | undefined) => entry && navigate(`/${book}/entries/${entry.number}`);
  useKeys({
    j: () => setChosen((at) => Math.min(at + 1, entries.length - 1)),
    k: () => setChosen((at) => Math.max(at - 1, 0)),
    Enter: () => open(entries[chosen]),
    n: () => setWriting(true),
  });
  useHead(standing.data ?? null);
  useTitle(find ? `Entries that say "${find}"` : "Ledger");

  if (standing.error && !standing.data)
    return <Failure error={standing.error} again={() => standing.refetch()} />;
  if (pages.error && !pages.data) return <Failure error={pages.error} again={() => pages.refetch()} />;
  if (standing.isPending || pages.isPending) return <Loading what="the ledger" />;
  return (
    <>
      <Unseen as="h1">Ledger</Unseen>
      <WhereWeStand standing={standing.data} />
      <GoalLines goals={standing.data.goals} brief />
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 18, margin: "12px 0 4px", flexWrap: "wrap" }}>
        <PartTitle>Entries</PartTitle>
        <Text as="span" tone="faded" sx={{ fontSize: 13 }}>
          {standing.data.questions}
        </Text>
        <Button sx={{ marginLeft: "auto" }} onClick={() => setWriting(true)}>
          New entry&ensp;n
        </Button>
      </Box>
      {entries.length === 0 ? (
        find ? (
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
        <Table aria-label="Entries">
          <TableHead>
            <TableRow>
              <Cell align="right">No.</Cell>
              <Cell>Change</Cell>
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
              <Cell wide>Verdict</Cell>
              <Cell wide>Decision</Cell>
              <Cell align="right" wide>
                Standing
                <br />
                ms
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {entries.map((entry, i) => (
              <EntryRow key={entry.number} entry={entry} reach={reach} chosen={i === chosen} />
            ))}
          </TableBody>
        </Table>
      )}
      <div ref={end}>{isFetchingNextPage && <Loading what="more entries" />}</div>
      <NewEntry book={book} open={writing} onClose={() => setWriting(false)} />
    </>
  );
}
