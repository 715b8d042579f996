import { useState } from "react";
import { Link } from "react-router";
import { type CounterLimit, useCounterLimits, useSetCounterLimit } from "../../../api/backlog";
import { day } from "../../../app/days";
import { useMay } from "../../../app/role";
import { Failure } from "../../../app/states";
import { Word } from "../../../figures/Word";
import { amount, Chosen, FormDialog, required, Ticked, text, useSheet, Written } from "../../../form";
import {
  Box,
  Cell,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Unseen,
  Wide,
} from "../../../kit";

interface Props {
  book: string;
  number: number;
  arm: "before" | "after";
}

interface FormProps extends Props {
  counters: readonly string[];
  legs: readonly string[];
  /** The limit that is changed. */
  old: CounterLimit | null;
  close: () => void;
}

/** A limit of a counter, from its source; left empty it is taken back. */
function LimitForm({ book, number, arm, counters, legs, old, close }: FormProps) {
  const set = useSetCounterLimit(book, number);
  const sheet = useSheet({
    values: {
      counter: old?.counter ?? counters[0] ?? "",
      leg: old?.leg ?? "",
      kind: old?.kind ?? "at most",
      value: old ? String(old.value) : "",
      source: "",
      here: old?.measured_here ?? false,
      check: old?.check ?? "",
      every: old ? old.for_rig === "" : false,
    },
    send: ({ value, check, here, every, kind, ...rest }) => {
      const [lane = "", ...path] = check.split("/").map((name) => name.trim());
      return set.mutateAsync({
        ...rest,
        arm,
        kind: kind as "at most" | "expected",
        value: value.trim() ? Number(value) : null,
        measured_here: here,
        every_rig: every,
        check_lane: path.length > 0 ? lane : "",
        check_path: path,
      });
    },
    sent: close,
  });
  return (
    <FormDialog
      of={sheet}
      title={old ? `Limit of ${old.counter}` : "A counter's limit"}
      verb="Set it"
      close={close}
    >
      {!old && (
        <>
          <Chosen of={sheet} name="counter" label="Counter">
            {counters.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </Chosen>
          <Chosen of={sheet} name="leg" label="Where">
            <option value="">on the whole course</option>
            {legs.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </Chosen>
          <Chosen of={sheet} name="kind" label="Kind">
            <option value="at most">at most, in every frame</option>
            <option value="expected">expected, at a fixed view</option>
          </Chosen>
        </>
      )}
      <Written
        of={sheet}
        name="value"
        label="Value"
        inputMode="decimal"
        {...(old && { hint: "left empty it is taken back" })}
        rules={old ? amount() : { ...required, ...amount() }}
      />
      <Written
        of={sheet}
        name="source"
        label="Source"
        hint="who says so, and when"
        rules={{ ...required, ...text(4000) }}
      />
      <Ticked of={sheet} name="here" label="measured here" />
      <Ticked of={sheet} name="every" label="on every rig" />
      <Written
        of={sheet}
        name="check"
        label="The part that sees to it"
        hint="lane / part / part within; its own cost stands beside"
        rules={text(1000)}
      />
    </FormDialog>
  );
}

/** What counters may be, where each limit comes from, and what the runs of an arm say of it. */
export function CounterLimits({ book, number, arm }: Props) {
  const query = useCounterLimits(book, number, arm);
  const may = useMay();
  const [open, setOpen] = useState<CounterLimit | "new" | null>(null);
  const page = query.data;
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page || page.counters.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        <Word of="limits">Limits</Word>
        <Text as="span" tone="faded" aside>
          {page.rows.length === 0 && "none is set"}
        </Text>
      </h2>
      {page.rows.length > 0 && (
        <Wide aria-label="Limits of counters">
          <Table aria-label="Limits of counters" sx={{ "& td": { verticalAlign: "top" } }}>
            <TableHead>
              <TableRow>
                <Cell>Counter</Cell>
                <Cell>Where</Cell>
                <Cell align="right">Limit</Cell>
                <Cell>The runs {arm}</Cell>
                <Cell>From</Cell>
                <Cell>
                  <Unseen>what can be done</Unseen>
                </Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {page.rows.map((row) => (
                <TableRow key={`${row.counter} ${row.leg} ${row.kind}`}>
                  <Cell>{row.counter}</Cell>
                  <Cell>{row.leg || "the whole course"}</Cell>
                  <Cell align="right" nowrap>
                    <Text as="span" small tone="faded">
                      {row.kind}
                    </Text>{" "}
                    {row.value.toLocaleString("en-GB")}
                  </Cell>
                  <Cell {...(row.broken && { tone: "spent" as const })}>
                    {row.said}
                    {row.first_run !== null && row.first_frame !== null && (
                      <>
                        ,{" "}
                        <Link to={`/${book}/runs/${page.runs[row.first_run]}/frames/${row.first_frame}`}>
                          first in run {row.first_run + 1}
                        </Link>
                      </>
                    )}
                  </Cell>
                  <Cell small tone="faded">
                    {row.source}; {row.measured_here ? "measured here" : "not measured here"}. {row.by},{" "}
                    {day(row.set_at)}
                    {row.for_rig ? `, on ${row.for_rig}` : ", on every rig"}
                  </Cell>
                  <Cell>
                    {may.write && (
                      <TextButton
                        small
                        onClick={() => setOpen(row)}
                        aria-label={`Change the limit of ${row.counter}`}
                      >
                        change
                      </TextButton>
                    )}
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Wide>
      )}
      {may.write && <TextButton onClick={() => setOpen("new")}>set a limit</TextButton>}
      {open && (
        <LimitForm
          book={book}
          number={number}
          arm={arm}
          counters={page.counters}
          legs={page.legs}
          old={open === "new" ? null : open}
          close={() => setOpen(null)}
        />
      )}
    </Box>
  );
}
