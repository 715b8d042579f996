import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { type LapSheet, useDropLaps, useLapSheet } from "../../api/laps";
import { day } from "../../app/days";
import { useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import { ChartTools } from "../../charts/copy";
import { commonReach, IntervalStrip, type Strip } from "../../charts/IntervalStrip";
import { Word } from "../../figures/Word";
import {
  Asks,
  Box,
  Cell,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TitleRow,
  Wide,
} from "../../kit";
import { JoinForm } from "./JoinForm";

type Size = LapSheet["sizes"][number];

/** A change of a fiftieth is the band that all sizes are held against. */
const MARGIN = 0.02;

const stripOf = (size: Size): Strip => ({
  difference: size.share ?? 0,
  ci_low: size.low,
  ci_high: size.high,
  margin_low: -MARGIN,
  margin_high: MARGIN,
});

function Sizes({ page }: { page: LapSheet }) {
  const [before = "before", after = "after"] = page.versions;
  const told = page.sizes.filter((s) => s.low !== null);
  const reach = commonReach(
    told.map((s) => ({ strip: stripOf(s), higherIsBetter: false })),
    60,
  );
  return (
    <Wide aria-label="A call at each size">
      <Table aria-label="A call at each size">
        <TableHead>
          <TableRow>
            <Cell align="right">Items</Cell>
            <Cell align="right" tone="before">
              ◇ {before}
            </Cell>
            <Cell align="right" tone="after">
              ◆ {after}
            </Cell>
            <Cell wide>← less, more →</Cell>
            <Cell align="right">Change, 95 % interval</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {page.sizes.map((size) => (
            <TableRow key={size.items}>
              <Cell align="right">{size.items}</Cell>
              <Cell align="right">{size.before}</Cell>
              <Cell align="right">{size.after}</Cell>
              <Cell wide>
                {size.low !== null && (
                  <IntervalStrip
                    strip={stripOf(size)}
                    reach={reach}
                    width={220}
                    said={`A call on ${size.items} items`}
                  />
                )}
              </Cell>
              <Cell align="right" {...(size.shown ? {} : { tone: "faded" as const })}>
                {size.shown || !size.change ? size.change : `not shown: ${size.change}`}
              </Cell>
            </TableRow>
          ))}
          {page.lines.map((line) => (
            <TableRow key={line.name}>
              <Cell align="right">{line.name}</Cell>
              <Cell align="right">{line.before}</Cell>
              <Cell align="right">{line.after}</Cell>
              <Cell wide />
              <Cell align="right">{line.change}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Wide>
  );
}

const tableOf = (page: LapSheet) => ({
  head: ["items", ...page.versions, "change", "low", "high", "shown"],
  rows: page.sizes.map((s) => [s.items, s.before, s.after, s.share, s.low, s.high, s.shown ? "yes" : "no"]),
});

/** The entry whose frames it is part of: what was measured there stands in front. */
function InFrame({ book, frame }: { book: string; frame: NonNullable<LapSheet["frame"]> }) {
  return (
    <>
      <p>
        <Link to={`/${book}/entries/${frame.entry}`}>
          {frame.entry}. {frame.title}
        </Link>
        . {frame.measured}
      </p>
      <p>{frame.sentence}</p>
      <Text small tone="faded">
        {frame.apart}
      </Text>
    </>
  );
}

/** A routine timed by itself in two versions. */
export default function LapSheetPage() {
  const { book = "", key = "" } = useParams();
  const navigate = useNavigate();
  const query = useLapSheet(book, Number(key));
  const drop = useDropLaps(book, Number(key));
  const may = useMay();
  const [joining, setJoining] = useState(false);
  const page = query.data;
  useTitle(page && `Laps: ${page.sheet.name}`);
  useKeys({ j: () => may.write && setJoining(true) });
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the laps" />;
  return (
    <article>
      <TitleRow>
        <div>
          <PageTitle>{page.sheet.name}</PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            <Word of="laps">Laps</Word> of {page.processes.join(" and ")} processes, kept{" "}
            {day(page.sheet.made_at)}
            {page.sheet.by && ` by ${page.sheet.by}`}. <Link to={`/${book}/laps`}>All laps</Link>
          </Text>
        </div>
        {may.write && (
          <Asks
            text
            label="leave out"
            aria-label="Leave these laps out"
            question="Leave these laps out of the book?"
            said="They are gone then; the files that they came from are not kept here."
            yes="Leave them out"
            busy={drop.isPending}
            onYes={() => drop.mutateAsync(undefined).then(() => navigate(`/${book}/laps`))}
          />
        )}
      </TitleRow>
      <Sentence>{page.sentence}</Sentence>
      <Sizes page={page} />
      <Box sx={{ display: "flex", margin: "6px 0" }}>
        <ChartTools table={() => tableOf(page)} />
      </Box>
      {page.notes.map((note) => (
        <Text key={note} small tone="faded" sx={{ marginTop: 4 }}>
          {note}
        </Text>
      ))}
      <Box component="section" sx={{ marginTop: 18 }}>
        <h2>Does it matter in the frame?</h2>
        {page.frame ? (
          <InFrame book={book} frame={page.frame} />
        ) : (
          <Text>Join it to an entry: how often a frame calls it, and on how many items.</Text>
        )}
        {may.write && (
          <TextButton onClick={() => setJoining(true)}>
            {page.frame ? "join it to another entry" : "join it to an entry"}
          </TextButton>
        )}
      </Box>
      {joining && <JoinForm book={book} page={page} close={() => setJoining(false)} />}
    </article>
  );
}
