import type { Look } from "../../api/files";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text } from "../../kit";
import { SmallTrace } from "./SmallTrace";

/** The work that the opened file holds: how much, of what, and where it belongs. */
export function WorkSeen({ work }: { work: NonNullable<Look["work"]> }) {
  const samples = work.by === "samples";
  return (
    <Text size={13}>
      {work.count.toLocaleString("en-GB")} {samples ? "samples" : "pieces"} of {work.parts}{" "}
      {work.parts === 1 ? "part" : "parts"}
      {work.lanes.length > 0 && ` on ${work.lanes.join(", ")}`}
      {work.from_s != null &&
        work.to_s != null &&
        `, from ${work.from_s.toFixed(2)} to ${work.to_s.toFixed(2)} s`}
      {": "}
      {samples
        ? "they know no frames, and become shares of the whole run with their counting error"
        : "each lies in the frame in which it began"}
      . Largest: {work.names.slice(0, 4).join("; ")}.
    </Text>
  );
}

/** The runs that the opened file becomes. */
export function Becomes({
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
