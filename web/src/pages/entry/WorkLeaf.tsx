import { useWorkLeaf } from "../../api/evidence";
import { Failure, Loading } from "../../app/states";
import { Word } from "../../figures/Word";
import { Amounts, Cell, Columns, colour, Ends, Table, TableBody, TableHead, TableRow, Text } from "../../kit";
import { LeafSentence } from "./leaves";

type Leaf = NonNullable<ReturnType<typeof useWorkLeaf>["data"]>;

/** Each lane's time in a frame of both arms, what was saved left and what was spent right. */
function Lanes({ leaf, credited }: { leaf: Leaf; credited: boolean }) {
  return (
    <section>
      <h2>
        <Word of="lane">Lanes</Word>
        <Text as="span" tone="faded" aside>
          ms a frame, over all frames
        </Text>
      </h2>
      <Table aria-label="Lanes">
        <TableHead>
          <TableRow>
            <Cell>Lane</Cell>
            <Cell align="right" tone="before">
              ◇ Before
            </Cell>
            <Cell align="right" tone="after">
              ◆ After
            </Cell>
            <Cell align="right">Saved</Cell>
            <Cell align="right">Spent</Cell>
            <Cell align="right">95 % interval</Cell>
            <Cell>Shown</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {leaf.lanes.map((lane) => (
            <TableRow key={lane.name}>
              <Cell nowrap>
                {lane.name}{" "}
                <Text as="span" small tone="faded">
                  {lane.role}
                </Text>
              </Cell>
              <Cell align="right">{lane.words.before}</Cell>
              <Cell align="right">{lane.words.after}</Cell>
              <Amounts
                column={lane.words.column === "saved" ? "saved" : "spent"}
                size={lane.words.difference}
                credited={credited && lane.said !== "not shown"}
              />
              <Ends interval={lane.words.interval} />
              <Cell>{lane.said}</Cell>
            </TableRow>
          ))}
          <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}`, fontWeight: 600 } }}>
            <Cell>The frame</Cell>
            <Cell align="right">{leaf.frame.before_ms.toFixed(2)}</Cell>
            <Cell align="right">{leaf.frame.after_ms.toFixed(2)}</Cell>
            <Cell colSpan={4} />
          </TableRow>
        </TableBody>
      </Table>
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        Lanes may run beside each other: they need not add up to the frame.
      </Text>
    </section>
  );
}

const Share = ({ of }: { of: Leaf["limits"][number]["before"] }) => (
  <Cell align="right" nowrap>
    {of.words.share}
    <Text as="div" small tone="faded" nowrap>
      {of.words.interval}
    </Text>
  </Cell>
);

/** What each frame waited for, as shares of the frames of both arms. */
function Limits({ leaf }: { leaf: Leaf }) {
  if (leaf.limits.length === 0) return null;
  return (
    <section>
      <h2>
        <Word of="limit">What limits a frame</Word>
        <Text as="span" tone="faded" aside>
          share of frames
        </Text>
      </h2>
      <Table aria-label="What limits a frame">
        <TableHead>
          <TableRow>
            <Cell>Limit</Cell>
            <Cell align="right" tone="before">
              ◇ Before
            </Cell>
            <Cell align="right" tone="after">
              ◆ After
            </Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {leaf.limits.map((limit) => (
            <TableRow key={limit.name}>
              <Cell {...(!limit.lane && { tone: "faded" as const })}>{limit.name}</Cell>
              <Share of={limit.before} />
              <Share of={limit.after} />
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </section>
  );
}

/** Where the time goes: the lanes, which of them frames wait for, and what is left under the budget. */
export function WorkLeaf({ book, number, credited }: { book: string; number: number; credited: boolean }) {
  const query = useWorkLeaf(book, number);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  const leaf = query.data;
  if (!leaf) return <Loading what="the lanes" />;
  return (
    <section>
      {leaf.sentence && <LeafSentence>{leaf.sentence}</LeafSentence>}
      {leaf.overlap && <Text sx={{ marginTop: 4 }}>{leaf.overlap}</Text>}
      {leaf.notes.map((note) => (
        <Text key={note} tone="faded" size={13}>
          {note}
        </Text>
      ))}
      {leaf.lanes.length > 0 && (
        <Columns sx={{ marginTop: 12 }}>
          <Lanes leaf={leaf} credited={credited} />
          <div>
            <Limits leaf={leaf} />
            {leaf.headroom.length > 0 && (
              <section>
                <h2>
                  <Word of="headroom">Headroom</Word>
                </h2>
                {leaf.headroom.map((room) => (
                  <Text key={room.arm} sx={{ marginBottom: 6 }}>
                    <Text as="b" tone={room.arm === "before" ? "before" : "after"}>
                      {room.arm}
                    </Text>{" "}
                    {room.said}
                  </Text>
                ))}
              </section>
            )}
          </div>
        </Columns>
      )}
    </section>
  );
}
