import { Link } from "react-router";
import { useWorkLeaf } from "../../../api/evidence";
import { Failure, Loading } from "../../../app/states";
import { Word } from "../../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  Choice,
  Columns,
  colour,
  Ends,
  Line,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../../kit";
import { LeafSentence } from "../leaves";
import { AccountHead, BothArms, useAsked } from "./heads";
import { partAt } from "./PartPage";

type Leaf = NonNullable<ReturnType<typeof useWorkLeaf>["data"]>;

/** A lane's or a part's row of the account. */
const Account = ({
  of,
  credited,
}: {
  of: Leaf["lanes"][number] | Leaf["cores"][number] | Leaf["parts"][number] | Leaf["carried"][number];
  credited: boolean;
}) => (
  <>
    <Cell align="right">{of.words.before}</Cell>
    <Cell align="right">{of.words.after}</Cell>
    <Amounts
      column={of.words.column === "saved" ? "saved" : "spent"}
      size={of.words.difference}
      credited={credited && of.shown}
    />
    <Ends interval={of.words.interval} />
    <Cell>{of.said}</Cell>
  </>
);

/** Processor time added up over cores; it takes no part in what limits a frame. */
function Cores({ leaf, credited }: { leaf: Leaf; credited: boolean }) {
  if (leaf.cores.length === 0) return null;
  const cores = leaf.cores[0]?.cores;
  return (
    <Box component="section" sx={{ marginTop: 14 }}>
      <h2>
        <Word of="cores">Over all cores</Word>
        <Text as="span" tone="faded" aside>
          core-ms a frame{cores ? `, of ${cores} cores` : ""}
        </Text>
      </h2>
      <Wide aria-label="Processor time over all cores">
        <Table aria-label="Over all cores">
          <TableHead>
            <TableRow>
              <Cell>Processor time</Cell>
              <AccountHead />
              <Cell align="right">Cores busy</Cell>
              <Cell align="right">Longest chain</Cell>
              <Cell align="right">Least, ms</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {leaf.cores.map((row) => (
              <TableRow key={row.name}>
                <Cell>{row.name}</Cell>
                <Account of={row} credited={credited} />
                <Cell align="right">{row.words.busy}</Cell>
                <Cell align="right">{row.words.chain}</Cell>
                <Cell align="right">{row.words.least}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
    </Box>
  );
}

/** What the rows above are of, over a double rule. */
const Total = ({ name, of, rest }: { name: string; of: Leaf["frame"]; rest: number }) => (
  <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}`, fontWeight: 600 } }}>
    <Cell>{name}</Cell>
    <Cell align="right">{of.before_ms.toFixed(2)}</Cell>
    <Cell align="right">{of.after_ms.toFixed(2)}</Cell>
    <Cell colSpan={rest} />
  </TableRow>
);

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
            <AccountHead />
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
              <Account of={lane} credited={credited} />
            </TableRow>
          ))}
          <Total name="The frame" of={leaf.frame} rest={4} />
        </TableBody>
      </Table>
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        Lanes may run beside each other: they need not add up to the frame.
      </Text>
      {leaf.waits.map((wait) => (
        <Text key={`${wait.lane} ${wait.on}`} small sx={{ marginTop: 4 }}>
          <Word of="waits">
            {wait.lane} waits for {wait.on}
          </Word>
          : {wait.said}
        </Text>
      ))}
      {leaf.machine.map((one) => (
        <Text key={one.name} small tone="faded" sx={{ marginTop: 4 }}>
          The {one.name}, {one.unit}: {one.said}
        </Text>
      ))}
    </section>
  );
}

/** The cost sheet: each part under what it lies in, every level closed by its rest, the lane over a double rule. */
function Parts({ leaf, credited }: { leaf: Leaf; credited: boolean }) {
  const { search, choose } = useAsked();
  if (leaf.parts.length === 0) return null;
  const kind = leaf.kinds.find((one) => one.name === search.get("kind"));
  const shown = kind ? leaf.parts.filter((part) => part.about === kind.name) : leaf.parts;
  const lanes = [...new Set(shown.map((part) => part.lane))];
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        <Word of="part">Parts</Word>
        <Text as="span" tone="faded" aside>
          ms a frame, over all frames
        </Text>
      </h2>
      {leaf.kinds.length > 0 && (
        <Line>
          <Choice
            aria-label="Kind of part"
            value={kind?.name ?? ""}
            onChange={(e) => choose("kind", e.target.value)}
          >
            <option value="">parts of every kind</option>
            {leaf.kinds.map((one) => (
              <option key={one.name}>{one.name}</option>
            ))}
          </Choice>
          {kind && (
            <Text as="span" tone="faded" size={13}>
              {kind.said}
            </Text>
          )}
        </Line>
      )}
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
              <AccountHead />
              <Cell align="right">Calls a frame</Cell>
              <Cell align="right">µs a call</Cell>
              <Cell align="right">Of its lane</Cell>
            </TableRow>
          </TableHead>
          {lanes.map((lane) => {
            const own = shown.filter((part) => part.lane === lane);
            const whole = lane ? leaf.lanes.find((one) => one.name === lane) : undefined;
            const total = lane ? whole : leaf.frame;
            return (
              <TableBody key={lane}>
                {own.map((part) => (
                  <TableRow key={`${part.path.join("/")} ${part.kind}`}>
                    <Cell nowrap {...(part.kind === "rest" && { tone: "faded" as const })}>
                      <Box component="span" sx={{ paddingLeft: `${16 * part.depth}px` }}>
                        {part.kind === "rest" ? part.name : <Link to={partAt(part)}>{part.name}</Link>}
                      </Box>
                      {kind && (
                        <Text as="span" small tone="faded">
                          {" "}
                          {part.lane}
                        </Text>
                      )}
                    </Cell>
                    <Account of={part} credited={credited} />
                    <Cell align="right">
                      {part.words.calls}
                      {part.words.split && (
                        <Text as="div" small tone="faded">
                          {part.words.split}
                        </Text>
                      )}
                    </Cell>
                    <Cell align="right">
                      {part.words.us_a_call}
                      {part.words.each && (
                        <Text as="div" small tone="faded">
                          {part.words.each}
                        </Text>
                      )}
                    </Cell>
                    <Cell align="right">{part.words.share}</Cell>
                  </TableRow>
                ))}
                {total && !kind && <Total name={lane || "The frame"} of={total} rest={7} />}
              </TableBody>
            );
          })}
        </Table>
      </Wide>
      {leaf.shares.map((said) => (
        <Text key={said} tone="faded" size={13} sx={{ marginTop: 4 }}>
          {said}
        </Text>
      ))}
    </Box>
  );
}

/** What each part carries of the frame, which adds up to it and to what it saved. */
function Carried({ leaf, credited }: { leaf: Leaf; credited: boolean }) {
  if (leaf.carried.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        <Word of="carried">What the frame is made of</Word>
        <Text as="span" tone="faded" aside>
          ms of the mean frame, in the frames that each lane limits
        </Text>
      </h2>
      <p>{leaf.carried_sentence}</p>
      <Wide aria-label="What the frame is made of">
        <Table aria-label="What the frame is made of" sx={{ "& td": { whiteSpace: "nowrap" } }}>
          <TableHead>
            <TableRow>
              <Cell>Carried by</Cell>
              <AccountHead />
            </TableRow>
          </TableHead>
          <TableBody>
            {leaf.carried.map((row) => (
              <TableRow key={`${row.kind} ${row.lane} ${row.name} ${row.depth}`}>
                <Cell nowrap {...(row.kind !== "part" && row.kind !== "lane" && { tone: "faded" as const })}>
                  <Box component="span" sx={{ paddingLeft: `${16 * row.depth}px` }}>
                    {row.name}
                  </Box>{" "}
                  {row.depth === 0 && row.kind !== "lane" && (
                    <Text as="span" small tone="faded">
                      {row.lane}
                    </Text>
                  )}
                </Cell>
                <Account of={row} credited={credited} />
              </TableRow>
            ))}
            <Total name="The frame" of={leaf.frame} rest={4} />
          </TableBody>
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
            <BothArms />
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

/** The lanes, which of them frames wait for, what is left under the budget, and the parts. */
export function WorkFrames({ book, number, credited }: { book: string; number: number; credited: boolean }) {
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
      <Cores leaf={leaf} credited={credited} />
      <Parts leaf={leaf} credited={credited} />
      <Carried leaf={leaf} credited={credited} />
    </section>
  );
}
