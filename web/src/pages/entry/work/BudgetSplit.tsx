import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import { useAllow, useBudget } from "../../../api/backlog";
import { day } from "../../../app/days";
import { useMay } from "../../../app/role";
import { Failure, Loading } from "../../../app/states";
import { Word } from "../../../figures/Word";
import {
  Box,
  Cell,
  Choice,
  colour,
  InlineForm,
  Line,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TextInput,
  Tick,
  Wide,
} from "../../../kit";
import { useAsked } from "./heads";
import { partAt } from "./PartPage";

type Page = NonNullable<ReturnType<typeof useBudget>["data"]>;
type Row = Page["rows"][number];
const keyOf = (row: Row) => JSON.stringify([row.lane, ...row.path]);
const written = (ms: number | null) => (ms === null ? "" : String(ms));

/** Allowances being written: a reason goes with them, and they hold from the day they are set. */
function Writing({
  book,
  number,
  page,
  done,
}: {
  book: string;
  number: number;
  page: Page;
  done: () => void;
}) {
  const [texts, setTexts] = useState<Record<string, string>>(
    Object.fromEntries(page.rows.map((row) => [keyOf(row), written(row.allowed_ms)])),
  );
  const [reason, setReason] = useState("");
  const [every, setEvery] = useState(false);
  const [said, setSaid] = useState("");
  const allow = useAllow(book, number);
  const propose = () =>
    setTexts(
      Object.fromEntries(
        page.rows.map((row) => [
          keyOf(row),
          row.depth === 0 && row.proposed_ms > 0 ? written(row.proposed_ms) : (texts[keyOf(row)] ?? ""),
        ]),
      ),
    );
  const send = () => {
    const allowances = page.rows.flatMap((row) => {
      const text = (texts[keyOf(row)] ?? "").trim().replace(",", ".");
      const ms = text === "" ? null : Number(text);
      return ms === row.allowed_ms ? [] : [{ lane: row.lane, path: row.path, ms }];
    });
    if (allowances.some(({ ms }) => ms !== null && !(ms >= 0 && Number.isFinite(ms))))
      setSaid("An allowance is ms, 0 or more.");
    else if (allowances.length === 0) setSaid("Nothing is changed.");
    else if (!reason.trim()) setSaid("Why? An allowance is set for a reason.");
    else
      allow.mutate(
        { arm: page.arm as "before" | "after", allowances, every_rig: every, reason },
        { onSuccess: done, onError: (error) => setSaid(error.message) },
      );
  };
  return (
    <InlineForm
      noValidate
      aria-label="Allowances"
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <Box sx={{ flexBasis: "100%" }}>
        <Box
          sx={{
            display: "inline-grid",
            gridTemplateColumns: "auto auto auto",
            gap: "4px 18px",
            alignItems: "center",
            margin: "8px 0",
          }}
        >
          {page.rows.map((row) => (
            <Box key={keyOf(row)} sx={{ display: "contents" }}>
              <Box component="span" sx={{ paddingLeft: `${16 * row.depth}px` }}>
                {row.name}{" "}
                <Text as="span" small tone="faded">
                  {row.depth === 0 && row.lane}
                </Text>
              </Box>
              <TextInput
                aria-label={`Allowed for ${row.path.join(" / ")} of ${row.lane}`}
                inputMode="decimal"
                value={texts[keyOf(row)] ?? ""}
                sx={{ width: 90 }}
                onChange={(e) => setTexts({ ...texts, [keyOf(row)]: e.target.value })}
              />
              <Text as="span" small tone="faded">
                proposed {row.proposed_ms.toFixed(1)} ms
              </Text>
            </Box>
          ))}
        </Box>
      </Box>
      <TextButton small onClick={propose}>
        take what is proposed
      </TextButton>
      <TextInput
        aria-label="Why"
        placeholder="why"
        value={reason}
        sx={{ flex: 1, minWidth: 200 }}
        onChange={(e) => setReason(e.target.value)}
      />
      <Tick label="on every rig" checked={every} onChange={(e) => setEvery(e.target.checked)} />
      <Button type="submit" disabled={allow.isPending}>
        Set them
      </Button>
      <Button onClick={done}>Leave</Button>
      {said && (
        <Text tone="spent" role="alert">
          {said}
        </Text>
      )}
    </InlineForm>
  );
}

