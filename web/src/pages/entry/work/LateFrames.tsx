import { useState } from "react";
import { Link } from "react-router";
import { type SetOf, useGoesWith, useLateFrames, useStuttersLeaf } from "../../../api/evidence";
import { JobProgress } from "../../../app/JobProgress";
import { Failure, Loading } from "../../../app/states";
import { Word } from "../../../figures/Word";
import {
  Amounts,
  Box,
  Cell,
  Choice,
  Ends,
  Line,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Wide,
} from "../../../kit";
import { LeafSentence } from "../leaves";
import { ExcessBar } from "./ExcessBar";
import { AccountHead, useAsked } from "./heads";
import { partAt } from "./PartPage";

type Found = NonNullable<ReturnType<typeof useLateFrames>["data"]>;
type Arm = Found["arms"][number];

const rank = (row: Arm["rows"][number]) => row.kind !== "slack" && row.depth === 0;

/** What the frames of one arm have more of, as a bar and as its account. */
function Account({ arm, of, runsAt }: { arm: Arm; of: SetOf; runsAt: string }) {
  const name = (row: Arm["rows"][number]) =>
    row.kind === "rest" ? `rest of ${row.lane || "the frame"}` : row.name;
  return (
    <Box component="section" sx={{ marginTop: 14 }} aria-label={`Excess ${arm.arm}`}>
      <h2>
        <Text as="span" tone={arm.arm === "before" ? "before" : "after"}>
          {arm.arm === "before" ? "◇ Before" : "◆ After"}
        </Text>
      </h2>
      <LeafSentence>{arm.sentence}</LeafSentence>
      {arm.notes.map((note) => (
        <Text key={note} tone="faded" size={13}>
          {note}
        </Text>
      ))}
      {arm.rows.length > 0 && (
        <>
          <Box sx={{ margin: "10px 0 4px" }}>
            <ExcessBar
              label={`Excess ${arm.arm}`}
              pieces={arm.rows.filter(rank).map((row) => ({
                name: name(row),
                share: row.net,
                rest: row.kind === "rest" || row.kind === "rest of the frame" || row.kind === "waiting",
              }))}
            />
          </Box>
          <Wide aria-label={`The excess account ${arm.arm}`}>
            <Table aria-label={`Excess account ${arm.arm}`} sx={{ maxWidth: 900 }}>
              <TableHead>
                <TableRow>
                  <Cell>What they have more of</Cell>
                  <Cell align="right">ms each</Cell>
                  <Cell align="right">Share</Cell>
                  <Cell align="right">95 % interval</Cell>
                  <Cell align="right">
                    <Word of="slack">Less slack</Word>
                  </Cell>
                  <Cell align="right">Largest in</Cell>
                </TableRow>
              </TableHead>
              <TableBody>
                {arm.rows.map((row) => (
                  <TableRow key={`${row.kind} ${row.lane} ${row.path.join("/")}`}>
                    <Cell {...(row.kind !== "part" && row.kind !== "lane" && { tone: "faded" as const })}>
                      <Box component="span" sx={{ paddingLeft: `${16 * row.depth}px` }}>
                        {row.kind === "part" ? <Link to={partAt(row)}>{row.name}</Link> : row.name}
                      </Box>{" "}
                      {row.kind === "part" && row.depth === 0 && (
                        <Text as="span" small tone="faded">
                          {row.lane}
                        </Text>
                      )}
                    </Cell>
                    <Cell align="right">{row.words.ms}</Cell>
                    <Cell align="right" strong={row.depth === 0}>
                      {row.words.share}
                    </Cell>
                    <Ends interval={row.words.interval} />
                    <Cell align="right">{row.words.net}</Cell>
                    <Cell align="right">{row.words.main}</Cell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          </Wide>
        </>
      )}
      {arm.longest.length > 0 && (
        <Text small tone="faded" sx={{ marginTop: 6 }}>
          {of === "late" ? "The furthest over the frames around them: " : "The largest: "}
          {arm.longest.slice(0, 6).map((frame, i) => (
            <span key={`${frame.run} ${frame.frame}`}>
              {i > 0 && ", "}
              <Link to={`${runsAt}/${frame.run}/frames/${frame.frame}`}>
                {frame.excess_ms.toFixed(1)} ms, frame {frame.frame.toLocaleString("en-GB")} of run{" "}
                {frame.number}
              </Link>
            </span>
          ))}
          .
        </Text>
      )}
    </Box>
  );
}

/** The rows of both arms: which pieces of their excess there are less of, or more. */
function Changes({ found, credited }: { found: Found; credited: boolean }) {
  if (found.changes.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 18 }}>
      <h2>
        Both arms
        <Text as="span" tone="faded" aside>
          ms of excess a frame, over all frames, of those over the stutter allowance that both share
        </Text>
      </h2>
      <Wide aria-label="Excess of both arms">
        <Table aria-label="Excess of both arms" sx={{ maxWidth: 900 }}>
          <TableHead>
            <TableRow>
              <Cell>Row</Cell>
              <AccountHead />
            </TableRow>
          </TableHead>
          <TableBody>
            {found.changes.map((row) => (
              <TableRow key={`${row.kind} ${row.lane} ${row.name} ${row.depth}`}>
                <Cell>
                  <Box component="span" sx={{ paddingLeft: `${16 * row.depth}px` }}>
                    {row.name}
                  </Box>{" "}
                  <Text as="span" small tone="faded">
                    {row.kind === "part" && row.depth === 0 ? row.lane : ""}
                  </Text>
                </Cell>
                <Cell align="right">{row.words.before}</Cell>
                <Cell align="right">{row.words.after}</Cell>
                <Amounts
                  column={row.words.column === "saved" ? "saved" : "spent"}
                  size={row.words.difference}
                  credited={credited && row.shown}
                />
                <Ends interval={row.words.interval} />
                <Cell>{row.said}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
    </Box>
  );
}

/** What the frames go with, which a job looks for. */
function GoesWith({
  book,
  number,
  of,
  enabled,
}: {
  book: string;
  number: number;
  of: SetOf;
  enabled: boolean;
}) {
  const { query, job } = useGoesWith(book, number, of, enabled);
  const [all, setAll] = useState(false);
  const found = query.data?.found;
  if (query.error) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!found)
    return job ? (
      <JobProgress
        job={job}
        what="What they go with"
        ended="nothing was found"
        again={() => query.refetch()}
      />
    ) : (
      <Loading what="what they go with" />
    );
  const rowsOf = (arm: (typeof found.arms)[number]) =>
    arm.rows.filter((row) => all || row.call !== "not shown");
  const tested = found.arms.reduce((sum, arm) => sum + arm.rows.length, 0);
  return (
    <Box component="section" sx={{ marginTop: 20 }}>
      <h2>
        <Word of="goes">What they go with</Word>
      </h2>
      {found.arms.map((arm) => (
        <Box key={arm.arm} sx={{ marginTop: 8 }}>
          <p>{arm.sentence}</p>
          {rowsOf(arm).length > 0 && (
            <Wide aria-label={`Counters and events ${arm.arm}`}>
              <Table aria-label={`What they go with ${arm.arm}`}>
                <TableHead>
                  <TableRow>
                    <Cell>Counter or part</Cell>
                    <Cell>When</Cell>
                    <Cell align="right">Of these hold it</Cell>
                    <Cell align="right">Of others</Cell>
                    <Cell align="right">Beyond chance</Cell>
                    <Cell align="right">Adds</Cell>
                    <Cell align="right">Runs</Cell>
                    <Cell>Call</Cell>
                  </TableRow>
                </TableHead>
                <TableBody>
                  {rowsOf(arm).map((row) => (
                    <TableRow key={`${row.kind} ${row.name} ${row.lag}`}>
                      <Cell>
                        {row.name}{" "}
                        <Text as="span" small tone="faded">
                          {row.kind}
                        </Text>
                      </Cell>
                      <Cell nowrap>{row.words.when}</Cell>
                      <Cell align="right">{row.words.held}</Cell>
                      <Cell align="right">{row.words.others}</Cell>
                      <Cell align="right" nowrap>
                        {row.words.beyond}
                      </Cell>
                      <Cell align="right">{row.words.adds}</Cell>
                      <Cell align="right" nowrap>
                        {row.words.runs}
                      </Cell>
                      <Cell small {...(row.call !== "goes with late frames" && { tone: "faded" as const })}>
                        {row.words.call}
                      </Cell>
                    </TableRow>
                  ))}
                </TableBody>
              </Table>
            </Wide>
          )}
        </Box>
      ))}
      <Text tone="faded" size={13} sx={{ marginTop: 8 }}>
        Association. A test is a run without it: <Link to={`/${book}/bench/plan`}>plan one</Link>. Each
        counter and each part that comes now and then was tried in the same frame, the frame before and the
        frame after.{" "}
        {tested > 0 && (
          <TextButton small onClick={() => setAll(!all)}>
            {all ? "only those that are shown" : `all ${tested} that were tried`}
          </TextButton>
        )}
      </Text>
    </Box>
  );
}

/** Stutters that come back at one place of the course, as the leaf of stutters has them. */
function Recurring({ book, number }: { book: string; number: number }) {
  const found = useStuttersLeaf(book, number).data;
  if (!found || found.places.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 12 }}>
      <h2>
        They come back at one place
        <Text as="span" tone="faded" aside>
          from <Link to={`/${book}/entries/${number}/stutters`}>Stutters</Link>
        </Text>
      </h2>
      {found.places.map((place) => (
        <Text key={place.at}>{place.said}</Text>
      ))}
    </Box>
  );
}

/** Late frames, or stutters, as a set. */
export function LateFrames({ book, number, credited }: { book: string; number: number; credited: boolean }) {
  const { search, choose } = useAsked();
  const of: SetOf = search.get("of") === "stutters" ? "stutters" : "late";
  const query = useLateFrames(book, number, of);
  return (
    <section>
      <Line>
        <Choice aria-label="Of which frames" value={of} onChange={(e) => choose("of", e.target.value)}>
          <option value="late">of late frames</option>
          <option value="stutters">of stutters</option>
        </Choice>
        <Text as="span" tone="faded" size={13}>
          <Word of="excess">what they have more of</Word> than the frames around them
        </Text>
      </Line>
      {query.error && !query.data ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : query.data ? (
        <>
          {query.data.arms.map((arm) => (
            <Account key={arm.arm} arm={arm} of={of} runsAt={`/${book}/runs`} />
          ))}
          <Changes found={query.data} credited={credited} />
          {of === "stutters" && <Recurring book={book} number={number} />}
        </>
      ) : (
        <Loading what="the excess account" />
      )}
      <GoesWith book={book} number={number} of={of} enabled={query.isSuccess} />
    </section>
  );
}
