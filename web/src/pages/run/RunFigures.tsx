import { useState } from "react";
import type { Row } from "../../api/client";
import { Explained } from "../../figures/Explained";
import { Box, Cell, Facts, Table, TableBody, TableHead, TableRow, Text, TextButton } from "../../kit";

const SHORT = 9;

/** The figures of the whole run and, beside them where there is one, of the stretch in view. */
export function RunFigures({ whole, seen }: { whole: readonly Row[]; seen?: readonly Row[] }) {
  const [all, setAll] = useState(false);
  const stretch = new Map(seen?.map((row) => [row.name, row]));
  const rows = all ? whole : whole.slice(0, SHORT);
  return (
    <>
      <Table size="small" aria-label="Figures of the run">
        <TableHead>
          <TableRow>
            <Cell>Figure</Cell>
            <Cell align="right" colSpan={2}>
              The whole run
            </Cell>
            {seen && (
              <Cell align="right" colSpan={2}>
                The stretch in view
              </Cell>
            )}
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row) => {
            const inStretch = stretch.get(row.name);
            return (
              <TableRow key={row.name}>
                <Cell>
                  <Explained definition={row.definition}>{row.label}</Explained>
                </Cell>
                <Cell align="right" nowrap>
                  {row.value}{" "}
                  <Text as="span" tone="faded">
                    {row.unit}
                  </Text>
                </Cell>
                <Cell align="right" tone="faded" small>
                  {row.note}
                </Cell>
                {seen && (
                  <>
                    <Cell align="right" nowrap>
                      {inStretch?.value}{" "}
                      <Text as="span" tone="faded">
                        {inStretch?.unit}
                      </Text>
                    </Cell>
                    <Cell align="right" tone="faded" small>
                      {inStretch?.note}
                    </Cell>
                  </>
                )}
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
      {whole.length > SHORT && (
        <TextButton small faded onClick={() => setAll(!all)}>
          {all ? "fewer figures" : "all figures"}
        </TextButton>
      )}
    </>
  );
}

export const FactList = ({ facts }: { facts: Record<string, string> }) => (
  <Facts>
    {Object.entries(facts).map(([key, value]) => (
      <Box key={key} sx={{ display: "contents" }}>
        <dt>{key}</dt>
        <dd>{value}</dd>
      </Box>
    ))}
  </Facts>
);
