import { useState } from "react";
import type { Entry } from "../../api/client";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text, TextButton } from "../../kit";

/** The conditions of both arms side by side: what differs first, the rest on demand. */
export function Sheets({ entry }: { entry: Entry }) {
  const [all, setAll] = useState(false);
  const differing = entry.sheets.filter((row) => row.differs);
  const shown = all ? entry.sheets : differing;
  if (entry.sheets.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 16 }}>
      <Box sx={{ display: "flex", gap: 14, alignItems: "baseline" }}>
        <h2>Conditions of both arms</h2>
        <Text as="span" tone="faded" sx={{ fontSize: 13 }}>
          {differing.length === 0
            ? `all ${entry.sheets.length} alike`
            : `${differing.length} of ${entry.sheets.length} differ`}
        </Text>
        <TextButton small faded onClick={() => setAll(!all)}>
          {all ? "only what differs" : "show all"}
        </TextButton>
      </Box>
      {shown.length > 0 && (
        <Table size="small" aria-label="Conditions" sx={{ marginTop: 6 }}>
          <TableHead>
            <TableRow>
              <Cell>Condition</Cell>
              <Cell tone="before">Before</Cell>
              <Cell tone="after">After</Cell>
              <Cell>Rule</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.map((row) => (
              <TableRow key={row.key}>
                <Cell>{row.key}</Cell>
                <Cell>{row.before}</Cell>
                <Cell>{row.differs ? <b>{row.after}</b> : row.after}</Cell>
                <Cell tone={row.differs && row.rule === "must match" ? "spent" : "faded"}>{row.rule}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Box>
  );
}
