import { useNaiveReadings } from "../../api/evidence";
import { Failure, Loading } from "../../app/states";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";

interface Props {
  book: string;
  number: number;
  /** What the comparison says. */
  sentence: string;
}

/** What common wrong readings would have made of the same runs, beside the true answer. */
export function Naive({ book, number, sentence }: Props) {
  const query = useNaiveReadings(book, number);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!query.data) return <Loading what="other readings" />;
  return (
    <Box component="section" sx={{ marginTop: 22 }}>
      <h2>What a naive reading would have said</h2>
      <Text sx={{ marginTop: 4, maxWidth: 900 }}>
        <b>The comparison:</b> {sentence}
      </Text>
      <Wide aria-label="Naive readings">
        <Table aria-label="What naive readings would have said">
          <TableHead>
            <TableRow>
              <Cell>Read as</Cell>
              <Cell align="right">Before</Cell>
              <Cell align="right">After</Cell>
              <Cell>It would have claimed</Cell>
              <Cell wide>What is wrong with it</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {query.data.readings.map((reading) => (
              <TableRow key={reading.name}>
                <Cell>{reading.label}</Cell>
                <Cell align="right" nowrap>
                  {reading.before}
                </Cell>
                <Cell align="right" nowrap>
                  {reading.after}
                </Cell>
                <Cell>{reading.claimed}</Cell>
                <Cell wide tone="faded">
                  {reading.why}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        {query.data.rates}
      </Text>
    </Box>
  );
}
