import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text, Wide } from "../kit";

const chance = (share: number) =>
  share > 0.995 ? "over 99" : share < 0.005 ? "under 1" : (100 * share).toFixed(0);

interface Props {
  title: string;
  /** With `wanted` where runs for a change of one's own were asked for. */
  rows: readonly (Schemas["Outlook"] & { wanted_said?: string })[];
  /** The change asked for, in words. */
  wanted?: string;
  children?: ReactNode;
}

/** The planner: what runs of this spread would see, and how likely they are to show that nothing changed. */
export function Outlook({ title, rows, wanted, children }: Props) {
  const counts = rows[0]?.runs ?? [];
  if (rows.length === 0) return null;
  return (
    <Box component="section" sx={{ marginTop: 16 }}>
      <h2>{title}</h2>
      {children}
      <Wide aria-label={title}>
        <Table size="small" aria-label={title} sx={{ marginTop: 6 }}>
          <TableHead>
            <TableRow>
              <Cell sx={{ minWidth: 150 }}>Smallest visible change</Cell>
              <Cell align="right">Runs differ by</Cell>
              {counts.map((k) => (
                <Cell key={k} align="right">
                  {k} runs an arm
                </Cell>
              ))}
              <Cell align="right">Margin</Cell>
              <Cell align="right">Runs for it</Cell>
              {wanted && <Cell align="right">Runs for {wanted}</Cell>}
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((row) => (
              <TableRow key={row.figure}>
                <Cell>{row.label}</Cell>
                <Cell align="right" nowrap={!wanted}>
                  {row.spread}
                </Cell>
                {row.visible.map((size, i) => (
                  <Cell key={counts[i]} align="right" nowrap>
                    {size}
                    <Text as="span" tone="faded" small>
                      {" "}
                      · {chance(row.chance[i] ?? 0)} %
                    </Text>
                  </Cell>
                ))}
                <Cell align="right" nowrap>
                  {row.margin}
                </Cell>
                <Cell align="right">{row.needed_said}</Cell>
                {wanted && <Cell align="right">{row.wanted_said}</Cell>}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Wide>
      <Text small tone="faded" sx={{ marginTop: 6 }}>
        Each cell: the change that so many runs an arm show with 80 % power; behind the dot, how likely they
        are to lie inside the margin if nothing changed. No material change needs that of every row.
      </Text>
    </Box>
  );
}
