import { useWorkLeaf } from "../../api/evidence";
import { Failure, Loading } from "../../app/states";
import { Word } from "../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  Columns,
  colour,
  Ends,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../kit";
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
            <Cell align="right" tone="before" nowrap>
              ◇ Before
            </Cell>
            <Cell align="right" tone="after" nowrap>
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

/** The cost sheet: each part under what it lies in, every level closed by its rest, the lane over a double rule. */
function Parts({ leaf, credited }: { leaf: Leaf; credited: boolean }) {
  if (leaf.parts.length === 0) return null;
  const lanes = [...new Set(leaf.parts.map((part) => part.lane))];
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        <Word of="part">Parts</Word>
        <Text as="span" tone="faded" aside>
          ms a frame, over all frames
        </Text>
      </h2>
      {leaf.part_notes.map((note) => (
        <Text key={note} tone="faded" size={13}>
          {note}
        </Text>
      ))}
      <Wide aria-label="The cost sheet">
        <Table aria-label="Parts" sx={{ "& td": { whiteSpace: "nowrap" } }}>
          <TableHead>
            <TableRow>
              <Cell>Part</Cell>
              <Cell align="right" tone="before" nowrap>
                ◇ Before
              </Cell>
              <Cell align="right" tone="after" nowrap>
                ◆ After
              </Cell>
              <Cell align="right">Saved</Cell>
              <Cell align="right">Spent</Cell>
              <Cell align="right">95 % interval</Cell>
              <Cell>Shown</Cell>
              <Cell align="right">Calls a frame</Cell>
              <Cell align="right">µs a call</Cell>
              <Cell align="right">Of its lane</Cell>
            </TableRow>
          </TableHead>
          {lanes.map((lane) => {
            const own = leaf.parts.filter((part) => part.lane === lane);
            const whole = lane ? leaf.lanes.find((one) => one.name === lane) : undefined;
            const total = lane ? whole : leaf.frame;
            return (
              <TableBody key={lane}>
                {own.map((part) => (
                  <TableRow key={`${part.path.join("/")} ${part.kind}`}>
                    <Cell nowrap {...(part.kind === "rest" && { tone: "faded" as const })}>
                      <Box component="span" sx={{ paddingLeft: `${16 * part.depth}px` }}>
                        {part.name}
                      </Box>
                    </Cell>
                    <Cell align="right">{part.words.before}</Cell>
                    <Cell align="right">{part.words.after}</Cell>
                    <Amounts
                      column={part.words.column === "saved" ? "saved" : "spent"}
                      size={part.words.difference}
                      credited={credited && (part.said === "less" || part.said === "more")}
                    />
                    <Ends interval={part.words.interval} />
                    <Cell>{part.said}</Cell>
                    <Cell align="right">{part.words.calls}</Cell>
                    <Cell align="right">{part.words.us_a_call}</Cell>
                    <Cell align="right">{part.words.share}</Cell>
                  </TableRow>
                ))}
                {total && (
                  <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}`, fontWeight: 600 } }}>
                    <Cell>{lane || "The frame"}</Cell>
                    <Cell align="right">{total.before_ms.toFixed(2)}</Cell>
                    <Cell align="right">{total.after_ms.toFixed(2)}</Cell>
                    <Cell colSpan={7} />
                  </TableRow>
                )}
              </TableBody>
            );
          })}
        </Table>
      </Wide>
    </Box>
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
            <Cell align="right" tone="before" nowrap>
              ◇ Before
            </Cell>
            <Cell align="right" tone="after" nowrap>
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
      <Parts leaf={leaf} credited={credited} />
    </section>
  );
}
