import { Link } from "react-router";
import { type FieldAsked, useBorrow } from "../../api/field";
import { Failure, Loading } from "../../app/states";
import { ShareScale, ShareStrip } from "../../charts/ShareStrip";
import { Word } from "../../figures/Word";
import { Cell, Sentence, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";
import { useFieldAsked } from "./filters";

/** The devices that hold most of what is beyond the goal, as a shopping list. */
export function BorrowLeaf({ book, asked }: { book: string; asked: FieldAsked }) {
  const query = useBorrow(book, asked);
  const { search } = useFieldAsked();
  const page = query.data;
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the list" />;
  return (
    <>
      <Sentence>{page.sentence}</Sentence>
      {page.rows.length > 0 && (
        <Wide aria-label="Devices to borrow">
          <Table aria-label="Devices to borrow">
            <TableHead>
              <TableRow>
                <Cell align="right" />
                <Cell>Model</Cell>
                <Cell align="right">Sessions</Cell>
                <Cell align="right">Of all play</Cell>
                <Cell align="right">
                  <Word of="shrunk">Late share</Word>
                </Cell>
                <Cell>95 % interval</Cell>
                <Cell wide sx={{ padding: 0 }}>
                  <ShareScale goal={page.goal} />
                </Cell>
                <Cell align="right">Adds</Cell>
                <Cell align="right">With those before it</Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {page.rows.map((row, i) => (
                <TableRow key={`${row.name} ${i}`}>
                  <Cell align="right" tone="faded">
                    {i + 1}
                  </Cell>
                  <Cell>
                    {row.id === null ? (
                      row.name
                    ) : (
                      <Link to={`/${book}/field/models/${row.id}${search}`}>{row.name}</Link>
                    )}
                    <Text as="span" small tone="faded">
                      {" "}
                      {row.class_name}
                    </Text>
                  </Cell>
                  <Cell align="right" nowrap>
                    {row.sessions.toLocaleString("en-GB")}
                    {row.few && " (few)"}
                  </Cell>
                  <Cell align="right" nowrap>
                    {row.play_said}
                  </Cell>
                  <Cell align="right" nowrap>
                    {row.share_said}
                  </Cell>
                  <Cell nowrap>{row.interval_said}</Cell>
                  <Cell wide sx={{ padding: 0 }}>
                    <ShareStrip
                      share={row.share}
                      low={row.low}
                      high={row.high}
                      goal={page.goal}
                      said={`${row.share_said} late (${row.interval_said})`}
                    />
                  </Cell>
                  <Cell align="right" nowrap>
                    {row.adds_said}
                  </Cell>
                  <Cell align="right" nowrap>
                    {row.cumulated_said}
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Wide>
      )}
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        Of {page.models.toLocaleString("en-GB")} models. What one adds is its part of all that is late beyond
        the goal.
      </Text>
    </>
  );
}
