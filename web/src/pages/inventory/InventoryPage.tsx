import Button from "@mui/material/Button";
import { useState } from "react";
import { useParams, useSearchParams } from "react-router";
import {
  type InventoryLine,
  type InventoryPage as Page,
  useInventories,
  useInventory,
} from "../../api/inventory";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading } from "../../app/states";
import { ChartTools } from "../../charts/copy";
import { Word } from "../../figures/Word";
import {
  Box,
  Cell,
  Choice,
  Command,
  colour,
  Line,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleRow,
  Wide,
} from "../../kit";
import { TakeForm } from "./TakeForm";
import { TotalForm } from "./TotalForm";

const named = (line: InventoryLine) =>
  `${line.build}${line.revision ? ` ${line.revision.slice(0, 8)}` : ""}, ${day(line.made_at)}`;

/** So much of the whole, drawn to one scale over all rows. */
const Share = ({ of }: { of: number | null }) => (
  <Box
    sx={{
      height: 10,
      width: `${100 * (of ?? 0)}%`,
      minWidth: of ? "1px" : 0,
      background: colour.ink,
      opacity: 0.55,
    }}
  />
);

function Ranked({ page }: { page: Page }) {
  return (
    <Wide aria-label="Kinds by weight">
      <Table aria-label="Kinds by weight">
        <TableHead>
          <TableRow>
            <Cell align="right">Rank</Cell>
            <Cell>Kind</Cell>
            <Cell align="right">Pieces</Cell>
            <Cell align="right">A piece</Cell>
            <Cell align="right">Together</Cell>
            <Cell align="right">Share</Cell>
            <Cell wide sx={{ width: "30%" }} />
          </TableRow>
        </TableHead>
        <TableBody>
          {page.rows.map((row) => (
            <TableRow key={row.kind}>
              <Cell align="right" tone="faded">
                {row.rank}
              </Cell>
              <Cell>{row.kind}</Cell>
              <Cell align="right">{row.words.count}</Cell>
              <Cell align="right" {...(row.share === null && { tone: "faded" as const })}>
                {row.words.a_piece}
              </Cell>
              <Cell align="right" {...(row.share === null && { tone: "faded" as const })}>
                {row.words.total}
              </Cell>
              <Cell align="right">{row.words.share}</Cell>
              <Cell wide>
                <Share of={row.share} />
              </Cell>
            </TableRow>
          ))}
          <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}`, fontWeight: 600 } }}>
            <Cell />
            <Cell>{page.total}</Cell>
            <Cell />
            <Cell />
            <Cell align="right">{page.sum}</Cell>
            <Cell />
            <Cell wide />
          </TableRow>
        </TableBody>
      </Table>
    </Wide>
  );
}

function Changes({ page, changes }: { page: Page; changes: NonNullable<Page["changes"]> }) {
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        What changed
        <Text as="span" tone="faded" aside>
          {page.total}, from {page.against?.build} to {page.inventory.build}
        </Text>
      </h2>
      <p>{page.change}</p>
      {changes.length > 0 && (
        <Wide aria-label="What changed">
          <Table aria-label="What changed">
            <TableHead>
              <TableRow>
                <Cell>Kind</Cell>
                <Cell align="right" tone="before">
                  ◇ Before
                </Cell>
                <Cell align="right" tone="after">
                  ◆ After
                </Cell>
                <Cell align="right">Less</Cell>
                <Cell align="right">More</Cell>
                <Cell align="right">From pieces</Cell>
                <Cell align="right">From a piece's weight</Cell>
                <Cell />
              </TableRow>
            </TableHead>
            <TableBody>
              {changes.map(({ kind, words }) => (
                <TableRow key={kind}>
                  <Cell>{kind}</Cell>
                  <Cell align="right">{words.before}</Cell>
                  <Cell align="right">{words.after}</Cell>
                  <Cell align="right">{words.less}</Cell>
                  <Cell align="right">{words.more}</Cell>
                  <Cell align="right">{words.from_count}</Cell>
                  <Cell align="right">{words.from_weight}</Cell>
                  <Cell tone="faded">{words.note}</Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Wide>
      )}
      {page.unchanged && (
        <Text small tone="faded" sx={{ marginTop: 4 }}>
          {page.unchanged}
        </Text>
      )}
    </Box>
  );
}

const tableOf = (page: Page) => ({
  head: ["kind", "pieces", "a piece", page.total, "share"],
  rows: page.rows.map((r) => [r.kind, r.words.count, r.words.a_piece, r.words.total, r.words.share]),
});

/** What a build is made of, in one total; and what changed since another. */
export default function InventoryPage() {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const lines = useInventories(book);
  const may = useMay();
  const [taking, setTaking] = useState(false);
  const [total, setTotal] = useState<string | null>(null);
  useTitle("Inventory");
  const listed = lines.data?.results ?? [];
  const key = Number(search.get("of")) || (listed[0]?.id ?? 0);
  const against = Number(search.get("against")) || null;
  const query = useInventory(book, key, search.get("total") ?? "", against);
  useKeys({ n: () => may.write && setTaking(true) });
  const choose = (name: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true });
  };
  if (lines.error && !lines.data) return <Failure error={lines.error} again={() => lines.refetch()} />;
  if (lines.isPending) return <Loading what="the inventories" />;
  const page = query.data;
  const own = page?.totals.find((t) => t.name === page.total)?.own ?? false;
  const units = (page?.totals ?? [])
    .filter((t) => !t.own)
    .map((t) => (t.name === "pieces" ? "pieces" : t.formula));
  return (
    <article>
      <TitleRow sx={{ marginBottom: 8 }}>
        <div>
          <PageTitle>
            <Word of="inventory">Inventory</Word>
          </PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            What a build is made of: so many pieces of each kind, and what a piece weighs.
          </Text>
        </div>
        {may.write && (
          <Button variant="contained" onClick={() => setTaking(true)}>
            From a file
          </Button>
        )}
      </TitleRow>
      {listed.length === 0 ? (
        <Empty title="No inventory yet">
          <p>
            Bring in a table with a column <i>kind</i>, a column <i>count</i>, and what a piece weighs in
            further columns; or let the program state it in its runs:
          </p>
          <Command as="pre">emitter.item("boat hull", 60, triangles=1240, draws=2)</Command>
        </Empty>
      ) : (
        <Line sx={{ gap: 14, flexWrap: "wrap" }}>
          <Choice aria-label="Inventory of" value={key} onChange={(e) => choose("of", e.target.value)}>
            {listed.map((line) => (
              <option key={line.id} value={line.id}>
                {named(line)}
              </option>
            ))}
          </Choice>
          <Choice
            aria-label="Total"
            value={page?.total ?? ""}
            onChange={(e) => choose("total", e.target.value)}
          >
            {(page?.totals ?? []).map((t) => (
              <option key={t.name} value={t.name}>
                {t.name}
              </option>
            ))}
          </Choice>
          <Choice
            aria-label="Held against"
            value={against ?? ""}
            onChange={(e) => choose("against", e.target.value)}
          >
            <option value="">held against none</option>
            {listed
              .filter((line) => line.id !== key)
              .map((line) => (
                <option key={line.id} value={line.id}>
                  held against {named(line)}
                </option>
              ))}
          </Choice>
          {may.write && page && own && (
            <TextButton small onClick={() => setTotal(page.total)}>
              change {page.total}
            </TextButton>
          )}
          {may.write && page && (
            <TextButton small onClick={() => setTotal("")}>
              another total
            </TextButton>
          )}
        </Line>
      )}
      {query.error && !query.isFetching && <Failure error={query.error} again={() => query.refetch()} />}
      {page && !query.error && (
        <>
          <Sentence>{page.sentence}</Sentence>
          {page.limit && (
            <Text {...(page.over && { tone: "spent" as const })} sx={{ marginTop: 2 }}>
              {page.limit}
            </Text>
          )}
          {page.counter && (
            <Text tone="faded" sx={{ marginTop: 2 }}>
              {page.counter}
            </Text>
          )}
          {page.untold && (
            <Text tone="faded" sx={{ marginTop: 2 }}>
              {page.untold}
            </Text>
          )}
          {own && (
            <Text small tone="faded" sx={{ marginTop: 2 }}>
              A piece weighs {page.formula}. {page.set}
            </Text>
          )}
          {page.changes && <Changes page={page} changes={page.changes} />}
          <Box component="section" sx={{ marginTop: 14 }}>
            <Ranked page={page} />
            <Box sx={{ display: "flex", marginTop: 6 }}>
              <ChartTools table={() => tableOf(page)} />
            </Box>
          </Box>
        </>
      )}
      {taking && (
        <TakeForm
          book={book}
          close={(made) => {
            setTaking(false);
            if (made) choose("of", String(made));
          }}
        />
      )}
      {total !== null && <TotalForm book={book} name={total} units={units} close={() => setTotal(null)} />}
    </article>
  );
}
