import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Entry, Figure } from "../../api/client";
import { useRunsLeaf } from "../../api/evidence";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { RunDots } from "../../charts/RunDots";
import type { ChartTable } from "../../charts/table";
import { Box, Cell, Choice, Columns, Stamp, Table, TableBody, TableHead, TableRow, Text } from "../../kit";
import { LeafSentence } from "./leaves";

function dotTable(entry: Entry, figure: string): ChartTable {
  return {
    head: ["run", "arm", "outcome", figure],
    rows: entry.dots.map((d) => [d.position + 1, d.arm, d.outcome, d.figures[figure] ?? null]),
  };
}

function Dots({ entry, figures }: { entry: Entry; figures: Figure[] }) {
  const [search, setSearch] = useSearchParams();
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  const offered = figures.filter((f) => entry.dots.some((d) => typeof d.figures[f.name] === "number"));
  const figure = offered.find((f) => f.name === search.get("figure")) ?? offered[0];
  useKeys({ t: () => setShown(!shown) });
  if (!figure) return null;
  const unit = figure.unit === "share" ? "%" : figure.unit === "per_min" ? "" : figure.unit;
  const known = figure.p_value !== null || figure.call !== "none seen";
  return (
    <Box component="section" sx={{ marginTop: 16 }}>
      <Box sx={{ display: "flex", gap: 14, alignItems: "baseline" }}>
        <h2>Runs in the order recorded,</h2>
        <Choice
          aria-label="Figure"
          value={figure.name}
          onChange={(e) => {
            search.set("figure", e.target.value);
            setSearch(search, { replace: true });
          }}
        >
          {offered.map((f) => (
            <option key={f.name} value={f.name}>
              {f.words.label}
            </option>
          ))}
        </Choice>
        <Text as="span" tone="faded">
          {unit}
        </Text>
        <Box component="span" sx={{ marginLeft: "auto" }}>
          <ChartTools
            table={() => dotTable(entry, figure.name)}
            drawing={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        </Box>
      </Box>
      <div ref={drawing}>
        <RunDots
          dots={entry.dots}
          figure={figure.name}
          unit={unit}
          share={figure.unit === "share"}
          before={known ? figure.before : null}
          after={known ? figure.after : null}
        />
      </div>
      {shown && <TableBehind table={dotTable(entry, figure.name)} />}
    </Box>
  );
}

/** How the runs lay in their session, how they ended, and the result without those that were set aside. */
export function RunsLeaf({ book, entry, figures }: { book: string; entry: Entry; figures: Figure[] }) {
  const query = useRunsLeaf(book, entry.number);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const leaf = query.data;
  if (!leaf) return <Loading what="the runs" />;
  return (
    <section>
      {leaf.drift && <LeafSentence>{leaf.drift.said}</LeafSentence>}
      <Dots entry={entry} figures={figures} />
      <Columns>
        <Blocks blocks={leaf.blocks} said={leaf.said} />
        <Outcomes book={book} entry={entry} />
      </Columns>
      {leaf.without && <Both entry={entry} without={leaf.without} />}
    </section>
  );
}

type Leaf = NonNullable<ReturnType<typeof useRunsLeaf>["data"]>;

/** What each block of the order says alone. */
function Blocks({ blocks, said }: { blocks: Leaf["blocks"]; said: string }) {
  if (blocks.length === 0) return <div />;
  return (
    <section>
      <h2>Block by block</h2>
      <Text tone="faded" size={13}>
        {said || "The whole order is one block."}
      </Text>
      <Table aria-label="Blocks" sx={{ marginTop: 6 }}>
        <TableHead>
          <TableRow>
            <Cell>Slots</Cell>
            <Cell align="right">Runs</Cell>
            <Cell align="right">Less time, %</Cell>
            <Cell align="right">More time, %</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {blocks.map((block) => {
            const size = Math.abs(100 * block.share).toFixed(1);
            return (
              <TableRow key={block.first}>
                <Cell nowrap>
                  {block.first + 1} to {block.last + 1}
                </Cell>
                <Cell align="right">{block.runs}</Cell>
                <Cell align="right" tone="saved">
                  {block.share < 0 && size}
                </Cell>
                <Cell align="right" tone="spent">
                  {block.share >= 0 && size}
                </Cell>
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
    </section>
  );
}

/** How the attempts ended; those that are in no arm, each with its reason. */
function Outcomes({ book, entry }: { book: string; entry: Entry }) {
  const counted = entry.dots.filter((d) => d.counted);
  const of = (arm: string) => counted.filter((d) => d.arm === arm).length;
  const others = entry.dots.filter((d) => !d.counted);
  return (
    <section>
      <h2>How they ended</h2>
      <p>
        {of("before")} before and {of("after")} after count
        {others.length === 0 ? "; no other attempt was made." : "."}
      </p>
      {others.length > 0 && (
        <ul>
          {others.map((d) => (
            <li key={d.run}>
              Slot {d.position + 1}, {d.arm}: {d.outcome}
              {d.detail && `, ${d.detail}`}
            </li>
          ))}
        </ul>
      )}
      {entry.aside.length > 0 && (
        <>
          <Text tone="faded" size={13}>
            Set aside since, by a decision:
          </Text>
          <ul>
            {entry.aside.map((row) => (
              <li key={row.run}>
                <Link to={`/${book}/runs/${row.run}`}>
                  a run {row.arm}, slot {(entry.dots.find((d) => d.run === row.run)?.position ?? 0) + 1}
                </Link>
                : {row.why}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** The result as it was decided, and without the runs set aside. */
function Both({ entry, without }: { entry: Entry; without: NonNullable<Leaf["without"]> }) {
  const result = entry.result;
  if (!result) return null;
  const all = entry.dots.filter((d) => d.counted);
  const rows = [
    {
      name: "With all runs, as it was decided",
      before: all.filter((d) => d.arm === "before").length,
      after: all.filter((d) => d.arm === "after").length,
      verdict: result.verdict,
      stamp: result.stamp,
      sentence: result.sentence,
    },
    { name: "Without those set aside", ...without.runs, ...without },
  ];
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>With and without the runs set aside</h2>
      <Table aria-label="Both results" sx={{ marginTop: 6 }}>
        <TableBody>
          {rows.map((row) => (
            <TableRow key={row.name}>
              <Cell>{row.name}</Cell>
              <Cell nowrap>
                {row.before}+{row.after}
              </Cell>
              <Cell>{row.verdict && <Stamp verdict={row.verdict} word={row.stamp} />}</Cell>
              <Cell>{row.sentence}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
