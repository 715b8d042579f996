import { Link, useNavigate, useParams } from "react-router";
import { type Entry, Problem } from "../../api/client";
import { useEntry } from "../../api/queries";
import { bundleAddress } from "../../api/statements";
import { day } from "../../app/days";
import { useHead, useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { LeafRow } from "../../app/LeafRow";
import { Empty, Failure, Loading } from "../../app/states";
import { FigureLadder } from "../../figures/FigureLadder";
import { Findings } from "../../figures/Findings";
import { GoalLines } from "../../figures/GoalLines";
import { Outlook } from "../../figures/Outlook";
import { Box, Columns, colour, Framed, Sentence, Stamp, Text, TitleRow } from "../../kit";
import { Claim } from "./Claim";
import { CourseLeaf } from "./CourseLeaf";
import { DecisionBox } from "./DecisionBox";
import { Filing } from "./Filing";
import { GuardsAndWork } from "./GuardsAndWork";
import { isLeaf, LEAVES } from "./leaves";
import { Naive } from "./Naive";
import { RunsLeaf } from "./RunsLeaf";
import { Sheets } from "./Sheets";
import { SpreadLeaf } from "./SpreadLeaf";
import { StillsLeaf } from "./StillsLeaf";
import { StuttersLeaf } from "./StuttersLeaf";
import { Verbs } from "./Verbs";
import { WatchLeaf } from "./WatchLeaf";
import { WorkLeaf } from "./work/WorkLeaf";

function Method({ lines }: { lines: readonly string[] }) {
  if (lines.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 16 }}>
      <h2>What was done</h2>
      <Text tone="faded" sx={{ fontSize: 13 }}>
        with the numbers, so that it can be done again by hand
      </Text>
      {lines.map((text) => (
        <Box component="p" key={text} sx={{ marginTop: 6, maxWidth: 900 }}>
          {text}
        </Box>
      ))}
    </Box>
  );
}

/** What the leaves found, each with the way to it. */
function Remarks({ at, entry }: { at: string; entry: Entry }) {
  if (entry.remarks.length === 0) return null;
  return (
    <Box component="ul" aria-label="Remarks" sx={{ margin: "-6px 0 10px", paddingLeft: 18, fontSize: 13.5 }}>
      {entry.remarks.map((remark) => (
        <li key={remark.said}>
          {remark.said} <Link to={`${at}/${remark.leaf}`}>{remark.leaf}</Link>
        </li>
      ))}
    </Box>
  );
}

/** Verdicts that an earlier method gave of the same runs, where they were others. */
function Earlier({ entry }: { entry: Entry }) {
  return entry.earlier
    .filter((e) => e.changed)
    .map((e) => (
      <Text key={e.core_version} tone="faded" sx={{ margin: "-4px 0 14px" }}>
        By an earlier method (core {e.core_version}), until {day(e.replaced_at)}: <b>{e.stamp}</b>. The same
        runs were computed anew.
      </Text>
    ));
}

function Withdrawn({ entry }: { entry: Entry }) {
  if (!entry.withdrawal) return null;
  return (
    <Framed role="note" sx={{ margin: "10px 0" }}>
      <b>Withdrawn</b> by {entry.withdrawal.by}, {day(entry.withdrawal.at)}: {entry.withdrawal.why}{" "}
      <Text as="span" tone="faded">
        It credits nothing and moves no standing.
      </Text>
    </Framed>
  );
}

/** Runs that were set aside after they were compared: the verdict is of all of them, and says so. */
function Aside({ book, entry }: { book: string; entry: Entry }) {
  if (entry.aside.length === 0) return null;
  const gone = new Set(entry.aside.map((row) => row.run));
  const left = (arm: string) => entry.dots.filter((d) => d.counted && d.arm === arm && !gone.has(d.run));
  const arms = ["before", "after"].map((arm) =>
    left(arm)
      .map((d) => d.run)
      .join("~"),
  );
  const reasons = [...new Set(entry.aside.map((row) => row.why.replace(/\.$/, "")))];
  return (
    <Framed role="note" sx={{ margin: "0 0 14px" }}>
      <b>
        {entry.aside.length} of its {entry.dots.filter((d) => d.counted).length} runs{" "}
        {entry.aside.length === 1 ? "was" : "were"} set aside since:
      </b>{" "}
      {reasons.join("; ")}.{" "}
      <Text as="span" tone="faded">
        The verdict is of all its runs, as it was decided.{" "}
        {arms.every((arm) => arm !== "") && (
          <Link to={`/${book}/arms?${new URLSearchParams(arms.map((arm) => ["arm", arm]))}`}>
            Without them, side by side
          </Link>
        )}
      </Text>
    </Framed>
  );
}

function Unrecorded({ book, entry }: { book: string; entry: Entry }) {
  if (entry.recording)
    return (
      <Empty title="A recording is planned or under way">
        <Link to={`/${book}/bench/${entry.recording}`}>Watch it on the bench</Link>
      </Empty>
    );
  return (
    <Empty title="Nothing is recorded yet">
      <Link to={`/${book}/bench/plan?entry=${entry.number}`}>Plan its recording on the bench</Link>
      <p>Or put this into a recording plan, and what is recorded comes into this entry:</p>
      <code>
        [entry]
        <br />
        number = {entry.number}
      </code>
      <code>VIGILANT_SERVER={window.location.origin} vigilant record plan.toml</code>
    </Empty>
  );
}

type Result = NonNullable<Entry["result"]>;

