import { styled } from "@mui/material/styles";
import { useState } from "react";
import type { BroughtFile, Look } from "../../api/files";
import { useSaveReading, useSayReading } from "../../api/files";
import { Box, Choice, colour, Line, Text, TextButton, TextInput, Tick } from "../../kit";
import { serif } from "../../kit/theme";
import {
  type Found,
  type Holds,
  isTimed,
  KINDS,
  missing,
  proposed,
  ROLES,
  readingOf,
  type Said,
  UNITS,
} from "./saying";

const Lines = styled("pre")({
  font: "12.5px / 1.45 ui-monospace, monospace",
  background: colour.paper,
  border: `1px solid ${colour.rule}`,
  padding: "8px 11px",
  margin: "8px 0 14px",
  overflowX: "auto",
});

/** A reading is a sentence, with choosers for its words. */
const Told = styled("p")({
  font: `400 17px / 2 ${serif}`,
  margin: "0 0 6px",
  "& .MuiInputBase-root": { verticalAlign: "baseline", fontSize: 15, maxWidth: "100%" },
  // As wide as what is chosen, where the browser can.
  "& select": { fieldSizing: "content" },
  "& [data-open]": { borderBottom: `2px dotted ${colour.ink}` },
});

/** What parts the names of a part's path, outermost first. */
const PARTINGS = [
  ["", "parted by nothing: time or ids say what lies in what"],
  ["/", "parted by /"],
  [";", "parted by ;"],
  [" > ", "parted by >"],
  ["|", "parted by |"],
] as const;

/** Why a column is what somebody said. */
const SAID = "it is said so";

interface Props {
  book: string;
  file: BroughtFile & { look: Look };
  /** Files with the same columns: what is said of this one is said of them. */
  alike: readonly string[];
}

/** The file's first lines as they are, and under them what each column is, to be agreed or said otherwise. */
export function Reading({ book, file, alike }: Props) {
  const { look } = file;
  const [said, setSaid] = useState<Said[]>(() => proposed(look));
  const [valid, setValid] = useState(file.asked.keep_valid ?? false);
  const say = useSayReading(book);
  const [parting, setParting] = useState(look.parted_by);
  const found: Found = { ...look, parted_by: parting };
  const { holds } = look;
  const left = missing(said, holds);
  const send = (columns: Said[], keepValid = valid, parted = parting) => {
    if (missing(columns, holds).length > 0) return;
    const reading = readingOf(columns, { ...found, parted_by: parted });
    say.mutate({ files: [...alike], reading, keep_valid: keepValid, holds });
  };
  /** Another way to find the rows: its columns are others, and are proposed anew. */
  const findRows = (how: { pattern: string; rows: string }) =>
    say.mutate({ files: [file.id], holds, keep_valid: valid, ...how });
  const change = (i: number, values: Partial<Said>) => {
    const next = said.map((c, k) => (k === i ? { ...c, ...values } : c));
    setSaid(next);
    send(next);
  };
  const reasons = look.columns.filter((c) => c.why && c.is !== "left out" && c.why !== SAID);
  return (
    <>
      <Lines aria-label="First lines of the file">
        {look.first_lines.join("\n")}
        {look.made.length > 0 && (
          <Text as="span" tone="faded">
            {`\n… ${look.made.join(", ")}`}
          </Text>
        )}
      </Lines>
      {look.stream && <Text>A stream of vigilant-frames: it says itself what its columns are.</Text>}
      {said.length > 0 && (
        <Told aria-label="Reading">
          {said.map((c, i) => (
            <Column
              key={c.name}
              said={c}
              first={i === 0}
              last={i === said.length - 1}
              holds={holds}
              change={(values) => change(i, values)}
            />
          ))}
          {holds === "work" && said.some((c) => c.is === "part") && (
            <>
              Names are{" "}
              <Choice
                aria-label="What names are parted by"
                value={parting}
                onChange={(e) => {
                  setParting(e.target.value);
                  send(said, valid, e.target.value);
                }}
              >
                {PARTINGS.map(([mark, words]) => (
                  <option key={mark} value={mark}>
                    {words}
                  </option>
                ))}
              </Choice>
              .
            </>
          )}
        </Told>
      )}
      {holds === "work" && !look.stream && <Rows asked={look} find={findRows} />}
      {look.said && <Text small>{`${look.said[0]?.toUpperCase()}${look.said.slice(1)}.`}</Text>}
      {look.doubt && <Text small>{look.doubt}.</Text>}
      {reasons.length > 0 && (
        <Text small tone="faded" sx={{ margin: "4px 0 8px" }}>
          <b>Why so:</b>{" "}
          {reasons.map((c) => `${c.name}: ${c.why}${c.doubt ? `, but ${c.doubt}` : ""}`).join("; ")}.
        </Text>
      )}
      {alike.length > 1 && (
        <Text small tone="faded">
          What is said here is said of all {alike.length} files with these columns.
        </Text>
      )}
      {(look.problem || look.left_out > 0 || valid) && (
        <Box sx={{ margin: "8px 0" }}>
          {look.problem && (
            <Text role="alert" tone="spent">
              {look.problem.line ? `Line ${look.problem.line}: ` : ""}
              {look.problem.detail}.
            </Text>
          )}
          <Tick
            label={`Leave lines out that cannot count${look.left_out ? `: ${look.left_out}, as ${look.left_lines[0]}` : ""}`}
            checked={valid}
            onChange={(e) => {
              setValid(e.target.checked);
              send(said, e.target.checked);
            }}
          />
        </Box>
      )}
      {say.error && (
        <Text role="alert" tone="spent">
          {say.error.message}
        </Text>
      )}
      {said.length > 0 && left.length === 0 && (
        <Saving book={book} said={said} found={found} known={look.recognised} />
      )}
      {left.length > 0 && (
        <Text small role="status">
          Still to be said: {left.join("; ")}.
        </Text>
      )}
    </>
  );
}

