import { useParams } from "react-router";
import { useCores } from "../../api/vary";
import { LevelChart } from "../../charts/LevelChart";
import { Word } from "../../figures/Word";
import { Cell, Sentence, Table, TableBody, TableHead, TableRow, Text, Wide } from "../../kit";
import { AccountPage } from "./AccountPage";

/** What the machine did meanwhile, where it could be read. */
const MEASURED = [
  ["clock_mhz", "Clock, MHz", 0],
  ["power_w", "Power, W", 1],
] as const;

/** What more cores bring: how many times as fast, how much of each core's worth, and what stays serial. */
export default function CoresPage() {
  const { id = "" } = useParams();
  return (
    <AccountPage
      query={useCores(id)}
      title="Cores"
      figures={(found) => found.figures}
      head={(_, figure) => (
        <>
          <Word of="scaling">Cores</Word>: {figure.points.length} numbers of them,{" "}
          {figure.points.reduce((sum, point) => sum + point.runs.length, 0)} runs
        </>
      )}
      notes={(found, figure) => [...figure.notes, ...found.notes]}
    >
      {(_, figure) => (
        <>
          <Sentence>{figure.sentence}</Sentence>
          <p>{figure.law}</p>
          {figure.chain && <p>{figure.chain}</p>}
          <Wide aria-label="Cores">
            <Table aria-label="Cores" sx={{ maxWidth: figure.chain ? 980 : 760 }}>
              <TableHead>
                <TableRow>
                  <Cell align="right">Cores</Cell>
                  <Cell align="right">{figure.name}, ms</Cell>
                  <Cell align="right">Times as fast, 95 % interval</Cell>
                  <Cell align="right">Of each core's worth</Cell>
                  <Cell align="right">Core-ms a frame</Cell>
                  {MEASURED.map(
                    ([key, name]) =>
                      figure.rows.some((row) => row[key] !== null) && (
                        <Cell key={key} align="right">
                          {name}
                        </Cell>
                      ),
                  )}
                  {figure.chain && <Cell>Against any order of the work</Cell>}
                </TableRow>
              </TableHead>
              <TableBody>
                {figure.rows.map((row) => (
                  <TableRow key={row.cores}>
                    <Cell align="right">{row.cores}</Cell>
                    <Cell align="right">{row.ms.toFixed(3)}</Cell>
                    <Cell align="right">{row.said}</Cell>
                    <Cell align="right">{row.efficiency}</Cell>
                    <Cell align="right" tone="faded">
                      {row.core_ms === null ? "not sampled" : row.core_ms.toFixed(2)}
                    </Cell>
                    {MEASURED.map(
                      ([key, , digits]) =>
                        figure.rows.some((one) => one[key] !== null) && (
                          <Cell key={key} align="right" tone="faded">
                            {row[key]?.toFixed(digits) ?? "not read"}
                          </Cell>
                        ),
                    )}
                    {figure.chain && <Cell>{row.schedule}</Cell>}
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          </Wide>
          <LevelChart
            label={`${figure.name} over the number of cores, in ms. ${figure.sentence}`}
            arms={[{ name: "", levels: figure.points }]}
            name="cores"
            budget={null}
          />
          <Text small tone="faded">
            Nothing is said of more cores than were recorded.
          </Text>
        </>
      )}
    </AccountPage>
  );
}
