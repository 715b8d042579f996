import Button from "@mui/material/Button";
import Slider from "@mui/material/Slider";
import { useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { GAINS, useIfFree, useTogether } from "../../../api/evidence";
import { useMay } from "../../../app/role";
import { Failure, Loading } from "../../../app/states";
import { Word } from "../../../figures/Word";
import {
  Box,
  Cell,
  Choice,
  Columns,
  Facts,
  Line,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Wide,
} from "../../../kit";
import { IdeaForm } from "../../backlog/IdeaForm";
import { LeafSentence } from "../leaves";
import { useAsked } from "./heads";
import { partAt } from "./PartPage";

type Found = NonNullable<ReturnType<typeof useIfFree>["data"]>;
type Row = Found["rows"][number];

const keyOf = (row: { lane: string; path: readonly string[] }) => JSON.stringify([row.lane, ...row.path]);

/** How much of a part's cost is left: what it gives is asked for when the hand lets go. */
function Left({ name, share, onMoved }: { name: string; share: number; onMoved: (share: number) => void }) {
  const [moving, setMoving] = useState<number | null>(null);
  const percent = moving ?? Math.round(100 * share);
  return (
    <Box sx={{ display: "flex", gap: 10, alignItems: "center" }}>
      <Slider
        size="small"
        min={0}
        max={100}
        step={5}
        value={percent}
        aria-label={`Left of ${name}`}
        onChange={(_, value) => setMoving(value as number)}
        onChangeCommitted={(_, value) => {
          setMoving(null);
          onMoved((value as number) / 100);
        }}
      />
      <Text as="span" small nowrap sx={{ minWidth: 38 }}>
        {percent === 0 ? "free" : `${percent} %`}
      </Text>
    </Box>
  );
}

/** What the moved parts give together, beside what stands today. */
function Together({
  book,
  number,
  arm,
  left,
  now,
}: {
  book: string;
  number: number;
  arm: "before" | "after";
  left: ReadonlyMap<string, { row: Row; left: number }>;
  now: Found["now"];
}) {
  const parts = useDeferredValue(
    [...left.values()].map(({ row, left: share }) => ({ lane: row.lane, path: row.path, left: share })),
  );
  const query = useTogether(book, number, { arm, parts });
  const found = parts.length > 0 ? query.data : undefined;
  const ms = (value: number | undefined) => (value === undefined ? "" : `${value.toFixed(2)} ms`);
  const percent = (value: number | null | undefined) =>
    value === null || value === undefined ? "" : `${(100 * value).toFixed(2)} %`;
  const gain = (
    of: { value: number; half: number | null } | null | undefined,
    scale: number,
    unit: string,
  ) =>
    of
      ? `${(scale * of.value).toFixed(2)}${of.half === null ? "" : ` (± ${(scale * of.half).toFixed(2)})`} ${unit} less`
      : "";
  return (
    <Box component="section" aria-label="Together">
      <h2>Together</h2>
      {parts.length === 0 ? (
        <Text tone="faded" size={13}>
          Move a part to see what frames would take; several are computed together, since what they give does
          not add up.
        </Text>
      ) : query.error ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : !found ? (
        <Loading what="what they give together" />
      ) : (
        <p role="status">{found.sentence}</p>
      )}
      {now && (
        <Facts sx={{ marginTop: 8 }}>
          <dt>mean frame</dt>
          <dd>
            {ms(now.mean_ms)} {found?.then && <b>→ {ms(found.then.mean_ms)}</b>}
            <Text small tone="faded">
              {gain(found?.mean_ms, 1, "ms")}
            </Text>
          </dd>
          <dt>99th percentile</dt>
          <dd>
            {ms(now.p99_ms)} {found?.then && <b>→ {ms(found.then.p99_ms)}</b>}
            <Text small tone="faded">
              {gain(found?.p99_ms, 1, "ms")}
            </Text>
          </dd>
          {now.late !== null && (
            <>
              <dt>late frames</dt>
              <dd>
                {percent(now.late)} {found?.then && <b>→ {percent(found.then.late)}</b>}
                <Text small tone="faded">
                  {gain(found?.late, 100, "points")}
                </Text>
              </dd>
            </>
          )}
        </Facts>
      )}
    </Box>
  );
}

/** If it were free: what each part would give at most, ranked, and a slider beside each to try several together. */
export function IfFree({ book, number }: { book: string; number: number }) {
  const { search, arm, choose: ask } = useAsked();
  const by = GAINS.find(([figure]) => figure === search.get("by"))?.[0] ?? "mean_ms";
  const query = useIfFree(book, number, arm, by);
  const [left, setLeft] = useState<ReadonlyMap<string, { row: Row; left: number }>>(new Map());
  const [writing, setWriting] = useState(false);
  const may = useMay();
  const moved = [...left.values()];
  const choose = (name: string, value: string) => {
    ask(name, value);
    setLeft(new Map());
  };
  const move = (row: Row, share: number) => {
    const next = new Map(left);
    // What lies in a part, or around it, is moved with it.
    for (const [key, one] of left) {
      const [short, long] = one.row.path.length < row.path.length ? [one.row, row] : [row, one.row];
      if (one.row.lane === row.lane && short.path.every((name, i) => long.path[i] === name)) next.delete(key);
    }
    if (share < 1) next.set(keyOf(row), { row, left: share });
    setLeft(next);
  };
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const found = query.data;
  if (!found) return <Loading what="what parts could give" />;
  return (
    <section>
      <Line>
        <Choice aria-label="Arm" value={arm} onChange={(e) => choose("arm", e.target.value)}>
          <option value="after">of the frames after</option>
          <option value="before">of the frames before</option>
        </Choice>
        <Choice aria-label="Ranked by" value={by} onChange={(e) => choose("by", e.target.value)}>
          {GAINS.filter(([figure]) => figure !== "late" || found.now?.late !== null).map(
            ([figure, words]) => (
              <option key={figure} value={figure}>
                {words}
              </option>
            ),
          )}
        </Choice>
      </Line>
      <Box sx={{ marginTop: 8 }}>
        <LeafSentence>{found.sentence}</LeafSentence>
      </Box>
      {found.notes.map((note) => (
        <Text key={note} tone="faded" size={13}>
          {note}
        </Text>
      ))}
      {found.rows.length > 0 && (
        <Columns sx={{ marginTop: 12 }}>
          <Wide aria-label="Parts by what they would give">
            <Table aria-label="If it were free">
              <TableHead>
                <TableRow>
                  <Cell align="right">Rank</Cell>
                  <Cell>Part</Cell>
                  <Cell align="right">Takes, ms</Cell>
                  <Cell align="right">
                    <Word of="free">Mean, ms</Word>
                  </Cell>
                  <Cell align="right">99th, ms</Cell>
                  {found.now?.late !== null && <Cell align="right">Late, points</Cell>}
                  <Cell>Left of its cost</Cell>
                </TableRow>
              </TableHead>
              <TableBody>
                {found.rows.map((row) => {
                  const share = left.get(keyOf(row))?.left ?? 1;
                  return (
                    <TableRow key={keyOf(row)}>
                      <Cell align="right">{row.nothing ? "" : row.rank}</Cell>
                      <Cell {...(row.nothing && { tone: "faded" as const })}>
                        <Link to={partAt(row)}>{row.path.join(" / ")}</Link>{" "}
                        <Text as="span" small tone="faded">
                          {row.lane}
                        </Text>
                      </Cell>
                      <Cell align="right">{row.words.ms}</Cell>
                      {row.nothing ? (
                        <Cell tone="faded" align="right" colSpan={found.now?.late !== null ? 3 : 2}>
                          nothing to gain here by itself
                        </Cell>
                      ) : (
                        <>
                          <Cell align="right" nowrap>
                            {row.words.mean_ms}
                          </Cell>
                          <Cell align="right" nowrap>
                            {row.words.p99_ms}
                          </Cell>
                          {found.now?.late !== null && (
                            <Cell align="right" nowrap>
                              {row.words.late}
                            </Cell>
                          )}
                        </>
                      )}
                      <Cell sx={{ minWidth: 150 }}>
                        <Left name={row.name} share={share} onMoved={(to) => move(row, to)} />
                      </Cell>
                    </TableRow>
                  );
                })}
              </TableBody>
            </Table>
          </Wide>
          <div>
            <Together book={book} number={number} arm={arm} left={left} now={found.now} />
            {left.size > 0 && (
              <Line sx={{ marginTop: 8 }}>
                {may.write && <Button onClick={() => setWriting(true)}>Into the backlog</Button>}
                <TextButton small onClick={() => setLeft(new Map())}>
                  all as they are
                </TextButton>
              </Line>
            )}
            {writing && (
              <IdeaForm
                book={book}
                of={{
                  entry: number,
                  arm,
                  parts: moved.map(({ row, left: share }) => ({
                    lane: row.lane,
                    path: row.path,
                    left: share,
                  })),
                  title: moved.map(({ row }) => `Make ${row.path.at(-1)} cheaper`).join("; "),
                  said: `Of the frames ${arm}, entry ${number}: ${moved.map(({ row, left: share }) => `${row.name} ${share === 0 ? "free" : `at ${Math.round(100 * share)} %`}`).join(", ")}. What that gives at most is kept with it.`,
                }}
                close={() => setWriting(false)}
              />
            )}
          </div>
        </Columns>
      )}
    </section>
  );
}