function Column({
  said,
  first,
  last,
  holds,
  change,
}: {
  said: Said;
  first: boolean;
  last: boolean;
  holds: Holds;
  change: (values: Partial<Said>) => void;
}) {
  const roles = ROLES[said.is];
  const openRole = roles !== undefined && said.role === "";
  return (
    <>
      <span {...((said.is === "" || openRole) && { "data-open": true })}>
        {first ? "Column" : "column"} <i>{said.name}</i> is
      </span>{" "}
      <Choice
        aria-label={`What ${said.name} is`}
        value={said.is}
        onChange={(e) => {
          const is = e.target.value as Said["is"];
          const role = ROLES[is]?.includes(said.role) ? said.role : "";
          change({ is, role, unit: isTimed(is) ? said.unit || "ms" : said.unit });
        }}
      >
        {said.is === "" && <option value="">choose what</option>}
        {KINDS[holds].map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
      </Choice>
      {roles && (
        <>
          {said.is === "lane" ? " of " : ", numbered "}
          <Choice
            aria-label={`Role of ${said.name}`}
            value={said.role}
            onChange={(e) => change({ role: e.target.value })}
          >
            {said.role === "" && <option value="">choose which</option>}
            {roles.map((role) => (
              <option key={role} value={role}>
                {role}
              </option>
            ))}
          </Choice>
        </>
      )}
      {isTimed(said.is) && (
        <>
          {" in "}
          <Choice
            aria-label={`Unit of ${said.name}`}
            value={said.unit || "ms"}
            onChange={(e) => change({ unit: e.target.value })}
          >
            {UNITS.map(([unit, words]) => (
              <option key={unit} value={unit}>
                {words}
              </option>
            ))}
          </Choice>
        </>
      )}
      {last ? ". " : "; "}
    </>
  );
}

/** Where the rows of such a file stand, where its own making does not say it: in lines of a pattern, or under a key. */
export function Rows({
  asked,
  find,
}: {
  asked: { pattern?: string; rows?: string };
  find: (how: { pattern: string; rows: string }) => void;
}) {
  const was = { pattern: asked.pattern ?? "", rows: asked.rows ?? "" };
  const [pattern, setPattern] = useState(was.pattern);
  const [rows, setRows] = useState(was.rows);
  return (
    <Line sx={{ fontSize: 13, margin: "2px 0 8px" }}>
      <span>lines by a pattern</span>
      <TextInput
        aria-label="Pattern of the lines"
        placeholder="\[(?P<at_s>[0-9.]+)\] (?P<part>\w+) took (?P<took_ms>[0-9.]+)"
        value={pattern}
        maxLength={1000}
        sx={{ flex: "1 1 330px", "& input": { fontFamily: "ui-monospace, monospace", fontSize: 12 } }}
        onChange={(e) => setPattern(e.target.value)}
      />
      <span>or rows under</span>
      <TextInput
        aria-label="Key of the rows"
        placeholder="trace.events"
        value={rows}
        maxLength={100}
        sx={{ width: 110 }}
        onChange={(e) => setRows(e.target.value)}
      />
      <TextButton
        small
        disabled={pattern === was.pattern && rows === was.rows}
        onClick={() => find({ pattern, rows })}
      >
        read so
      </TextButton>
    </Line>
  );
}

/** The reading under a name, by which files of these columns are known from then on. */
function Saving({
  book,
  said,
  found,
  known,
}: {
  book: string;
  said: readonly Said[];
  found: Found;
  known: string;
}) {
  const [name, setName] = useState(known);
  const save = useSaveReading(book);
  return (
    <Line sx={{ fontSize: 13 }}>
      {known && <Text as="span">Known as {known}.</Text>}
      <span>save this reading as</span>
      <TextInput
        aria-label="Name of the reading"
        value={name}
        maxLength={100}
        sx={{ width: 150 }}
        onChange={(e) => setName(e.target.value)}
      />
      <TextButton
        small
        disabled={!name.trim() || save.isPending}
        onClick={() => save.mutate(readingOf(said, found, name.trim()))}
      >
        save it
      </TextButton>
      {save.isSuccess && (
        <Text as="span" role="status">
          Saved.
        </Text>
      )}
      {save.error && (
        <Text as="span" role="alert" tone="spent">
          {save.error.message}
        </Text>
      )}
    </Line>
  );
}