/** The budget split over parts: what each is allowed, how often and by how much it is over, and what is unassigned. */
export function BudgetSplit({ book, number }: { book: string; number: number }) {
  const { arm, choose } = useAsked();
  const query = useBudget(book, number, arm);
  const may = useMay();
  const [writing, setWriting] = useState(false);
  const page = query.data;
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the budget split" />;
  const lanes = [...new Set(page.rows.map((row) => row.lane))];
  return (
    <section>
      <Line>
        <Choice aria-label="Arm" value={arm} onChange={(e) => choose("arm", e.target.value)}>
          <option value="after">of the frames after</option>
          <option value="before">of the frames before</option>
        </Choice>
        <Text as="span" tone="faded" size={13}>
          budget {page.budget_ms.toFixed(2)} ms, on {page.rig}
          {page.together ? ", shared by all lanes" : ", each lane by itself"}
        </Text>
        {may.write && page.rows.length > 0 && !writing && (
          <Button onClick={() => setWriting(true)}>Set allowances</Button>
        )}
      </Line>
      {page.note && <Text tone="spent">{page.note}</Text>}
      {writing && <Writing book={book} number={number} page={page} done={() => setWriting(false)} />}
      {page.rows.length === 0 ? (
        <Text tone="faded" sx={{ marginTop: 8 }}>
          The runs report no parts in their lanes.
        </Text>
      ) : (
        <Wide aria-label="The budget split">
          <Table aria-label="Budget split" sx={{ marginTop: 8 }}>
            <TableHead>
              <TableRow>
                <Cell>Part</Cell>
                <Cell align="right">Takes, ms</Cell>
                <Cell align="right">
                  <Word of="allowed">Allowed</Word>
                </Cell>
                <Cell align="right">Frames over</Cell>
                <Cell>
                  Over <span aria-hidden>◇ ◆</span>
                </Cell>
                <Cell align="right">Mean overrun</Cell>
                <Cell align="right">Where over</Cell>
                <Cell align="right">At the 99th</Cell>
                <Cell>Over in</Cell>
              </TableRow>
            </TableHead>
            {lanes.map((lane) => {
              const left = page.unassigned.find((one) => one.lane === (page.together ? "" : lane));
              return (
                <TableBody key={lane}>
                  <TableRow sx={{ "& td": { borderTop: `1px solid ${colour.ink}`, fontWeight: 600 } }}>
                    <Cell colSpan={9}>{lane}</Cell>
                  </TableRow>
                  {page.rows
                    .filter((row) => row.lane === lane)
                    .map((row) => (
                      <TableRow key={keyOf(row)}>
                        <Cell>
                          <Box component="span" sx={{ paddingLeft: `${16 * (row.depth + 1)}px` }}>
                            <Link to={partAt(row)}>{row.name}</Link>
                          </Box>
                          {row.said && row.set_at && (
                            <Text
                              as="div"
                              small
                              tone="faded"
                              sx={{ paddingLeft: `${16 * (row.depth + 1)}px` }}
                            >
                              {day(row.set_at)}
                              {row.for_rig ? ` on ${row.for_rig}` : ""}, {row.said}
                            </Text>
                          )}
                        </Cell>
                        <Cell align="right">{row.mean_ms.toFixed(2)}</Cell>
                        <Cell align="right">{row.allowed_ms === null ? "" : row.allowed_ms.toFixed(1)}</Cell>
                        <Cell align="right" nowrap>
                          {row.words.over}
                          <Text as="div" small tone="faded">
                            {row.words.interval}
                          </Text>
                        </Cell>
                        <Cell small nowrap>
                          {row.words.change.call && (
                            <>
                              {row.words.change.before} to {row.words.change.after}
                              <Text as="div" small tone="faded">
                                {row.words.change.call}
                              </Text>
                            </>
                          )}
                        </Cell>
                        <Cell align="right">{row.words.overrun}</Cell>
                        <Cell align="right">{row.words.where}</Cell>
                        <Cell align="right" nowrap>
                          {row.words.headroom}
                        </Cell>
                        <Cell small>{row.words.late}</Cell>
                      </TableRow>
                    ))}
                  {left && (
                    <TableRow>
                      <Cell tone="faded">
                        <Box component="span" sx={{ paddingLeft: "16px" }}>
                          unassigned
                        </Box>
                      </Cell>
                      <Cell />
                      <Cell align="right" tone="faded">
                        {left.ms.toFixed(2)}
                      </Cell>
                      <Cell colSpan={6} />
                    </TableRow>
                  )}
                </TableBody>
              );
            })}
          </Table>
        </Wide>
      )}
    </section>
  );
}
