import { useState } from "react";
import { Link } from "react-router";
import { useCounters } from "../../../api/evidence";
import { Failure, Loading } from "../../../app/states";
import { Word } from "../../../figures/Word";
import {
  Cell,
  Choice,
  InlineForm,
  Line,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextInput,
  Wide,
} from "../../../kit";
import { CounterLimits } from "./CounterLimits";
import { useAsked } from "./heads";

const few = (value: number | null) =>
  value === null ? "no value" : Number(value.toPrecision(5)).toLocaleString("en-GB");

/** Counters beside time: does each stay at zero or flat, and do frames go with it. */
export function Counters({ book, number }: { book: string; number: number }) {
  const { search, arm, choose } = useAsked();
  const from = Math.max(0, Number(search.get("from")) || 0);
  const [written, setWritten] = useState(String(from));
  const query = useCounters(book, number, arm, from);
  const found = query.data;
  return (
    <section>
      <Line>
        <Choice aria-label="Arm" value={arm} onChange={(e) => choose("arm", e.target.value)}>
          <option value="after">of the runs after</option>
          <option value="before">of the runs before</option>
        </Choice>
        <InlineForm
          noValidate
          onSubmit={(e) => {
            e.preventDefault();
            choose("from", String(Math.max(0, Number(written.replace(",", ".")) || 0)));
          }}
        >
          <span>
            from{" "}
            <TextInput
              aria-label="Seconds left out"
              inputMode="decimal"
              value={written}
              sx={{ width: 60 }}
              onChange={(e) => setWritten(e.target.value)}
              onBlur={(e) => e.target.form?.requestSubmit()}
            />{" "}
            s of play on
          </span>
        </InlineForm>
      </Line>
      {query.error && !found ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : !found ? (
        <Loading what="the counters" />
      ) : found.rows.length === 0 ? (
        <Text tone="faded" sx={{ marginTop: 8 }}>
          The runs report no counters in common.
        </Text>
      ) : (
        <Wide aria-label="Counters beside time">
          <Table aria-label="Counters beside time" sx={{ marginTop: 8, "& td": { verticalAlign: "top" } }}>
            <TableHead>
              <TableRow>
                <Cell>Counter</Cell>
                <Cell align="right">Mean</Cell>
                <Cell align="right">Most</Cell>
                <Cell>
                  <Word of="zero">Zero, or constant</Word>
                </Cell>
                <Cell>
                  <Word of="flat">Flat</Word>
                </Cell>
                <Cell>
                  <Word of="place">Frames with it</Word>
                </Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {found.rows.map((row) => (
                <TableRow key={row.name}>
                  <Cell>
                    {row.name}
                    {row.states && (
                      <Text as="div" small tone="faded">
                        {row.states}
                      </Text>
                    )}
                  </Cell>
                  <Cell align="right">{few(row.mean)}</Cell>
                  <Cell align="right">{few(row.most)}</Cell>
                  <Cell>
                    {row.zero_said}
                    {row.first_run !== null && row.first_frame !== null && !row.constant && (
                      <>
                        ,{" "}
                        <Link to={`/${book}/runs/${found.runs[row.first_run]}/frames/${row.first_frame}`}>
                          the first: frame {row.first_frame.toLocaleString("en-GB")} of run{" "}
                          {row.first_run + 1}
                        </Link>
                      </>
                    )}
                    {row.steps_said && (
                      <Text as="div" small tone="faded">
                        {row.steps_said}
                      </Text>
                    )}
                    {row.active_said && (
                      <Text as="div" small tone="faded">
                        {row.active_said}
                      </Text>
                    )}
                  </Cell>
                  <Cell>{row.flat_said}</Cell>
                  <Cell>
                    {row.place_said}
                    {row.along_said && (
                      <Text as="div" small tone="faded">
                        along the course {row.along_said}
                      </Text>
                    )}
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Wide>
      )}
      <CounterLimits book={book} number={number} arm={arm} />
    </section>
  );
}
