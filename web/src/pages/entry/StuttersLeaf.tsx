import { useMemo, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { useStuttersLeaf } from "../../api/evidence";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { StutterStrip, type Stutters } from "../../charts/StutterStrip";
import type { ChartTable } from "../../charts/table";
import { FigureTable } from "../../figures/FigureLadder";
import { Box, Cell, Choice, Line, Table, TableBody, TableHead, TableRow, Text, TextButton } from "../../kit";
import { LeafSentence } from "./leaves";

type Order = "size" | "place" | "run";
const ORDERS: readonly (readonly [Order, string])[] = [
  ["size", "the largest first"],
  ["place", "by place on the course"],
  ["run", "by run"],
];
/** Rows shown before all are asked for. */
const FEW = 40;

const numberOf = (all: Stutters, run: number) =>
  all.runs.slice(0, run + 1).filter((r) => r.arm === all.runs[run]?.arm).length;

function tableOf(all: Stutters, rows: Stutters["stutters"]): ChartTable {
  return {
    head: [
      "arm",
      "run",
      "frame",
      "at s",
      "place 0..1",
      "leg",
      "size ms",
      "longest ms",
      "recurring",
      "stood out",
    ],
    rows: rows.map((s) => [
      all.runs[s.run]?.arm ?? "",
      numberOf(all, s.run),
      s.frame,
      s.at_s,
      s.at,
      s.leg,
      s.size_ms,
      s.longest_ms,
      s.recurring === null ? "" : (all.places[s.recurring]?.at_s.toFixed(1) ?? ""),
      s.stood_out,
    ]),
  };
}

/** Every stutter of every run by place, size and arm; those that recur apart from those of chance. */
export function StuttersLeaf({
  book,
  number,
  credited,
}: {
  book: string;
  number: number;
  credited: boolean;
}) {
  const query = useStuttersLeaf(book, number);
  const [search, setSearch] = useSearchParams();
  const [shown, setShown] = useState(false);
  const [whole, setWhole] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setShown(!shown) });
  const all = query.data;
  const arm = search.get("arm") ?? "";
  const kind = search.get("kind") ?? "";
  const order = (search.get("order") ?? "size") as Order;
  const rows = useMemo(() => {
    if (!all) return [];
    const kept = all.stutters.filter(
      (s) =>
        (!arm || all.runs[s.run]?.arm === arm) &&
        (!kind || (s.recurring !== null) === (kind === "recurring")),
    );
    const key = {
      size: (s: (typeof kept)[number]) => -s.size_ms,
      place: (s: (typeof kept)[number]) => s.at ?? 2,
      run: (s: (typeof kept)[number]) => s.run + s.frame / 1e9,
    }[order];
    return [...kept].sort((a, b) => key(a) - key(b));
  }, [all, arm, kind, order]);
  if (query.error && !all) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!all) return <Loading what="the stutters" />;
  const choose = (name: string, value: string) => {
    if (value) search.set(name, value);
    else search.delete(name);
    setSearch(search, { replace: true, preventScrollReset: true });
  };
  const figures = Object.values(all.figures);
  const rate = (value: number) => value.toFixed(2);
  return (
    <section>
      <Line>
        <LeafSentence>{all.sentence}</LeafSentence>
        <Box component="span" sx={{ marginLeft: "auto" }}>
          <ChartTools
            table={() => tableOf(all, rows)}
            drawing={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        </Box>
      </Line>
      {all.places.map((place) => (
        <p key={place.at}>{`${place.said[0]?.toUpperCase()}${place.said.slice(1)}.`}</p>
      ))}
      {all.regular.map((arm) => (
        <p key={arm.arm}>{arm.said}</p>
      ))}
      {all.count > 0 && (
        <div ref={drawing}>
          <StutterStrip all={all} />
        </div>
      )}
      {figures.length > 0 && (
        <FigureTable
          label="Counts of stutters"
          head="Of all runs"
          rows={figures.map((figure) => ({ key: figure.name, figure }))}
          judged={all.judged}
          credited={credited}
        />
      )}
      {all.shape.length > 0 && (
        <FigureTable
          label="Size and spacing of stutters"
          head="Of a run's stutters"
          rows={all.shape.map((figure) => ({ key: figure.name, figure }))}
          judged={all.judged}
          credited={false}
        />
      )}
      {all.places.length > 0 && (
        <Text small tone="faded" sx={{ marginTop: 4 }}>
          Counted over all runs, stutters a minute without those that recur:{" "}
          {rate(all.rates.before.not_recurring)} before, {rate(all.rates.after.not_recurring)} after; with
          them {rate(all.rates.before.all)} and {rate(all.rates.after.all)}. The figures of the verdict keep
          them.
        </Text>
      )}
      {all.count > 0 && (
        <>
          <Line sx={{ marginTop: 16 }}>
            <h2>{all.count.toLocaleString("en-GB")} stutters,</h2>
            <Choice
              aria-label="Arm of the stutters"
              value={arm}
              onChange={(e) => choose("arm", e.target.value)}
            >
              <option value="">of both arms</option>
              <option value="before">before</option>
              <option value="after">after</option>
            </Choice>
            <Choice
              aria-label="Kind of stutters"
              value={kind}
              onChange={(e) => choose("kind", e.target.value)}
            >
              <option value="">recurring or not</option>
              <option value="recurring">recurring</option>
              <option value="once">not recurring</option>
            </Choice>
            <Choice
              aria-label="Order of stutters"
              value={order}
              onChange={(e) => choose("order", e.target.value === "size" ? "" : e.target.value)}
            >
              {ORDERS.map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </Choice>
          </Line>
          <Table aria-label="Stutters">
            <TableHead>
              <TableRow>
                <Cell>Arm and run</Cell>
                <Cell align="right">At, s</Cell>
                <Cell>Leg</Cell>
                <Cell align="right">Over its neighbours, ms</Cell>
                <Cell align="right">Longest frame, ms</Cell>
                <Cell>Stood out</Cell>
                <Cell>Recurs</Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {rows.slice(0, whole ? rows.length : FEW).map((s) => {
                const run = all.runs[s.run];
                const at = `/${book}/runs/${run?.id}?frame=${s.frame}&from=${Math.max(0, s.frame - 150)}&to=${s.frame + 150}`;
                return (
                  <TableRow key={`${s.run} ${s.frame}`}>
                    <Cell tone={run?.arm === "before" ? "before" : "after"} nowrap>
                      <Link to={at}>
                        {run?.arm} {numberOf(all, s.run)}, frame {s.frame.toLocaleString("en-GB")}
                      </Link>
                    </Cell>
                    <Cell align="right">{s.at_s.toFixed(1)}</Cell>
                    <Cell>{s.leg}</Cell>
                    <Cell align="right">{s.size_ms.toFixed(1)}</Cell>
                    <Cell align="right">{s.longest_ms.toFixed(1)}</Cell>
                    <Cell nowrap>
                      <Link to={`/${book}/runs/${run?.id}/frames/${s.frame}`}>its work</Link> {s.stood_out}
                    </Cell>
                    <Cell>
                      {s.recurring === null ? "" : `at ${all.places[s.recurring]?.at_s.toFixed(1)} s`}
                    </Cell>
                  </TableRow>
                );
              })}
            </TableBody>
          </Table>
          {rows.length > FEW && (
            <TextButton small onClick={() => setWhole(!whole)}>
              {whole ? "fewer" : `all ${rows.length.toLocaleString("en-GB")}`}
            </TextButton>
          )}
        </>
      )}
      {shown && <TableBehind table={tableOf(all, rows)} />}
    </section>
  );
}
