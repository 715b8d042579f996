import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { useChain, useEntries } from "../../api/queries";
import { useTitle } from "../../app/head";
import { Empty, Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Choice,
  Line,
  PageTitle,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TextInput,
  Tick,
  Wide,
} from "../../kit";

/** Entries as the steps of a chain: their product against the way from first to last. */
export default function ChainPage() {
  useTitle("Do the steps add up?");
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const [find, setFind] = useState("");
  const entries = useEntries(book, { find, recorded: true });
  // What is ticked is kept here: the address follows in a transition, too late for quick hands.
  const [steps, setSteps] = useState(() => search.getAll("entry").map(Number));
  const [total, setTotal] = useState(() => (search.get("total") ? Number(search.get("total")) : undefined));
  const query = useChain(book, steps, total);
  if (entries.error && !entries.data)
    return <Failure error={entries.error} again={() => entries.refetch()} />;
  if (entries.isPending) return <Loading what="the entries" />;
  const offered = entries.data.pages
    .flatMap((p) => p.results)
    .filter((e) => e.verdict && e.verdict !== "void" && !e.blank)
    .sort((a, b) => a.number - b.number);
  const set = (numbers: number[], whole: number | undefined) => {
    const ordered = [...numbers].sort((a, b) => a - b);
    const kept = whole !== undefined && !numbers.includes(whole) ? whole : undefined;
    setSteps(ordered);
    setTotal(kept);
    const next = new URLSearchParams(ordered.map((n) => ["entry", `${n}`]));
    if (kept !== undefined) next.set("total", `${kept}`);
    setSearch(next, { replace: true });
  };
  const answer = steps.length > 1 && !query.error ? query.data : undefined;
  // What is ticked stays in sight, whatever is looked for.
  const unseen = steps.filter((n) => !offered.some((e) => e.number === n));
  const shown = [
    ...unseen.map((number) => ({
      number,
      title: answer?.steps.find((s) => s.number === number)?.title ?? `no. ${number}`,
    })),
    ...offered,
  ];
  const tested = answer?.rows.some((row) => row.words.interval);
  const meanings = [...new Set(answer?.rows.map((row) => row.words.meaning))];
  return (
    <article>
      <PageTitle>Do the steps add up?</PageTitle>
      <Text tone="faded" sx={{ fontSize: 13, margin: "2px 0 10px", maxWidth: 820 }}>
        Changes in time multiply: two steps of 10 % less make 19 % less. Tick the steps; their product is held
        against the way from the first one's before to the last one's after, or against an entry that went all
        the way at once. A step's factor is what it leaves of the time.
      </Text>
      <Line sx={{ marginBottom: 8 }} role="search" aria-label="Which entries">
        <TextInput
          aria-label="In titles and reasons"
          placeholder="title, reason or number"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
      </Line>
      <Wide aria-label="The steps">
        <Table aria-label="Steps">
          <TableHead>
            <TableRow>
              <Cell sx={{ width: 40 }}>Step</Cell>
              <Cell align="right" sx={{ width: 40 }}>
                No.
              </Cell>
              <Cell>Change</Cell>
              {answer?.rows.map((row) => (
                <Cell key={row.figure} align="right">
                  {row.label}
                </Cell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.map((e) => {
              const at = answer?.steps.findIndex((s) => s.number === e.number) ?? -1;
              return (
                <TableRow
                  key={e.number}
                  sx={e.number === total ? { "& td": { color: "text.secondary" } } : {}}
                >
                  <Cell>
                    <Tick
                      aria-label={`Step ${e.number}`}
                      checked={steps.includes(e.number)}
                      onChange={(event) =>
                        set(
                          event.target.checked ? [...steps, e.number] : steps.filter((n) => n !== e.number),
                          total,
                        )
                      }
                    />
                  </Cell>
                  <Cell align="right">{e.number}</Cell>
                  <Cell>
                    <Link to={`/${book}/entries/${e.number}`}>{e.title}</Link>
                  </Cell>
                  {answer?.rows.map((row, i) => (
                    <Cell key={row.figure} align="right" nowrap>
                      {answer.steps[at]?.factors[i]}
                    </Cell>
                  ))}
                </TableRow>
              );
            })}
          </TableBody>
        </Table>
      </Wide>
      {entries.hasNextPage && <TextButton onClick={() => entries.fetchNextPage()}>older entries</TextButton>}
      <Box component="p" sx={{ marginTop: 10 }}>
        Held against{" "}
        <Choice
          aria-label="Total"
          value={total ?? ""}
          onChange={(e) => set(steps, e.target.value ? Number(e.target.value) : undefined)}
        >
          <option value="">the first one's before and the last one's after</option>
          {offered
            .filter((e) => !steps.includes(e.number))
            .map((e) => (
              <option key={e.number} value={e.number}>
                entry {e.number}: {e.title}
              </option>
            ))}
        </Choice>
      </Box>
      {steps.length < 2 && (
        <Empty title="A chain has two steps or more">
          <p>Tick the entries whose changes were made one after the other.</p>
        </Empty>
      )}
      {query.error && <Failure error={query.error} again={() => query.refetch()} />}
      {steps.length > 1 && query.isPending && <Loading what="the chain" />}
      {answer && (
        <Box component="section" sx={{ marginTop: 14 }}>
          <h2>What the product misses</h2>
          <Wide aria-label="What they make together">
            <Table aria-label="Closing">
              <TableHead>
                <TableRow>
                  <Cell>Figure</Cell>
                  <Cell align="right">The steps together</Cell>
                  <Cell align="right">First to last</Cell>
                  <Cell align="right">Missed by</Cell>
                  {tested && <Cell align="right">95 % interval</Cell>}
                  {meanings.length > 1 && <Cell>Meaning</Cell>}
                </TableRow>
              </TableHead>
              <TableBody>
                {answer.rows.map((row) => (
                  <TableRow key={row.figure}>
                    <Cell sx={{ fontWeight: 600 }}>{row.label}</Cell>
                    <Cell align="right" nowrap>
                      {row.words.product}
                    </Cell>
                    <Cell align="right" nowrap>
                      {row.words.total}
                    </Cell>
                    <Cell align="right" nowrap>
                      {row.words.remainder}
                    </Cell>
                    {tested && (
                      <Cell align="right" nowrap>
                        {row.words.interval}
                      </Cell>
                    )}
                    {meanings.length > 1 && <Cell>{row.words.meaning}</Cell>}
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          </Wide>
          {meanings.length === 1 && (
            <Box component="p" sx={{ marginTop: 8 }}>
              {meanings[0]}
            </Box>
          )}
        </Box>
      )}
    </article>
  );
}
