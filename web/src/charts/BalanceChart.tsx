import { scaleLinear } from "@visx/scale";
import { useParams } from "react-router";
import { colour, SvgText } from "../kit";
import { BudgetLine, SpanAxis, thinned, ValueAxis } from "./axes";
import { Plot } from "./Plot";
import type { ChartTable } from "./table";

export interface Point {
  entry: number;
  mean_ms: number;
  slowest_1pct_ms: number | null;
}

/** The points as rows. */
export const balanceTable = (points: readonly Point[]): ChartTable => ({
  head: ["after entry", "mean ms", "slowest 1 % ms"],
  rows: points.map((p) => [p.entry, p.mean_ms, p.slowest_1pct_ms]),
});

const MARGIN = { left: 34, right: 96, top: 24, bottom: 24 };

/** A level holds until the next decided entry moves it: steps, the mean solid, the slow tail dashed. */
function steps(points: [number, number][], end: number): string {
  return points
    .map(([x, y], i) => `${i ? "V" : "M"}${i ? y : `${x} ${y}`}H${points[i + 1]?.[0] ?? end}`)
    .join("");
}

const said = (p: Point) =>
  `after entry ${p.entry}: mean ${p.mean_ms.toFixed(2)} ms${p.slowest_1pct_ms === null ? "" : `, slowest 1 % ${p.slowest_1pct_ms.toFixed(1)} ms`}`;

/** The balance over entries against the budget. */
export function BalanceChart({ points, budget }: { points: readonly Point[]; budget: number | null }) {
  const { book = "" } = useParams();
  const last = points.at(-1);
  if (!last) return null;
  const values = points.flatMap((p) => [p.mean_ms, p.slowest_1pct_ms ?? p.mean_ms]).concat(budget ?? []);
  const across = (frame: { left: number; right: number }) =>
    scaleLinear<number>({ domain: [0, points.length], range: [frame.left, frame.right] });
  return (
    <Plot
      label="Mean frame and slowest 1 % after each entry, in ms, against the budget"
      height={176}
      margin={MARGIN}
      marks={(frame) =>
        points.map((p, i) => ({
          x: across(frame)(i + 0.5),
          said: said(p),
          to: `/${book}/entries/${p.entry}`,
        }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const y = scaleLinear<number>({
          domain: [Math.min(...values) * 0.92, Math.max(...values) * 1.04],
          range: [frame.bottom, frame.top],
          nice: 4,
        });
        const mean = points.map((p, i): [number, number] => [x(i), y(p.mean_ms)]);
        const tail = points.flatMap((p, i): [number, number][] =>
          p.slowest_1pct_ms === null ? [] : [[x(i), y(p.slowest_1pct_ms)]],
        );
        // The mean's name gives way to the budget's.
        const meanY = y(last.mean_ms);
        const budgetY = budget === null ? Number.NaN : y(budget);
        const nameY =
          Math.abs(meanY - budgetY) < 14 ? (meanY > budgetY ? budgetY + 14 : budgetY - 14) : meanY;
        const named = thinned(
          points.map((_, i) => i),
          frame.right - frame.left,
          34,
        );
        return (
          <>
            <ValueAxis y={y} frame={frame} unit="ms" />
            <SpanAxis
              x={x}
              frame={frame}
              values={named.map((i) => i + 0.5)}
              said={(at) => String(points[Math.floor(at)]?.entry ?? "")}
            />
            <BudgetLine y={y} frame={frame} budget={budget} />
            <path
              d={steps(tail, frame.right)}
              fill="none"
              stroke={colour.ink}
              strokeDasharray="5 3"
              strokeWidth={1.4}
            />
            <path d={steps(mean, frame.right)} fill="none" stroke={colour.ink} strokeWidth={2.4} />
            {last.slowest_1pct_ms !== null && (
              <SvgText x={frame.right + 5} y={y(last.slowest_1pct_ms) + 4} ink>
                slowest 1 %
              </SvgText>
            )}
            <SvgText x={frame.right + 5} y={nameY + 4} ink fontWeight={650}>
              mean
            </SvgText>
          </>
        );
      }}
    </Plot>
  );
}
