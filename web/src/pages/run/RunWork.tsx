import { useRunWork } from "../../api/runWork";
import { Failure } from "../../app/states";
import { Word } from "../../figures/Word";
import { Box, Cell, colour, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";

const amount = (ms: number) => ms.toFixed(ms < 0.1 ? 3 : 2);
const percent = (share: number | null) =>
  share === null ? "" : `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;

/** Where the time of the stretch in view goes: its lanes and its parts; nothing where the run reports neither. */
export function RunWork({ run, start, stop }: { run: string; start: number; stop: number }) {
  const query = useRunWork(run, start, stop);
  if (query.error) return <Failure error={query.error} again={() => query.refetch()} />;
  const work = query.data;
  if (!work || (work.lanes.length === 0 && work.parts.length === 0)) return null;
  const lanes = [
    ...new Set([...work.lanes.map((lane) => lane.name), ...work.parts.map((part) => part.lane)]),
  ];
  return (
    <Box component="section" aria-label="Work of the stretch" sx={{ marginTop: 18 }}>
      <h2>
        <Word of="part">Work</Word>
        <Text as="span" tone="faded" aside>
          ms a frame, of the {work.frames.toLocaleString("en-GB")} frames in view that count
        </Text>
      </h2>
      <p>
        {work.sentence} {work.headroom && `${work.headroom}.`}
      </p>
      {work.notes.map((note) => (
        <Text key={note} tone="faded" size={13}>
          {note}
        </Text>
      ))}
      <Wide aria-label="Lanes and parts">
        <Table aria-label="Work of the stretch" sx={{ maxWidth: 860, "& td": { whiteSpace: "nowrap" } }}>
          <TableHead>
            <TableRow>
              <Cell>Lane and part</Cell>
              <Cell align="right">ms a frame</Cell>
              <Cell align="right">Of its lane</Cell>
              <Cell align="right">In frames</Cell>
              <Cell align="right">Calls a frame</Cell>
              <Cell align="right">µs a call</Cell>
            </TableRow>
          </TableHead>
          {lanes.map((name) => {
            const lane = work.lanes.find((one) => one.name === name);
            return (
              <TableBody key={name}>
                <TableRow sx={{ "& td": { borderTop: `1px solid ${colour.ink}`, fontWeight: 600 } }}>
                  <Cell>
                    {name || "the frame"}{" "}
                    <Text as="span" small tone="faded" sx={{ fontWeight: 400 }}>
                      {lane?.role}
                    </Text>
                  </Cell>
                  <Cell align="right">{lane ? (lane.ms === null ? "missing" : amount(lane.ms)) : ""}</Cell>
                  <Cell colSpan={4} />
                </TableRow>
                {work.parts
                  .filter((part) => part.lane === name)
                  .map((part) => (
                    <TableRow key={`${part.path.join("/")} ${part.kind}`}>
                      <Cell {...(part.kind === "rest" && { tone: "faded" as const })}>
                        <Box component="span" sx={{ paddingLeft: `${16 * (part.depth + 1)}px` }}>
                          {part.name}
                        </Box>
                      </Cell>
                      <Cell align="right">{amount(part.ms)}</Cell>
                      <Cell align="right">{percent(part.share)}</Cell>
                      <Cell align="right">{part.kind === "rest" ? "" : percent(part.present)}</Cell>
                      <Cell align="right">{part.calls ? part.calls.toFixed(2) : ""}</Cell>
                      <Cell align="right">{part.us_a_call === null ? "" : part.us_a_call.toFixed(1)}</Cell>
                    </TableRow>
                  ))}
              </TableBody>
            );
          })}
          <TableBody>
            <TableRow sx={{ "& td": { borderTop: `3px double ${colour.ink}`, fontWeight: 600 } }}>
              <Cell>The frame</Cell>
              <Cell align="right">{amount(work.frame_ms)}</Cell>
              <Cell colSpan={4} />
            </TableRow>
          </TableBody>
        </Table>
      </Wide>
    </Box>
  );
}
