import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { type DragEvent, type ReactNode, useMemo, useRef, useState } from "react";
import { useParams } from "react-router";
import {
  type Chosen,
  type FileLine,
  useFile,
  useFiles,
  useSayReading,
  useSend,
  useTakeAway,
} from "../../api/files";
import { useTitle } from "../../app/head";
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
import { Becomes, WorkSeen } from "./Becomes";
import { Becoming, useCourse } from "./Becoming";
import { dropped } from "./dropped";
import { Reading, Rows } from "./Reading";
import { Sentence } from "./Sentence";
import { type Arm, armOf, guessOrder, guessPatterns, type Order, type Patterns, shownName } from "./sorting";

const Sides = styled("div")(({ theme }) => ({
  display: "grid",
  gridTemplateColumns: "minmax(0, 340px) minmax(0, 1fr)",
  gap: 28,
  marginTop: 14,
  [theme.breakpoints.down("md")]: { gridTemplateColumns: "minmax(0, 1fr)" },
}));

// Every attribute passes: that a folder is chosen is one that few know.
const Picked = styled("input", { shouldForwardProp: () => true })({ display: "none" });

/** Not an arm: readings at a rate of their own, laid along the runs by time. */
/** What lies beside the runs, by what the file holds. */
const BESIDE = { readings: "beside the runs", work: "work in the frames" } as const;
const isBeside = (value: string): value is keyof typeof BESIDE => value in BESIDE;
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
  const played = files.filter((f) => f.holds === "runs");
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
      .filter((f) => f.state !== "receiving" && f.holds === chosen?.holds)
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
                        value={isBeside(f.holds) ? f.holds : side}
                        sx={{
                          minWidth: 104,
                          color: side ? colour[side] : "inherit",
                          "& select": { fieldSizing: "content" },
                        }}
                        onChange={(e) => {
                          const chosen = e.target.value;
                          const holds = isBeside(chosen) ? chosen : "runs";
                          if (holds !== f.holds) say.mutate({ files: [f.id], holds });
                          if (holds === "runs") setTicked({ ...ticked, [f.id]: chosen as Arm });
                        }}
                      >
                        <option value="">no arm</option>
                        <option value="before">{MARK.before} before</option>
                        <option value="after">{MARK.after} after</option>
                        {Object.entries(BESIDE).map(([holds, words]) => (
                          <option key={holds} value={holds}>
                            {words}
                          </option>
                        ))}
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
        {chosen?.holds === "work" && file.data && !file.data.look && chosen.state === "refused" && (
          <Rows
            asked={file.data.asked}
            find={(how) => say.mutate({ files: [chosen.id], holds: "work", ...how })}
          />
        )}
        {file.data?.look && (
          <>
            <Reading
              key={`${file.data.id} ${file.data.look.holds} ${file.data.look.columns.map((c) => c.name).join()}`}
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
            {file.data.look.work && <WorkSeen work={file.data.look.work} />}
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
