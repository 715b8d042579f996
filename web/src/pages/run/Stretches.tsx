import { useState } from "react";
import type { Run } from "../../api/client";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text, TextButton } from "../../kit";

/** Figures of the legs that a page has room for. */
const OF_LEGS = ["mean_ms", "p99_ms", "worst_ms", "late_share", "stutters_per_min"];

/** The legs of the run, each with its figures; its name shows it alone. */
export function LegTable({ run, show }: { run: Run; show: (from: number, to: number) => void }) {
  if (run.leg_rows.length === 0) return null;
  const names = OF_LEGS.filter((name) => run.leg_rows.some((leg) => leg.rows.some((r) => r.name === name)));
  const label = (name: string) => {
    const row = run.leg_rows.flatMap((leg) => leg.rows).find((r) => r.name === name);
    return row ? [row.label, row.unit] : ["", ""];
  };
  const stretch = (name: string) => {
    const at = run.legs.findIndex((leg) => leg.name === name);
    show(run.legs[at]?.index ?? 0, run.legs[at + 1]?.index ?? run.frames ?? 0);
  };
  return (
    <Box component="section" sx={{ marginTop: 14 }}>
      <h2>Legs</h2>
      <Table size="small" aria-label="Legs of the run">
        <TableHead>
          <TableRow>
            <Cell>Leg</Cell>
            {names.map((name) => (
              <Cell key={name} align="right">
                {label(name)[0]}
                <br />
                {label(name)[1] || "\u00a0"}
              </Cell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {run.leg_rows.map((leg) => (
            <TableRow key={leg.leg}>
              <Cell>
                <TextButton onClick={() => stretch(leg.leg)}>{leg.leg}</TextButton>
              </Cell>
              {names.map((name) => (
                <Cell key={name} align="right" nowrap>
                  {leg.rows.find((r) => r.name === name)?.value}
                </Cell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

const SHORT = 8;

/** The stutters of the run, the largest first; each shows its frame. */
export function StutterList({ run, show }: { run: Run; show: (frame: number) => void }) {
  const [all, setAll] = useState(false);
  const sorted = [...run.stutters].sort((a, b) => b.size_ms - a.size_ms);
  if (sorted.length === 0) return null;
  const leg = (frame: number) => run.legs.findLast((l) => l.index <= frame)?.name ?? "";
  return (
    <Box component="section" sx={{ marginTop: 14 }}>
      <h2>Stutters</h2>
      <Table size="small" aria-label="Stutters of the run">
        <TableHead>
          <TableRow>
            <Cell>Frame</Cell>
            <Cell>Leg</Cell>
            <Cell align="right">Over its neighbours, ms</Cell>
            <Cell align="right">Longest frame, ms</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {(all ? sorted : sorted.slice(0, SHORT)).map((s) => (
            <TableRow key={s.worst}>
              <Cell>
                <TextButton onClick={() => show(s.worst)}>{s.worst.toLocaleString("en-GB")}</TextButton>
              </Cell>
              <Cell>{leg(s.worst)}</Cell>
              <Cell align="right">{s.size_ms.toFixed(1)}</Cell>
              <Cell align="right">{s.longest_ms.toFixed(1)}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {sorted.length > SHORT && (
        <TextButton small faded onClick={() => setAll(!all)}>
          {all ? "the largest alone" : `all ${sorted.length}`}
        </TextButton>
      )}
      {sorted.length === 200 && (
        <Text small tone="faded">
          The largest 200 are listed.
        </Text>
      )}
    </Box>
  );
}
