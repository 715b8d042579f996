import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate, useParams } from "react-router";
import {
  type Chosen,
  type FileLine,
  type Look,
  useBring,
  useFile,
  useFiles,
  useSayReading,
  useSend,
  useTakeAway,
} from "../../api/files";
import { useJob, useScenarios } from "../../api/queries";
import { useTitle } from "../../app/head";
import { JobProgress } from "../../app/JobProgress";
import { useMay } from "../../app/role";
import { Failure, Loading } from "../../app/states";
import {
  Box,
  Cell,
  Choice,
  colour,
  Line,
  Note,
  PageTitle,
  Pile,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  TextInput,
} from "../../kit";
import { dropped } from "./dropped";
import { Reading } from "./Reading";
import { SmallTrace } from "./SmallTrace";
import {
  type Arm,
  armOf,
  conditionsOf,
  guessOrder,
  guessPatterns,
  type Order,
  type Patterns,
  shownName,
} from "./sorting";

const Sides = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "minmax(0, 340px) minmax(0, 1fr)",
  gap: 28,
  marginTop: 14,
  [theme.breakpoints.down("md")]: { gridTemplateColumns: "minmax(0, 1fr)" },
}));

/** Fields within a sentence. */
const Sentence = styled("div")({
  fontSize: 13,
  lineHeight: "30px",
  "& .MuiInputBase-root": { verticalAlign: "baseline" },
});

// Every attribute passes: that a folder is chosen is one that few know.
const Picked = styled("input", { shouldForwardProp: () => true })({ display: "none" });

/** Not an arm: readings at a rate of their own, laid along the runs by time. */
const BESIDE = "beside";
const RECOMMENDED = 5;
const MARK = { before: "◇", after: "◆", "": "" } as const;
const ORDERS: readonly (readonly [Order, string])[] = [
  ["unknown", "unknown"],
  ["number", "by the number in the name"],
  ["recorded", "as each says it was recorded"],
  ["listed", "as listed here"],
];

/** Files of any making: sent, read as is agreed, and made runs and an entry. */
export default function BringPage() {
  const { book = "" } = useParams();
  useTitle("Bring in");
  const may = useMay();
  const files = useFiles(book);
  const sender = useSend(book);
  const [over, setOver] = useState(false);
  if (!may.write)
    return (
      <>
        <PageTitle>Bring in</PageTitle>
        <Note>An editor of the book can bring files in.</Note>
      </>
    );
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void sender.send(await dropped(event.dataTransfer));
  };
  return (
    <Box
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      sx={{ minHeight: "70vh", outline: over ? `2px dashed ${colour.ink}` : "none", outlineOffset: 6 }}
    >
      <Line>
        <PageTitle>Bring in</PageTitle>
        <Text as="span" tone="faded">
          Drop files anywhere on this page. Nothing becomes a run until its reading is agreed.
        </Text>
      </Line>
      <Choosing send={(chosen) => void sender.send(chosen)} />
      {sender.sending.map((one) => (
        <Line key={one.key} role="status" sx={{ fontSize: 13 }}>
          <span>{one.name}</span>
          {one.fault ? (
            <Text as="span" tone="spent">
              {one.fault}
            </Text>
          ) : (
            <Text as="span" tone="faded">
              {Math.round(one.share * 100)} % sent
            </Text>
          )}
          <TextButton small onClick={() => sender.drop(one.key)}>
            {one.fault ? "put away" : "cancel"}
          </TextButton>
        </Line>
      ))}
      {files.isPending && <Loading what="the files" />}
      {files.error && <Failure error={files.error} again={() => files.refetch()} />}
      {files.data?.length === 0 && sender.sending.length === 0 && (
        <Note>
          <span>
            Delimited text of any making, JSON, JSON Lines, Parquet, Arrow and vigilant-frames; compressed, in
            a folder, or several in a zip archive.
          </span>
          <span>
            From a terminal: <code>vigilant bring FILES</code>
          </span>
        </Note>
      )}
      {files.data && files.data.length > 0 && <Files book={book} files={files.data} />}
    </Box>
  );
}

