import { useRunParts } from "../../api/queries";
import { useRunWork } from "../../api/runWork";
import { Box, Cell, Table, TableBody, TableHead, TableRow, Text } from "../../kit";

const MOST = 8;

/** The parts that took most of a run that has them in all alone; counted in samples they have their error. Those that stand
    a frame at a time are in the work of the stretch. */
export function PartTotals({ run, start, stop }: { run: string; start: number; stop: number }) {
  const parts = useRunParts(run).data?.parts ?? [];
  const work = useRunWork(run, start, stop);
  if (parts.length === 0 || work.isPending || (work.data?.parts.length ?? 0) > 0) return null;
  const largest = [...parts].sort((a, b) => b.ms - a.ms).slice(0, MOST);
  return (
    <Box sx={{ gridColumn: "1 / -1" }}>
      <h2>Parts of the work</h2>
      <Table aria-label="Parts of the work">
        <TableHead>
          <TableRow>
            <Cell>Part</Cell>
            <Cell align="right">In all, s</Cell>
            <Cell align="right">Calls</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {largest.map((part) => (
            <TableRow key={`${part.lane} ${part.path.join("/")}`}>
              <Cell>
                {part.path.join(" › ")}
                {part.lane && (
                  <Text as="span" tone="faded">
                    {" "}
                    on {part.lane}
                  </Text>
                )}
              </Cell>
              <Cell align="right">
                {(part.ms / 1000).toFixed(3)}
                {part.error_ms != null && ` ± ${(part.error_ms / 1000).toFixed(3)}`}
              </Cell>
              <Cell align="right">{part.calls > 0 ? part.calls.toLocaleString("en-GB") : "in samples"}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Text small tone="faded">
        {[
          parts.length > MOST && `and ${parts.length - MOST} more`,
          largest.some((part) => part.error_ms != null) &&
            "± the standard error of what was counted in samples",
        ]
          .filter(Boolean)
          .join("; ")}
      </Text>
    </Box>
  );
}
