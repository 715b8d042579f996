import { styled } from "@mui/material/styles";
import { Link, useNavigate, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useRun } from "../../api/queries";
import { useFramePage } from "../../api/runWork";
import { useHead, useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { Word } from "../../figures/Word";
import {
  Box,
  Cell,
  Columns,
  colour,
  Facts,
  Line,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  Wide,
} from "../../kit";

type Page = Schemas["FramePage"];
type Part = Page["lanes"][number]["parts"][number];

const STATES: Record<string, string> = {
  stale: "not refreshed",
  below: "below the resolution",
  missing: "missing",
};

const Track = styled("span")({ position: "relative", display: "block", height: 12, minWidth: 160 });
const Bar = styled("i", { shouldForwardProp: (name) => name !== "waits" })<{ waits?: boolean }>(
  ({ waits }) => ({
    position: "absolute",
    top: 3,
    height: 6,
    minWidth: 1,
    ...(waits ? { border: `1px dotted ${colour.ink}` } : { background: colour.ink }),
  }),
);
const Usual = styled("i")({
  position: "absolute",
  top: 0,
  height: 12,
  borderLeft: `2px solid ${colour.after}`,
});

/** A thin bar to the scale of the frame, where it lay in it; the mark is where it usually ends. */
function Drawn({
  at,
  ms,
  usual,
  whole,
  waits = false,
}: {
  at: number;
  ms: number;
  usual: number | null;
  whole: number;
  waits?: boolean;
}) {
  const part = (value: number) => `${Math.min(100, (100 * value) / whole)}%`;
  return (
    <Track aria-hidden>
      {ms > 0 && <Bar waits={waits} style={{ left: part(at), width: part(ms) }} />}
      {usual !== null && <Usual style={{ left: part(at + usual) }} />}
    </Track>
  );
}

const amount = (ms: number) => ms.toFixed(Math.abs(ms) < 0.1 ? 3 : 2);

function Over({ ms, usual }: { ms: number | null; usual: number | null }) {
  const over = ms === null || usual === null ? null : ms - usual;
  return (
    <>
      <Cell align="right" tone="faded">
        {usual === null ? "" : amount(usual)}
      </Cell>
      <Cell align="right" strong={over !== null && Math.abs(over) >= 1}>
        {over === null ? "" : `${over > 0 ? "+" : ""}${amount(over)}`}
      </Cell>
    </>
  );
}

function PartRow({ part, whole }: { part: Part; whole: number }) {
  const absent = part.calls === 0 && part.ms === 0 && !part.below;
  return (
    <TableRow>
      <Cell {...(absent && { tone: "faded" as const })}>
        <Box component="span" sx={{ paddingLeft: `${16 * (part.depth + 1)}px` }}>
          {part.name}
        </Box>
      </Cell>
      <Cell align="right" tone="faded">
        {part.at_ms === null ? "" : part.at_ms.toFixed(2)}
      </Cell>
      <Cell align="right">{absent ? "absent" : part.below ? "below" : amount(part.ms)}</Cell>
      <Over ms={part.below ? null : part.ms} usual={part.usual_ms} />
      <Cell align="right">{part.calls || ""}</Cell>
      <Cell wide>
        <Drawn at={part.at_ms ?? 0} ms={part.ms} usual={part.usual_ms} whole={whole} />
      </Cell>
    </TableRow>
  );
}

function Lane({ lane, whole }: { lane: Page["lanes"][number]; whole: number }) {
  return (
    <TableBody aria-label={lane.name}>
      <TableRow sx={{ "& td": { borderTop: `1px solid ${colour.ink}`, fontWeight: 600 } }}>
        <Cell>
          {lane.name}{" "}
          <Text as="span" small tone="faded" sx={{ fontWeight: 400 }}>
            {lane.role}
          </Text>
        </Cell>
        <Cell />
        <Cell align="right">{lane.ms === null ? STATES[lane.state] : amount(lane.ms)}</Cell>
        <Over ms={lane.ms} usual={lane.usual_ms} />
        <Cell />
        <Cell wide>
          <Drawn
            at={0}
            ms={lane.ms ?? 0}
            usual={lane.usual_ms}
            whole={whole}
            waits={lane.role === "waiting"}
          />
        </Cell>
      </TableRow>
      {lane.parts.map((part) => (
        <PartRow key={part.path.join("/")} part={part} whole={whole} />
      ))}
      {lane.rest_ms !== null && (
        <TableRow>
          <Cell tone="faded">
            <Box component="span" sx={{ paddingLeft: "16px" }}>
              and the rest
            </Box>
          </Cell>
          <Cell />
          <Cell align="right">{amount(lane.rest_ms)}</Cell>
          <Over ms={lane.rest_ms} usual={lane.usual_rest_ms} />
          <Cell />
          <Cell wide />
        </TableRow>
      )}
    </TableBody>
  );
}

/** A page of the day book: one frame lane by lane and part by part in order of time, beside the frames around it. */
export default function FramePage() {
  const { book = "", id = "", frame = "0" } = useParams();
  const number = Number.parseInt(frame, 10) || 0;
  const navigate = useNavigate();
  const run = useRun(id).data;
  const query = useFramePage(id, number);
  // While the next is read the last one stays; its neighbours are not those of the next.
  const page = query.data;
  const here = page?.frame === number ? page : undefined;
  useHead(run ? { ...run, target_fps: run.target_fps ?? null } : null);
  useTitle(`Frame ${number}`);
  const at = (to: number) => `/${book}/runs/${id}/frames/${to}`;
  const go = (to: number | null | undefined) => {
    if (to !== null && to !== undefined && here && to >= 0 && to < here.frames) navigate(at(to));
  };
  useKeys({
    ArrowRight: () => go(number + 1),
    ArrowLeft: () => go(number - 1),
    l: () => go(here?.late_after),
    L: () => go(here?.late_before),
    s: () => go(here?.stutter_after),
    S: () => go(here?.stutter_before),
  });
  if (query.error && !page) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!page) return <Loading what="the frame" />;
  const used = run?.used_in[0];
  const whole = Math.max(page.frame_ms, page.typical_ms ?? 0);
  const step = (label: string, key: string, to: number | null) =>
    to === null ? (
      <Text as="span" tone="faded">
        {label}
      </Text>
    ) : (
      <Link to={at(to)} title={key} aria-keyshortcuts={key}>
        {label}
      </Link>
    );
  const from = Math.max(0, number - 150);
  return (
    <article>
      <Box sx={{ display: "flex", gap: 16, alignItems: "baseline", flexWrap: "wrap" }}>
        <PageTitle>Frame {page.frame.toLocaleString("en-GB")}</PageTitle>
        <Text as="span" tone="faded">
          at {page.at_s.toFixed(3)} s{page.leg && `, ${page.leg}`}
        </Text>
        <Box component="span" sx={{ marginLeft: "auto", display: "flex", gap: 14 }}>
          <Link to={`/${book}/runs/${id}?frame=${number}&from=${from}&to=${number + 150}`}>
            {used ? `Run ${used.position + 1} of entry ${used.entry}, ${used.arm}` : "its run"}
          </Link>
          {used && <Link to={`/${book}/entries/${used.entry}/work?see=late`}>{used.title}</Link>}
        </Box>
      </Box>
      <Sentence>{page.sentence}</Sentence>
      <Line role="group" aria-label="Other frames" sx={{ fontSize: 13, marginBottom: 10 }}>
        {step("frame before", "ArrowLeft", page.frame > 0 ? page.frame - 1 : null)}
        {step("next frame", "ArrowRight", page.frame + 1 < page.frames ? page.frame + 1 : null)}
        {page.budget_ms !== null && step("late frame before", "Shift+L", page.late_before)}
        {page.budget_ms !== null && step("next late frame", "l", page.late_after)}
        {step("stutter before", "Shift+S", page.stutter_before)}
        {step("next stutter", "s", page.stutter_after)}
      </Line>
      <Columns>
        <Wide aria-label="The frame">
          <Table aria-label="The frame">
            <TableHead>
              <TableRow>
                <Cell>Lane and part</Cell>
                <Cell align="right">At, ms</Cell>
                <Cell align="right">Took, ms</Cell>
                <Cell align="right">
                  <Word of="usual">Usual</Word>
                </Cell>
                <Cell align="right">Over, ms</Cell>
                <Cell align="right">Calls</Cell>
                <Cell wide>
                  0 to {whole.toFixed(1)} ms{" "}
                  <Text as="span" tone="after">
                    |
                  </Text>{" "}
                  usual
                </Cell>
              </TableRow>
            </TableHead>
            {page.lanes.map((lane) => (
              <Lane key={lane.name} lane={lane} whole={whole} />
            ))}
            <TableBody>
              {page.parts.map((part) => (
                <PartRow key={part.path.join("/")} part={part} whole={whole} />
              ))}
              <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}`, fontWeight: 600 } }}>
                <Cell>The frame</Cell>
                <Cell />
                <Cell align="right">{amount(page.frame_ms)}</Cell>
                <Over ms={page.frame_ms} usual={page.typical_ms} />
                <Cell />
                <Cell wide>
                  <Drawn at={0} ms={page.frame_ms} usual={page.typical_ms} whole={whole} />
                </Cell>
              </TableRow>
            </TableBody>
          </Table>
        </Wide>
        <div>
          <h2>Counters</h2>
          {page.counters.length > 0 ? (
            <Facts>
              {page.counters.map((counter) => (
                <Box key={counter.name} sx={{ display: "contents" }}>
                  <dt>{counter.name}</dt>
                  <dd>
                    {counter.value === null ? STATES[counter.state] : counter.value.toLocaleString("en-GB")}{" "}
                    {counter.typical !== null && (
                      <Text as="span" small tone="faded">
                        usually {Number(counter.typical.toPrecision(4)).toLocaleString("en-GB")}
                      </Text>
                    )}
                  </dd>
                </Box>
              ))}
            </Facts>
          ) : (
            <Text tone="faded" size={13}>
              The run has none.
            </Text>
          )}
          {page.budget_ms !== null && (
            <Text size={13} sx={{ marginTop: 10 }}>
              Budget {page.budget_ms.toFixed(2)} ms:{" "}
              {page.late ? <b>{(page.frame_ms - page.budget_ms).toFixed(2)} ms over</b> : "not late"}.
            </Text>
          )}
        </div>
      </Columns>
    </article>
  );
}
