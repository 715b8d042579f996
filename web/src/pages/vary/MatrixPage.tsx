import { Link, useParams } from "react-router";
import { type MatrixFigure, useMatrix, usePlanCell } from "../../api/vary";
import { useMay } from "../../app/role";
import { Refused } from "../../app/states";
import { ChartTools } from "../../charts/copy";
import { commonReach, IntervalStrip, type Strip } from "../../charts/IntervalStrip";
import { Word } from "../../figures/Word";
import {
  Box,
  Cell,
  colour,
  Sentence,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
  Wide,
} from "../../kit";
import { AccountPage } from "./AccountPage";

type One = MatrixFigure["cells"][number];

/** A change of a fiftieth is the band that all cells are held against. */
const MARGIN = 0.02;

const stripOf = (cell: One): Strip => ({
  difference: cell.share ?? 0,
  ci_low: cell.low,
  ci_high: cell.high,
  margin_low: -MARGIN,
  margin_high: MARGIN,
});

interface CellProps {
  /** Plan it once more, where that may be done. */
  again: (() => void) | null;
  cell: One | undefined;
  reach: ReturnType<typeof commonReach>;
  named: string;
}

/** A cell: its change with its interval; one that is missing, void or held says so in its place. */
function MatrixCell({ cell, reach, named, again }: CellProps) {
  const { book = "" } = useParams();
  if (!cell) return <Cell tone="faded">no such cell</Cell>;
  const said = cell.why ? (
    <Text as="span" small tone="faded">
      {cell.why}
    </Text>
  ) : (
    <>
      <Box component="span" sx={{ fontWeight: cell.called ? 600 : 400 }}>
        {cell.called ? cell.said : `(${cell.said})`}
      </Box>
      {cell.tied && (
        <Text as="span" small tone="faded">
          {" "}
          the worst, or not told from it
        </Text>
      )}
    </>
  );
  return (
    <Cell sx={{ background: cell.why ? colour.paper : "none", minWidth: 170 }}>
      {cell.recording ? <Link to={`/${book}/bench/${cell.recording}`}>{said}</Link> : said}
      {cell.low !== null && (
        <div>
          <IntervalStrip strip={stripOf(cell)} reach={reach} width={150} said={named} />
        </div>
      )}
      {again && cell.why && (
        <div>
          <TextButton small onClick={again} aria-label={`record ${named} again`}>
            record it again
          </TextButton>
        </div>
      )}
    </Cell>
  );
}

/** What a cell's recording has come to, where another can be planned. */
const OVER = new Set(["finished", "refused"]);

const nameOf = (cell: Pick<One, "window" | "tier" | "rig">) =>
  [cell.window, cell.tier, cell.rig].filter(Boolean).join(", ");

const tableOf = (figure: MatrixFigure) => ({
  head: ["window", "tier", "rig", "change", "low", "high", "called", "why not"],
  rows: figure.cells.map((c) => [
    c.window,
    c.tier,
    c.rig,
    c.share,
    c.low,
    c.high,
    c.called ? "yes" : "no",
    c.why,
  ]),
});

/** One change over window sizes, tiers and rigs: the sheet with every cell, the worst of them, and whether they say one thing. */
export default function MatrixPage() {
  const { id = "" } = useParams();
  const may = useMay();
  const plan = usePlanCell(id);
  return (
    <AccountPage
      query={useMatrix(id)}
      title="Matrix"
      figures={(found) => found.figures}
      head={(found) => (
        <>
          <Word of="matrix">Matrix</Word>: {found.windows.length} × {found.tiers.length} × {found.rigs.length}{" "}
          cells, windows by tiers by rigs
        </>
      )}
      notes={(_, figure) => figure.notes}
    >
      {(found, figure) => {
        const reach = commonReach(
          figure.cells
            .filter((c) => c.low !== null)
            .map((c) => ({ strip: stripOf(c), higherIsBetter: false })),
          60,
        );
        const at = (window: string, tier: string, rig: string) =>
          figure.cells.find((c) => c.window === window && c.tier === tier && c.rig === rig);
        return (
          <>
            <Sentence>{figure.sentence}</Sentence>
            {figure.worst && <p>{figure.worst}</p>}
            <Wide aria-label="The matrix">
              <Table aria-label="Matrix">
                <TableHead>
                  <TableRow>
                    <Cell>Rig</Cell>
                    <Cell>Tier</Cell>
                    {found.windows.map((window) => (
                      <Cell key={window}>{window || "every window"}</Cell>
                    ))}
                  </TableRow>
                </TableHead>
                <TableBody>
                  {found.rigs.flatMap((rig, r) =>
                    found.tiers.map((tier, t) => (
                      <TableRow
                        key={`${rig} ${tier}`}
                        sx={r > 0 && t === 0 ? { "& td": { borderTop: `3px double ${colour.ink}` } } : {}}
                      >
                        <Cell>{t === 0 ? rig || "any rig" : ""}</Cell>
                        <Cell>{tier || "every tier"}</Cell>
                        {found.windows.map((window) => (
                          <MatrixCell
                            key={window}
                            cell={at(window, tier, rig)}
                            reach={reach}
                            named={nameOf({ window, tier, rig })}
                            again={
                              may.write && OVER.has(at(window, tier, rig)?.state ?? "") && !plan.isPending
                                ? () => plan.mutate({ window, tier, rig })
                                : null
                            }
                          />
                        ))}
                      </TableRow>
                    )),
                  )}
                </TableBody>
              </Table>
            </Wide>
            <Refused error={plan.error} />
            <Text small tone="faded" sx={{ marginTop: 4 }}>
              In brackets: neither a gain nor a loss is shown, over all cells. Left of the rule is less.
            </Text>
            <Box sx={{ display: "flex", margin: "6px 0" }}>
              <ChartTools table={() => tableOf(figure)} />
            </Box>
          </>
        );
      }}
    </AccountPage>
  );
}