function Choosing({ send }: { send: (chosen: Chosen[]) => void }) {
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const take = (input: HTMLInputElement) => {
    const chosen = [...(input.files ?? [])].map((file) => ({
      file,
      folder: file.webkitRelativePath.split("/").slice(0, -1).join("/"),
    }));
    input.value = "";
    send(chosen.filter(({ file }) => !file.name.startsWith(".")));
  };
  return (
    <Line sx={{ margin: "8px 0 4px" }}>
      <Button size="small" onClick={() => files.current?.click()}>
        Choose files
      </Button>
      <Button size="small" onClick={() => folder.current?.click()}>
        Choose a folder
      </Button>
      <Picked ref={files} type="file" multiple aria-label="Files to send" onChange={(e) => take(e.target)} />
      <Picked
        ref={folder}
        type="file"
        aria-label="Folder to send"
        {...{ webkitdirectory: "" }}
        onChange={(e) => take(e.target)}
      />
    </Line>
  );
}

/** The files that wait, sorted into arms; the one opened; and what they become. */
function Files({ book, files }: { book: string; files: readonly FileLine[] }) {
  const [open, setOpen] = useState<string>();
  const [typed, setTyped] = useState<Patterns>();
  const [ticked, setTicked] = useState<Record<string, Arm>>({});
  const [chosenOrder, setOrder] = useState<Order>();
  const take = useTakeAway(book);
  const say = useSayReading(book);
  const course = useCourse(book);
  const played = files.filter((f) => !f.beside);
  const patterns = typed ?? guessPatterns(played.map(shownName));
  const arm = (file: FileLine): Arm => ticked[file.id] ?? armOf(shownName(file), patterns);
  const order =
    chosenOrder ??
    guessOrder(played.map((f) => ({ name: f.name, started: f.runs.map((run) => run.started ?? "") })));
  const chosen = files.find((f) => f.id === open) ?? files[0];
  const file = useFile(book, chosen?.id);
  const alike = useMemo(() => {
    const key = chosen?.columns.join("\n");
    return files
      .filter((f) => f.state !== "receiving" && f.beside === chosen?.beside)
      .filter((f) => key && f.columns.join("\n") === key)
      .map((f) => f.id);
  }, [files, chosen]);
  const pattern = (side: "before" | "after") => (
    <TextInput
      aria-label={`In the names of files ${side}`}
      value={patterns[side]}
      sx={{ width: 90 }}
      onChange={(e) => setTyped({ ...patterns, [side]: e.target.value })}
    />
  );
  const runs = { before: 0, after: 0, "": 0 };
  for (const f of files)
    for (const run of f.runs) runs[(run.arm as Arm) in runs && run.arm ? (run.arm as Arm) : arm(f)] += 1;
  const few = (["before", "after"] as const).filter((side) => runs[side] > 0 && runs[side] < RECOMMENDED);
  const frames = (f: FileLine) => f.runs.reduce((sum, run) => sum + run.frames, 0);
  return (
    <Sides>
      <Pile>
        <Table aria-label="Files">
          <TableHead>
            <TableRow>
              <Cell>File</Cell>
              <Cell align="right">Frames</Cell>
              <Cell>Arm</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {files.map((f) => {
              const side = arm(f);
              return (
                <TableRow key={f.id} data-link selected={f.id === chosen?.id} onClick={() => setOpen(f.id)}>
                  <Cell sx={{ overflowWrap: "anywhere" }}>
                    <TextButton sx={{ textAlign: "left" }} aria-pressed={f.id === chosen?.id}>
                      <Marked
                        name={shownName(f)}
                        pattern={side && ticked[f.id] === undefined ? patterns[side] : ""}
                      />
                    </TextButton>
                    <State file={f}>
                      <TextButton
                        small
                        faded
                        aria-label={`Take ${shownName(f)} away`}
                        onClick={(e) => {
                          e.stopPropagation();
                          take.mutate(f.id);
                        }}
                      >
                        take away
                      </TextButton>
                    </State>
                  </Cell>
                  <Cell align="right">{f.runs.length > 0 && frames(f).toLocaleString("en-GB")}</Cell>
                  <Cell tone={side || undefined} nowrap onClick={(e) => e.stopPropagation()}>
                    {f.runs.some((run) => run.arm) ? (
                      "its own"
                    ) : (
                      <Choice
                        aria-label={`Arm of ${shownName(f)}`}
                        value={f.beside ? BESIDE : side}
                        sx={{
                          minWidth: 104,
                          color: side ? colour[side] : "inherit",
                          "& select": { fieldSizing: "content" },
                        }}
                        onChange={(e) => {
                          const chosen = e.target.value;
                          if ((chosen === BESIDE) !== f.beside)
                            say.mutate({ files: [f.id], beside: chosen === BESIDE });
                          if (chosen !== BESIDE) setTicked({ ...ticked, [f.id]: chosen as Arm });
                        }}
                      >
                        <option value="">no arm</option>
                        <option value="before">{MARK.before} before</option>
                        <option value="after">{MARK.after} after</option>
                        <option value={BESIDE}>beside the runs</option>
                      </Choice>
                    )}
                  </Cell>
                </TableRow>
              );
            })}
          </TableBody>
        </Table>
        {take.error && (
          <Text role="alert" tone="spent">
            {take.error.message}
          </Text>
        )}
        <Sentence>
          Files whose name holds {pattern("before")} are{" "}
          <Text as="b" tone="before">
            before
          </Text>
          , with {pattern("after")}{" "}
          <Text as="b" tone="after">
            after
          </Text>
          . Order of recording:{" "}
          <Choice
            aria-label="Order of recording"
            value={order}
            onChange={(e) => setOrder(e.target.value as Order)}
          >
            {ORDERS.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </Choice>
          .
        </Sentence>
        {order === "unknown" && runs.before > 0 && runs.after > 0 && (
          <Text small tone="faded">
            Where the order is unknown, drift over time cannot be told from the change; the entry says so.
          </Text>
        )}
        {few.map((side) => (
          <Text key={side} small>
            {runs[side]} {runs[side] === 1 ? "run" : "runs"} {side}: five are the recommended least.
          </Text>
        ))}
        <Becoming book={book} files={files} arm={arm} order={order} runs={runs} course={course} />
      </Pile>
      <section aria-label="The file opened">
        {chosen && (
          <h2>
            {shownName(chosen)}{" "}
            {file.data?.sha256 && (
              <Text as="span" aside tone="faded" title={file.data.sha256}>
                SHA-256 {file.data.sha256.slice(0, 12)}…
              </Text>
            )}
          </h2>
        )}
        {file.error && <Failure error={file.error} again={() => file.refetch()} />}
        {chosen?.state === "receiving" && (
          <Text>
            {chosen.received?.toLocaleString("en-GB")} of {chosen.size.toLocaleString("en-GB")} bytes have
            come. Choose the same file again, and it goes on from there.
          </Text>
        )}
        {file.data?.problem && (
          <Text role="alert" tone="spent">
            {file.data.problem.line ? `Line ${file.data.problem.line}: ` : ""}
            {file.data.problem.detail}.
          </Text>
        )}
        {file.data?.look && (
          <>
            <Reading
              key={`${file.data.id} ${file.data.asked.beside} ${file.data.look.columns.map((c) => c.name).join()}`}
              book={book}
              file={{ ...file.data, look: file.data.look }}
              alike={alike}
            />
            {file.data.look.samples && (
              <Text size={13}>
                {file.data.look.samples.count.toLocaleString("en-GB")} readings of{" "}
                {file.data.look.samples.names.join(", ")}, from {file.data.look.samples.from_s.toFixed(2)} to{" "}
                {file.data.look.samples.to_s.toFixed(2)} s: each is laid along the frames that were played
                then.
              </Text>
            )}
            <Becomes
              look={file.data.look}
              tone={arm(chosen as FileLine) || "after"}
              busy={file.data.state === "looking"}
              budget={course.budget}
            />
          </>
        )}
        {chosen?.state === "looking" && !file.data?.look && <Loading what="the file" />}
      </section>
    </Sides>
  );
}

/** A name with what sorts it in bold. */
function Marked({ name, pattern }: { name: string; pattern: string }) {
  const at = pattern ? name.toLowerCase().indexOf(pattern.toLowerCase()) : -1;
  if (at < 0) return name;
  return (
    <>
      {name.slice(0, at)}
      <b>{name.slice(at, at + pattern.length)}</b>
      {name.slice(at + pattern.length)}
    </>
  );
}

/** How a file stands, and what can be done with it. */
function State({ file, children }: { file: FileLine; children: ReactNode }) {
  const said =
    file.state === "receiving"
      ? "cut off on its way"
      : file.state === "looking"
        ? "is looked at"
        : file.problem
          ? "cannot be read so"
          : file.open
            ? `${file.open} to be answered`
            : "";
  return (
    <Line sx={{ fontSize: 12 }}>
      {said && (
        <Text as="span" tone={file.problem ? "spent" : "faded"}>
          {said}
        </Text>
      )}
      {children}
    </Line>
  );
}

/** The runs that the opened file becomes. */
function Becomes({
  look,
  tone,
  busy,
  budget,
}: {
  look: Look;
  tone: "before" | "after";
  busy: boolean;
  budget: number | null;
}) {
  const [first] = look.runs;
  if (!first) return null;
  return (
    <Box sx={{ opacity: busy ? 0.5 : 1, marginTop: 12 }} aria-busy={busy}>
      <Table aria-label="Read so">
        <TableHead>
          <TableRow>
            <Cell>Read so</Cell>
            <Cell align="right">Frames</Cell>
            <Cell align="right">Length</Cell>
            <Cell align="right">Mean</Cell>
            <Cell align="right">Slowest 1 %</Cell>
            <Cell align="right">Left out</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {look.runs.slice(0, 12).map((run) => (
            <TableRow key={`${run.arm} ${run.name}`}>
              <Cell>
                {look.runs.length > 1 ? [run.arm, run.name].filter(Boolean).join(", ") : "this file"}
              </Cell>
              <Cell align="right">{run.frames.toLocaleString("en-GB")}</Cell>
              <Cell align="right">{run.seconds.toFixed(1)} s</Cell>
              <Cell align="right">{run.mean_ms.toFixed(2)} ms</Cell>
              <Cell align="right">{run.slowest_1pct_ms.toFixed(2)} ms</Cell>
              <Cell align="right">{run === first ? `${look.left_out} lines` : ""}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {look.runs.length > 12 && (
        <Text small tone="faded">
          and {look.runs.length - 12} more runs
        </Text>
      )}
      <Box sx={{ marginTop: 10 }}>
        <SmallTrace run={first} budget={budget} tone={tone} />
      </Box>
      {(first.legs.length > 0 || first.lanes.length > 0 || first.counters.length > 0) && (
        <Text small tone="faded">
          {[
            first.lanes.length > 0 && `lanes: ${first.lanes.join(", ")}`,
            first.counters.length > 0 && `counters: ${first.counters.join(", ")}`,
            first.legs.length > 0 && `legs: ${first.legs.slice(0, 8).join(", ")}`,
          ]
            .filter(Boolean)
            .join("; ")}
        </Text>
      )}
    </Box>
  );
}

interface BecomingProps {
  book: string;
  files: readonly FileLine[];
  arm: (file: FileLine) => Arm;
  order: Order;
  runs: Record<Arm, number>;
  course: ReturnType<typeof useCourse>;
}

/** The scenario that the files are of: one of the book, or a new one with its target. */
function useCourse(book: string) {
  const scenarios = useScenarios(book).data ?? [];
  const [scenario, setScenario] = useState("");
  const [target, setTarget] = useState("");
  const known = scenarios.find((s) => s.name === scenario);
  const fps = known ? known.target_fps : Number(target);
  return { scenarios, scenario, setScenario, target, setTarget, known, budget: fps ? 1000 / fps : null };
}

/** What is typed once for all, and the two ways to take them. */
function Becoming({ book, files, arm, order, runs, course }: BecomingProps) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const bring = useBring(book);
  const job = useJob(bring.data);
  const { scenario, target, known } = course;
  const [rig, setRig] = useState("");
  const [title, setTitle] = useState("");
  const [written, setWritten] = useState("");
  const [builds, setBuilds] = useState({ before: "", after: "" });
  const { sheet, wrong } = conditionsOf(written);
  const waiting = files.filter((f) => f.state === "receiving" || f.state === "looking").length;
  const open = files.filter((f) => f.open || f.problem).length;
  const targetWrong = target !== "" && !(Number(target) > 0);
  const lacks = [
    waiting > 0 && `${waiting} files are still on their way`,
    open > 0 && (open === 1 ? "one file is still to be answered" : `${open} files are still to be answered`),
    scenario.trim() === "" && "name the scenario",
    rig.trim() === "" && "name the rig",
    targetWrong && "the target is a number",
    wrong.length > 0 && `“${wrong[0]}” is no condition: key = value`,
  ].filter((one): one is string => Boolean(one));
  const entryLacks = [
    ...lacks,
    ...(["before", "after"] as const).filter((side) => runs[side] === 0).map((side) => `no run is ${side}`),
    ...(title.trim() === "" ? ["give the entry a title"] : []),
  ];
  const going = job !== undefined && job.state !== "failed" && job.state !== "cancelled";
  const send = (own: string) =>
    bring.mutate({
      files: files.map((f) => {
        const side = f.runs.some((run) => run.arm) ? "" : arm(f);
        return { file: f.id, arm: side, build: side ? builds[side] : "" };
      }),
      scenario: scenario.trim(),
      target_fps: known || target === "" ? null : Number(target),
      rig: rig.trim(),
      conditions: sheet,
      order,
      title: own,
    });
  useEffect(() => {
    if (job?.state !== "done") return;
    void client.invalidateQueries({ queryKey: ["book", book] });
    navigate(
      job.result
        ? `/${book}/entries/${job.result.number}`
        : `/${book}/runs?find=${encodeURIComponent(scenario)}`,
    );
  }, [job, book, client, navigate, scenario]);
  return (
    <Sentence>
      Scenario{" "}
      <TextInput
        aria-label="Scenario"
        list="scenarios of the book"
        value={scenario}
        maxLength={160}
        sx={{ width: 150 }}
        onChange={(e) => course.setScenario(e.target.value)}
      />
      <datalist id="scenarios of the book">
        {course.scenarios.map((s) => (
          <option key={s.id} value={s.name} />
        ))}
      </datalist>{" "}
      {known ? (
        <Text as="span" tone="faded">
          {known.target_fps ? `target ${known.target_fps} fps` : "no target rate"}
        </Text>
      ) : (
        <>
          target{" "}
          <TextInput
            aria-label="Target"
            inputMode="decimal"
            value={target}
            sx={{ width: 56 }}
            onChange={(e) => course.setTarget(e.target.value)}
          />{" "}
          fps
        </>
      )}
      <br />
      Rig{" "}
      <TextInput
        aria-label="Rig"
        value={rig}
        maxLength={80}
        sx={{ width: 130 }}
        onChange={(e) => setRig(e.target.value)}
      />
      {(["before", "after"] as const).map(
        (side) =>
          runs[side] > 0 && (
            <span key={side}>
              {" "}
              build {side}{" "}
              <TextInput
                aria-label={`Build ${side}`}
                value={builds[side]}
                maxLength={160}
                sx={{ width: 96 }}
                onChange={(e) => setBuilds({ ...builds, [side]: e.target.value })}
              />
            </span>
          ),
      )}
      <TextInput
        aria-label="Conditions of all files"
        placeholder="conditions of all files, a line each: window = 1600x900"
        lines={2}
        value={written}
        sx={{ width: "100%", marginTop: 8 }}
        onChange={(e) => setWritten(e.target.value)}
      />
      <TextInput
        aria-label="Title of the entry"
        placeholder="title of the entry: what changed"
        value={title}
        maxLength={200}
        sx={{ width: "100%", margin: "8px 0" }}
        onChange={(e) => setTitle(e.target.value)}
      />
      {job && job.state !== "done" ? (
        <JobProgress job={job} what="Bringing in" ended="what was made of the files stays" />
      ) : (
        <Line>
          <Button
            variant="contained"
            disabled={entryLacks.length > 0 || bring.isPending || going}
            onClick={() => send(title.trim())}
          >
            Write into a new entry
          </Button>
          <Button disabled={lacks.length > 0 || bring.isPending || going} onClick={() => send("")}>
            Keep as runs
          </Button>
        </Line>
      )}
      {entryLacks.length > 0 && (
        <Text small role="status" tone="faded">
          {entryLacks[0]}
        </Text>
      )}
      {bring.error && (
        <Text role="alert" tone="spent">
          {bring.error.message}
        </Text>
      )}
    </Sentence>
  );
}
