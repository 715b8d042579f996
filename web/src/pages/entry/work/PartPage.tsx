import { scaleLinear } from "@visx/scale";
import { Link, useSearchParams } from "react-router";
import { useIfFree, useLateFrames, usePartPage } from "../../../api/evidence";
import { Failure, Loading } from "../../../app/states";
import { lineOf } from "../../../charts/along";
import { SpanAxis, ValueAxis } from "../../../charts/axes";
import { type Frame, Plot } from "../../../charts/Plot";
import { Word } from "../../../figures/Word";
import {
  Box,
  Cell,
  Columns,
  colour,
  Facts,
  SvgText,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../../kit";
import { LeafSentence } from "../leaves";
import { BothArms } from "./heads";

type Page = NonNullable<ReturnType<typeof usePartPage>["data"]>;
const MARGIN = { left: 46, right: 8, top: 18, bottom: 26 };
/** A leg's name is written where there is room for so many px a letter. */
const LETTER = 6.6;

/** The part along the course: before dashed, after solid. */
function Along({ page }: { page: Page }) {
  const known = [...page.along_before, ...page.along_after].filter((v): v is number => v !== null);
  const length = page.edges_s.at(-1) ?? 0;
  const most = Math.max(...known, 1e-9);
  const across = (frame: Frame) =>
    scaleLinear<number>({ domain: [0, length], range: [frame.left, frame.right] });
  return (
    <Plot
      label={`${page.path.at(-1)} along the course, ms a frame`}
      height={170}
      margin={MARGIN}
      marks={(frame) =>
        page.along_after.map((after, i) => {
          const before = page.along_before[i];
          const at = ((page.edges_s[i] ?? 0) + (page.edges_s[i + 1] ?? 0)) / 2;
          const said =
            before == null || after === null
              ? "not in both arms"
              : `${before.toFixed(3)} before, ${after.toFixed(3)} after`;
          return { x: across(frame)(at), said: `${at.toFixed(1)} s: ${said}` };
        })
      }
    >
      {(frame) => {
        const x = across(frame);
        const y = scaleLinear<number>({ domain: [0, most * 1.08], range: [frame.bottom, frame.top] });
        return (
          <>
            <ValueAxis y={y} frame={frame} unit="ms" />
            <SpanAxis x={x} frame={frame} values={x.ticks(6)} said={(at) => `${at} s`} />
            {page.legs.map((leg) => (
              <g key={leg.name}>
                <path d={`M${x(leg.from_s)} ${frame.top}V${frame.bottom}`} stroke={colour.rule} />
                {x(leg.to_s) - x(leg.from_s) > LETTER * leg.name.length && (
                  <SvgText x={x(leg.from_s) + 4} y={frame.top - 5}>
                    {leg.name}
                  </SvgText>
                )}
              </g>
            ))}
            <path
              d={lineOf(page.edges_s, page.along_before, x, y)}
              fill="none"
              stroke={colour.before}
              strokeWidth={1.5}
              strokeDasharray="5 3"
            />
            <path
              d={lineOf(page.edges_s, page.along_after, x, y)}
              fill="none"
              stroke={colour.after}
              strokeWidth={1.8}
            />
          </>
        );
      }}
    </Plot>
  );
}

/** One mark a run, in the order of each arm. */
function Runs({ page, book }: { page: Page; book: string }) {
  const values = page.runs.map((run) => run.ms);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const pad = (high - low || high || 1) * 0.15;
  const across = (frame: Frame) =>
    scaleLinear<number>({ domain: [0, page.runs.length], range: [frame.left, frame.right] });
  return (
    <Plot
      label="One mark a run, before then after"
      height={120}
      margin={MARGIN}
      marks={(frame) =>
        page.runs.map((run, i) => ({
          x: across(frame)(i + 0.5),
          said: `${run.arm}: ${run.ms.toFixed(3)} ms`,
          to: `/${book}/runs/${run.run}`,
        }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const y = scaleLinear<number>({ domain: [low - pad, high + pad], range: [frame.bottom, frame.top] });
        return (
          <>
            <ValueAxis y={y} frame={frame} unit="ms" ticks={3} />
            {page.runs.map((run, i) =>
              run.arm === "before" ? (
                <circle
                  key={run.run}
                  cx={x(i + 0.5)}
                  cy={y(run.ms)}
                  r={3.6}
                  fill={colour.sheet}
                  stroke={colour.before}
                  strokeWidth={1.5}
                />
              ) : (
                <circle key={run.run} cx={x(i + 0.5)} cy={y(run.ms)} r={3.8} fill={colour.after} />
              ),
            )}
          </>
        );
      }}
    </Plot>
  );
}

/** What the part is of late frames, and what it could give. */
function Beside({ book, number, page }: { book: string; number: number; page: Page }) {
  const late = useLateFrames(book, number, "late");
  const free = useIfFree(book, number, "after", "mean_ms");
  const same = (row: { lane: string; path: readonly string[] }) =>
    row.lane === page.lane &&
    row.path.length === page.path.length &&
    row.path.every((name, i) => name === page.path[i]);
  const most = free.data?.rows.find(same);
  const entry = `/${book}/entries/${number}`;
  return (
    <Facts>
      {late.data?.arms.map((arm) => {
        const row = arm.rows.find((one) => one.kind === "part" && same(one));
        return (
          <Box key={arm.arm} sx={{ display: "contents" }}>
            <dt>of late frames {arm.arm}</dt>
            <dd>
              {arm.refused
                ? "too few, or by level"
                : row
                  ? `${row.words.share} (${row.words.interval})`
                  : "next to nothing"}
            </dd>
          </Box>
        );
      })}
      {late.error && (
        <>
          <dt>of late frames</dt>
          <dd>{late.error.message}</dd>
        </>
      )}
      <dt>
        <Word of="free">if it were free</Word>
      </dt>
      <dd>
        {most
          ? most.nothing
            ? "nothing to gain here by itself"
            : `${most.words.mean_ms} ms of the mean frame at most`
          : "not told"}
      </dd>
      <dt />
      <dd>
        <Link to={`${entry}/work?see=late`}>late frames</Link>,{" "}
        <Link to={`${entry}/work?see=free`}>if it were free</Link>
      </dd>
    </Facts>
  );
}

/** A part's own page: both arms, along the course, over runs, of late frames, its bound, and over entries. */
export function PartPage({ book, number }: { book: string; number: number }) {
  const [search] = useSearchParams();
  const [lane, path] = [search.get("lane") ?? "", search.getAll("path")];
  const query = usePartPage(book, number, lane, path);
  const page = query.data;
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the part" />;
  const ms = (value: number | null) => (value === null ? "" : value.toFixed(3));
  return (
    <section>
      <h2>
        {page.path.join(" / ")}
        <Text as="span" tone="faded" aside>
          {page.lane}
        </Text>
      </h2>
      {page.sentence && <LeafSentence>{page.sentence}</LeafSentence>}
      {page.words.split && <Text tone="faded">Of that, {page.words.split} ms.</Text>}
      <Columns sx={{ marginTop: 10 }}>
        <div>
          <h3>Along the course</h3>
          <Along page={page} />
          <h3>Over the runs</h3>
          <Runs page={page} book={book} />
        </div>
        <div>
          <h3>Beside it</h3>
          <Beside book={book} number={number} page={page} />
          <Facts sx={{ marginTop: 8 }}>
            <dt>calls a frame</dt>
            <dd>{page.words.calls || "not told"}</dd>
            <dt>µs a call</dt>
            <dd>
              {page.words.us_a_call || "not told"}
              {page.words.each && `; ${page.words.each}`}
            </dd>
            <dt>of its lane</dt>
            <dd>{page.words.share || "not told"}</dd>
          </Facts>
        </div>
      </Columns>
      {page.history.length > 1 && (
        <>
          <h3>
            Over entries
            <Text as="span" tone="faded" aside>
              ms a frame over whole runs, on this rig
            </Text>
          </h3>
          <Wide aria-label="The part over entries">
            <Table aria-label="The part over entries" sx={{ maxWidth: 760 }}>
              <TableHead>
                <TableRow>
                  <Cell align="right">No.</Cell>
                  <Cell>Entry</Cell>
                  <BothArms />
                </TableRow>
              </TableHead>
              <TableBody>
                {page.history.map((then) => (
                  <TableRow key={then.number} selected={then.number === number}>
                    <Cell align="right">{then.number}</Cell>
                    <Cell>
                      <Link to={`/${book}/entries/${then.number}/work?${new URLSearchParams(search)}`}>
                        {then.title}
                      </Link>
                    </Cell>
                    <Cell align="right">{ms(then.before_ms)}</Cell>
                    <Cell align="right">{ms(then.after_ms)}</Cell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          </Wide>
        </>
      )}
    </section>
  );
}

/** The address of a part's page, from the work of its entry. */
export const partAt = (part: { lane: string; path: readonly string[] }) =>
  `?${new URLSearchParams([["see", "part"], ["lane", part.lane], ...part.path.map((name) => ["path", name])])}`;