/** The first leaf: what was found, and what is decided. */
function VerdictLeaf({ book, entry, result }: { book: string; entry: Entry; result: Result }) {
  return (
    <>
      <Columns>
        <FigureLadder
          figures={Object.values(result.figures)}
          primaries={result.primaries}
          judged={result.verdict !== "void"}
          credited={entry.credited}
        />
        <Box component="aside" sx={{ display: "grid", gap: 16, alignContent: "start" }}>
          <Findings findings={result.findings} />
          {!entry.blank && !entry.withdrawal && <DecisionBox key={entry.number} book={book} entry={entry} />}
          <Filing key={`filing ${entry.number}`} book={book} entry={entry} />
        </Box>
      </Columns>
      <GoalLines goals={entry.goals} />
      <GuardsAndWork result={result} />
      <Claim key={`claim ${entry.number}`} book={book} entry={entry.number} />
    </>
  );
}

export function EntryPage() {
  const { book = "", number = "", leaf = "" } = useParams();
  const navigate = useNavigate();
  const query = useEntry(book, Number(number));
  const entry = query.data;
  const go = (to: number | null | undefined) =>
    to && navigate(`/${book}/entries/${to}${leaf ? `/${leaf}` : ""}`);
  useKeys({ J: () => go(entry?.next), K: () => go(entry?.previous) });
  useHead(entry ?? null);
  useTitle(entry && `${entry.number}. ${entry.title}`);
  if (!isLeaf(leaf)) return <Failure error={new Problem(404, "not-found", "")} />;
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!entry) return <Loading what="the entry" />;
  const figures = entry.result ? Object.values(entry.result.figures) : [];
  const at = `/${book}/entries/${entry.number}`;
  return (
    <article>
      <TitleRow>
        <div>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {entry.caption}
            {entry.after_the_fact && ", compared after the fact"}
          </Text>
          <h1>{entry.title}</h1>
          {entry.why && !entry.result && (
            <p>
              <Text as="span" tone="faded">
                Why:
              </Text>{" "}
              {entry.why}
            </p>
          )}
          {entry.expected && (
            <p>
              <Text as="span" tone="faded">
                Expected:
              </Text>{" "}
              {entry.expected} {entry.decisions[0]?.expectation && <b>{entry.decisions[0].expectation}</b>}
            </p>
          )}
        </div>
        <Box sx={{ display: "grid", gap: 8, justifyItems: "end" }}>
          {entry.result && (
            <Stamp large verdict={entry.result.verdict} word={entry.result.stamp} struck={entry.withdrawn} />
          )}
          <Verbs key={entry.number} book={book} entry={entry} />
        </Box>
      </TitleRow>
      <Withdrawn entry={entry} />
      {entry.result ? (
        <>
          <Sentence>{entry.result.sentence}</Sentence>
          <Earlier entry={entry} />
          <Aside book={book} entry={entry} />
          <Remarks at={at} entry={entry} />
          <LeafRow leaves={LEAVES} at={at} open={leaf} label="Leaves of the entry" />
          {leaf === "" && <VerdictLeaf book={book} entry={entry} result={entry.result} />}
          {leaf === "spread" && (
            <SpreadLeaf
              book={book}
              number={entry.number}
              credited={entry.credited}
              unstable={(entry.result.unstable ?? []).map(
                (name) => figures.find((f) => f.name === name)?.words.label ?? name,
              )}
            />
          )}
          {leaf === "course" && <CourseLeaf book={book} number={entry.number} credited={entry.credited} />}
          {leaf === "stutters" && (
            <StuttersLeaf book={book} number={entry.number} credited={entry.credited} />
          )}
          {leaf === "work" && <WorkLeaf book={book} number={entry.number} credited={entry.credited} />}
          {leaf === "stills" && <StillsLeaf book={book} number={entry.number} />}
          {leaf === "watch" && <WatchLeaf book={book} number={entry.number} />}
          {leaf === "runs" && (
            <>
              <RunsLeaf book={book} entry={entry} figures={figures} />
              {entry.result.verdict !== "void" && (
                <Outlook title="What more runs would see" rows={entry.result.outlook ?? []} />
              )}
            </>
          )}
          {leaf === "method" && (
            <>
              <Sheets entry={entry} />
              <Method lines={entry.result.method ?? []} />
              <Naive book={book} number={entry.number} sentence={entry.result.sentence} />
            </>
          )}
        </>
      ) : entry.verdict ? (
        <Empty title="The stored result cannot be read">
          It was kept by another version and waits to be computed anew from its runs, which are all there.
        </Empty>
      ) : (
        <>
          <Unrecorded book={book} entry={entry} />
          <Filing key={`filing ${entry.number}`} book={book} entry={entry} />
        </>
      )}
      <Text
        sx={{
          borderTop: `1px solid ${colour.ink}`,
          "& > [data-first]": { marginRight: "auto" },
          marginTop: 10,
          paddingTop: 8,
          display: "flex",
          justifyContent: "flex-end",
          gap: 16,
        }}
        as="footer"
        tone="faded"
      >
        {entry.result && (
          <Link to={`/${book}/arms?arm=${entry.number}.before&arm=${entry.number}.after`} data-first>
            with other arms
          </Link>
        )}
        <Link to={`/${book}/statement?entries=${entry.number}`}>statement</Link>
        {entry.result && (
          <a href={bundleAddress(book, entry.number)} download>
            evidence bundle
          </a>
        )}
        {entry.previous && <Link to={`/${book}/entries/${entry.previous}`}>previous Shift+K</Link>}
        {entry.next && <Link to={`/${book}/entries/${entry.next}`}>next Shift+J</Link>}
      </Text>
    </article>
  );
}
