import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { type ComponentProps, useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import { useControl, useRecording, useSetMark } from "../../api/bench";
import type { Recording, Schemas } from "../../api/client";
import { moment, span } from "../../app/days";
import { useHead, useTitle } from "../../app/head";
import { JobProgress } from "../../app/JobProgress";
import { useKeys } from "../../app/keys";
import { useMay } from "../../app/role";
import { Empty, Failure, Loading, Refused } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { LiveTrace } from "../../charts/LiveTrace";
import { Explained } from "../../figures/Explained";
import { required, Said, text, useSheet, Written } from "../../form";
import {
  Asks,
  Box,
  Cell,
  Columns,
  Command,
  Copyable,
  colour,
  InlineForm,
  PageTitle,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TitleRow,
} from "../../kit";
import { ofRecording } from "../arms/address";
import { type Report, useReports } from "./live";
import { Schedule } from "./Schedule";
import { Strip } from "./Strip";

type Look = Schemas["Look"];

function Elsewhere({ recording }: { recording: Recording }) {
  return (
    <section>
      <h2>From another machine</h2>
      <Command as="pre" sx={{ whiteSpace: "pre-wrap", margin: "6px 0" }}>
        VIGILANT_SERVER={window.location.origin} vigilant record{" "}
        {recording.account ? `--recording ${recording.id}` : `--entry ${recording.entry}`}
      </Command>
      <Text small tone="faded">
        With a recorder token in VIGILANT_TOKEN, and --subjects naming the programs that machine may start.
      </Text>
    </section>
  );
}

const ofThisMachine = /^(localhost|127\.|\[::1\])/;

/** The link that a visitor's browser opens, and the code for one that it must be typed into. */
function Invited({ recording }: { recording: Recording }) {
  const visit = recording.visit;
  if (!visit) return null;
  const link = `${window.location.origin}/visit/${visit.code}`;
  return (
    <section>
      <h2>In a visitor's own browser</h2>
      <Text sx={{ margin: "6px 0" }}>
        <Copyable what={link} />
      </Text>
      <Text sx={{ margin: "6px 0" }}>
        Or open {window.location.host}/visit/ there, and type{" "}
        <Text as="b" size={18} nowrap>
          {visit.code}
        </Text>
      </Text>
      {ofThisMachine.test(window.location.hostname) && (
        <Text small tone="spent">
          This address is of this machine alone. For a link that a handheld reaches, open the ledger by its
          name on the network.
        </Text>
      )}
      <Text small tone="faded">
        Good until {moment(visit.expires_at)}, for whoever has it. Its pages may deliver from{" "}
        {visit.origins.join(" and ")}, and can do nothing else here.
      </Text>
    </section>
  );
}

function Controls({ recording }: { recording: Recording }) {
  const control = useControl(recording.id);
  const may = useMay();
  const paused = recording.control === "pause";
  const button = (label: string, to: "run" | "pause" | "skip" | "stop" | "end", primary = false) => (
    <Button
      variant={primary ? "contained" : "outlined"}
      disabled={control.isPending}
      onClick={() => control.mutate(to)}
    >
      {label}
    </Button>
  );
  if (!may.write) return null;
  if (recording.state === "planned")
    return (
      <Asks
        label="Call it off"
        question="Call this recording off?"
        yes="Call it off"
        busy={control.isPending}
        onYes={() => control.mutate("stop")}
      />
    );
  if (recording.state !== "recording") return null;
  return (
    <Box sx={{ display: "flex", gap: 8, flexWrap: "wrap" }}>
      {!recording.visit && (
        <>
          {paused ? button("Go on", "run", true) : button("Pause after this run", "pause")}
          {recording.by_hand && button("End this run", "end", true)}
          <Asks
            label="Skip this run"
            question="Skip the present run?"
            said="It is kept as skipped and enters no arm."
            yes="Skip it"
            busy={control.isPending}
            onYes={() => control.mutate("skip")}
          />
        </>
      )}
      <Asks
        label="Stop and keep"
        question="End the recording here?"
        said={`What was recorded is kept and compared; the runs that are missing stay missing.`}
        yes="Stop it"
        busy={control.isPending}
        onYes={() => control.mutate("stop")}
      />
      <Refused error={control.error} />
    </Box>
  );
}

function Arms({ recording }: { recording: Recording }) {
  return (
    <section>
      <h2>Each arm so far</h2>
      {recording.arms.map((arm) => (
        <Box key={arm.label} sx={{ marginTop: 8 }}>
          <Box component="p" sx={{ fontSize: 13 }}>
            <Text as="b" tone={arm.label === "before" ? "before" : arm.label === "empty" ? "faded" : "after"}>
              {arm.label}
            </Text>{" "}
            {arm.name !== arm.label && arm.name}
            <Text as="span" tone="faded">
              {" "}
              {arm.runs} {arm.runs === 1 ? "run" : "runs"}
              {arm.failed > 0 && `, ${arm.failed} failed`}
            </Text>
          </Box>
          <Table size="small" aria-label={`Figures of ${arm.label}`}>
            <TableBody>
              {arm.rows.map((row) => (
                <TableRow key={row.name}>
                  <Cell>
                    <Explained definition={row.definition}>{row.label}</Explained>
                  </Cell>
                  <Cell align="right">
                    {row.value}{" "}
                    <Text as="span" tone="faded">
                      {row.unit}
                    </Text>
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Box>
      ))}
      {recording.state === "recording" && (
        <Text small tone="faded" sx={{ marginTop: 8 }}>
          Means over complete runs.{" "}
          {recording.until_decided
            ? "The looks above spend the error they are allowed; nothing else here decides."
            : "No verdict before the planned runs are in: looking early and stopping when it looks good finds gains that are none."}
        </Text>
      )}
    </section>
  );
}

/** The run in progress as drawn, with what it is drawn from behind it. */
function LiveDrawing(live: ComponentProps<typeof LiveTrace>) {
  const [shown, setShown] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setShown(!shown) });
  const table = () => ({
    head: ["at s", "lowest ms", "highest ms"],
    rows: live.groups.map(([at, low, high]) => [at, low, high]),
  });
  return (
    <>
      <div ref={drawing}>
        <LiveTrace {...live} />
      </div>
      <Box sx={{ display: "flex" }}>
        <ChartTools table={table} drawing={drawing} shown={shown} toggle={() => setShown(!shown)} />
      </Box>
      {shown && <TableBehind table={table()} />}
    </>
  );
}

function Now({ recording, report }: { recording: Recording; report: Report | null }) {
  const live = report?.live;
  if (recording.state === "planned")
    return (
      <Empty
        title={
          recording.visit ? "Waiting for a visitor" : `Waiting for ${recording.asked_of || "a recorder"}`
        }
      >
        <p>
          Nothing is recorded yet. The order is drawn when{" "}
          {recording.visit ? "a browser begins behind the link" : "a recorder takes the plan"}.
          {recording.held_by &&
            ` The rig is ${recording.held_by.by}’s, ${span(recording.held_by.begins_at, recording.held_by.ends_at)}: this waits until then.`}
        </p>
      </Empty>
    );
  if (!report || report.phase === "finished" || recording.state !== "recording") return null;
  const place = `run ${(report.position ?? 0) + 1}, ${report.arm}${(report.attempt ?? 1) > 1 ? `, attempt ${report.attempt}` : ""}`;
  if (report.phase === "paused" || report.phase === "waiting")
    return (
      <h2 role="status">
        {report.phase === "paused" ? "Paused" : "Waiting"} before {place}
        <Text as="span" tone="faded" aside>
          {report.phase === "waiting" ? report.why : ""}
        </Text>
      </h2>
    );
  if (!live && recording.visit)
    return (
      <h2 role="status">
        {report.phase === "running" ? "Now playing" : "Delivered"}: {place}
        <Text as="span" tone="faded" aside>
          {report.phase === "running" &&
            "its frames come when it has played, so that nothing is sent meanwhile"}
        </Text>
      </h2>
    );
  if (!live) return <h2>Starting {place}</h2>;
  const mean = live.window.mean_ms;
  return (
    <section>
      <h2>
        {report.phase === "running" ? "Now" : "Just ended"}: {place}
        <Text as="span" tone="faded" aside>
          {live.leg && `${live.leg}, `}
          {live.played_s.toFixed(0)} of {recording.run_s} s
        </Text>
      </h2>
      <LiveDrawing
        groups={live.trace}
        group_s={live.group_s}
        peak_ms={live.peak_ms}
        run_s={recording.run_s}
        budget_ms={recording.budget_ms}
        after={report.arm !== "before"}
      />
      <Text small tone="faded">
        {mean !== null && (
          <>
            Mean over the last {live.window.s.toFixed(2)} s ({live.window.frames} frames):{" "}
            <Box component="b" sx={{ color: colour.ink }}>
              {mean.toFixed(2)} ms, {(1000 / mean).toFixed(1)} fps
            </Box>
            .{" "}
          </>
        )}
        {live.frames.toLocaleString("en-GB")} frames as {live.trace.length} groups of{" "}
        {live.group_s.toFixed(1)} s, each from its lowest to its highest; highest so far{" "}
        {live.peak_ms.toFixed(1)} ms, kept until the run ends.
        {live.cost_ms_a_frame !== null &&
          ` This view costs ${live.cost_ms_a_frame.toFixed(3)} ms of processor time a frame on the rig, beside the subject (measured).`}
      </Text>
    </section>
  );
}

/** The looks of a recording that goes on until it is decided. */
function Tally({ looks, most }: { looks: readonly Look[]; most: number }) {
  const last = looks[looks.length - 1];
  return (
    <section>
      <h2>
        Towards a decision{" "}
        <Text as="span" tone="faded" aside>
          {last
            ? `${last.pairs} of at most ${most} pairs, ${last.verdict === "undecided" ? "not decided yet" : `decided: ${last.verdict}`}`
            : `the first look is after 4 of at most ${most} pairs`}
        </Text>
      </h2>
      {looks.length > 0 && (
        <Table size="small" aria-label="Looks" sx={{ maxWidth: 420 }}>
          <TableHead>
            <TableRow>
              <Cell align="right">Pairs</Cell>
              <Cell align="right">Tested at</Cell>
              <Cell>The look said</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {looks.map((look) => (
              <TableRow key={look.pairs}>
                <Cell align="right">{look.pairs}</Cell>
                <Cell align="right">{(100 * look.level).toPrecision(2)} %</Cell>
                <Cell>{look.verdict}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </section>
  );
}

function SetMark({ id }: { id: string }) {
  const mark = useSetMark(id);
  const sheet = useSheet({
    values: { name: "" },
    send: ({ name }) => mark.mutateAsync(name.trim()),
    sent: () => sheet.anew(),
  });
  return (
    <InlineForm noValidate onSubmit={sheet.submit}>
      <Written
        bare
        of={sheet}
        name="name"
        label="Name of the mark"
        placeholder="the leg that begins now"
        rules={{ ...required, ...text(100) }}
      />
      <Button type="submit" disabled={sheet.sending}>
        Set a mark
      </Button>
      <Text role="status" as="span" small tone="faded">
        {mark.isSuccess && `${mark.variables} is marked`}
      </Text>
      <Said of={sheet} />
    </InlineForm>
  );
}

/** Over the whole screen it stands on a sheet of its own. */
const NowFrame = styled("div")({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr)",
  gap: 8,
  "&:fullscreen": { background: colour.sheet, padding: 40, alignContent: "center" },
});

const SILENT_S = 30;
const said: Record<string, string> = { planned: "planned", finished: "finished", refused: "not recorded" };

/** What kind of account comes of a recording that fills no entry. */
const ASKED: Record<string, string> = {
  switched: "Switched off one at a time",
  untangled: "Untangled",
  mixture: "Loads alone and together",
  ramp: "Ramp",
  trade: "Few rich or many simple",
  knob: "Knob",
  cores: "Cores",
  matrix: "A cell of a matrix",
  line: "For its line",
  hunt: "Hunt for a build",
};

/** A recording as it goes on: its schedule filling up, the run in progress, and each arm's figures. */
export default function RecordingPage() {
  const { book = "", id = "" } = useParams();
  const query = useRecording(id);
  const recording = query.data;
  const now = useRef<HTMLDivElement>(null);
  // Its end changes the ledger too.
  const client = useQueryClient();
  const finished = recording?.state === "finished";
  useEffect(() => {
    if (finished) void client.invalidateQueries({ queryKey: ["book", book] });
  }, [finished, client, book]);
  const open = recording?.state === "recording" || recording?.state === "planned";
  const { report, cut } = useReports(id, open ?? false);
  useHead(recording ? { ...recording, version: recording.version } : null);
  useTitle(recording && `Recording: ${recording.title}`);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!recording) return <Loading what="the recording" />;
  const last = recording.looks[recording.looks.length - 1];
  const decided = last !== undefined && last.verdict !== "undecided";
  const silent = recording.silent_s ?? 0;
  const done = recording.places.filter((p) => p.outcome !== "planned").length;
  return (
    <article>
      <TitleRow>
        <div>
          <PageTitle>
            {recording.account ? (
              ASKED[recording.account]
            ) : (
              <>
                Recording for{" "}
                {recording.entry ? (
                  <Link to={`/${book}/entries/${recording.entry}`}>entry {recording.entry}</Link>
                ) : (
                  "an entry"
                )}
              </>
            )}
            : {recording.title}
          </PageTitle>
          <Text tone="faded" sx={{ fontSize: 13 }}>
            {recording.places.length > 0
              ? `${done} of ${recording.places.length} runs`
              : `${recording.runs} runs an arm`}
            {said[recording.state] ? `, ${said[recording.state]}` : ""}
            {recording.stopped && (decided ? ", ended once it was decided" : ", stopped by hand")}
            {recording.remark && `: ${recording.remark}`}
            {recording.delivered_frames > 0 &&
              `, ${recording.delivered_frames.toLocaleString("en-GB")} frames delivered`}
            {recording.state !== "planned" && (
              <>
                . <Link to={`/${book}/bench/plan?like=${recording.id}`}>Plan another like it</Link>
              </>
            )}
          </Text>
        </div>
        <Controls recording={recording} />
      </TitleRow>
      {recording.visit && recording.state === "recording" && silent > SILENT_S + recording.run_s && (
        <Text role="status" tone="spent" sx={{ marginTop: 6 }}>
          Nothing was heard of the visitor's browser for {Math.round(silent)} s. Open the link again there to
          go on, or stop here: what was delivered is kept.
        </Text>
      )}
      {!recording.visit && recording.state === "recording" && silent > SILENT_S && (
        <Text role="status" tone="spent" sx={{ marginTop: 6 }}>
          Nothing was heard of the recorder for {Math.round(silent)} s. If it is gone, go on with{" "}
          <code>vigilant record --go-on SPOOL</code> there, or stop here: what was delivered is kept.
        </Text>
      )}
      {cut && recording.state === "recording" && (
        <Text role="status" tone="spent" sx={{ marginTop: 6 }}>
          The live view is cut off since {cut.toLocaleTimeString("en-GB")}; it is tried again. What stands
          here is from then. The recording goes on by itself.
        </Text>
      )}
      <Columns sx={{ marginTop: 12 }}>
        <Box sx={{ display: "grid", gap: 16, alignContent: "start", minWidth: 0 }}>
          {recording.places.length > 0 && (
            <section>
              <h2>
                Schedule{" "}
                <Text as="span" tone="faded" aside>
                  {recording.order === "mirrored" ? "mirrored blocks" : "random blocks"}, seed{" "}
                  {recording.order_seed}; mean ms of each run
                </Text>
              </h2>
              <Schedule book={book} places={recording.places} report={report} run_s={recording.run_s} />
            </section>
          )}
          {recording.until_decided && (
            <Tally looks={report?.looks?.length ? report.looks : recording.looks} most={recording.runs} />
          )}
          <NowFrame ref={now}>
            <Now recording={recording} report={report} />
            {recording.state === "recording" && !recording.visit && (
              <Strip report={report} budget_ms={recording.budget_ms} whole={() => now.current} />
            )}
          </NowFrame>
          {recording.job && recording.state === "recording" && (
            <JobProgress job={recording.job} ended="the runs are kept" />
          )}
          {recording.by_hand && report?.phase === "running" && <SetMark id={recording.id} />}
          {recording.account && recording.state !== "planned" && (
            <Sentence>
              <Link to={`/${book}/${recording.account}/${recording.id}`}>
                {recording.account === "line"
                  ? "See its line"
                  : recording.state === "finished"
                    ? "Read the account"
                    : "Read the account so far"}
              </Link>
              .
            </Sentence>
          )}
          {recording.state === "finished" && recording.entry && !recording.remark && (
            <Sentence>
              Recorded.{" "}
              <Link to={`/${book}/entries/${recording.entry}`}>
                Read the verdict in entry {recording.entry}
              </Link>
              {recording.arms.length > 2 && (
                <>
                  , or{" "}
                  <Link to={`/${book}/arms?${ofRecording(recording)}`}>set all its arms side by side</Link>
                </>
              )}
              .
            </Sentence>
          )}
        </Box>
        <Box component="aside" sx={{ display: "grid", gap: 16, alignContent: "start" }}>
          {recording.arms.length > 0 && <Arms recording={recording} />}
          {recording.state === "planned" && !recording.visit && <Elsewhere recording={recording} />}
          {open && <Invited recording={recording} />}
        </Box>
      </Columns>
    </article>
  );
}
