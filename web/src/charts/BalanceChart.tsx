import { scaleLinear } from "d3-scale";
import { colour, SvgText } from "../kit";
import { useWidth } from "./useWidth";

export interface Point {
  entry: number;
  mean_ms: number;
  slowest_1pct_ms: number | null;
}

const HEIGHT = 176;
const LEFT = 34;
const RIGHT = 96;

/** A level holds until the next decided entry moves it: steps, the mean solid, the slow tail dashed. */
function steps(points: [number, number][], end: number): string {
  return points
    .map(([x, y], i) => `${i ? "V" : "M"}${i ? y : `${x} ${y}`}H${points[i + 1]?.[0] ?? end}`)
    .join("");
}

/** The balance over entries against the budget. */
export function BalanceChart({ points, budget }: { points: Point[]; budget: number | null }) {
  const [ref, width] = useWidth<HTMLDivElement>(700);
  const values = points.flatMap((p) => [p.mean_ms, p.slowest_1pct_ms ?? p.mean_ms]).concat(budget ?? []);
  const y = scaleLinear([Math.min(...values) * 0.92, Math.max(...values) * 1.04], [HEIGHT - 24, 24]).nice(4);
  const slot = (width - LEFT - RIGHT) / Math.max(points.length, 1);
  const x = (i: number) => LEFT + i * slot;
  const end = width - RIGHT;
  const mean = points.map((p, i): [number, number] => [x(i), y(p.mean_ms)]);
  const tail = points.flatMap((p, i): [number, number][] =>
    p.slowest_1pct_ms === null ? [] : [[x(i), y(p.slowest_1pct_ms)]],
  );
  const last = points.at(-1);
  if (!last) return <div ref={ref} />;
  const meanY = y(last.mean_ms);
  const budgetY = budget === null ? null : y(budget);
  const meanLabel =
    budgetY !== null && Math.abs(meanY - budgetY) < 14
      ? meanY > budgetY
        ? budgetY + 14
        : budgetY - 14
      : meanY;
  return (
    <div ref={ref}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label="Mean frame and slowest 1 % after each entry, in ms, against the budget"
      >
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <path d={`M${LEFT} ${y(tick)}H${end}`} stroke={colour.rule} strokeWidth={0.6} />
            <SvgText x={LEFT - 8} y={y(tick) + 4} textAnchor="end">
              {tick}
            </SvgText>
          </g>
        ))}
        <SvgText x={2} y={10} textAnchor="start">
          ms
        </SvgText>
        {budgetY !== null && budget !== null && (
          <>
            <path d={`M${LEFT} ${budgetY}H${end}`} stroke={colour.ink} />
            <SvgText x={end + 5} y={budgetY + 4} ink>
              budget {budget.toFixed(2)}
            </SvgText>
          </>
        )}
        <path d={steps(tail, end)} fill="none" stroke={colour.ink} strokeDasharray="5 3" strokeWidth={1.4} />
        <path d={steps(mean, end)} fill="none" stroke={colour.ink} strokeWidth={2.4} />
        {last.slowest_1pct_ms !== null && (
          <SvgText x={end + 5} y={y(last.slowest_1pct_ms) + 4} ink>
            slowest 1 %
          </SvgText>
        )}
        <SvgText x={end + 5} y={meanLabel + 4} ink fontWeight={650}>
          mean
        </SvgText>
        {points.map((p, i) => (
          <SvgText key={p.entry} x={x(i) + slot / 2} y={HEIGHT - 6} textAnchor="middle">
            {p.entry}
          </SvgText>
        ))}
      </svg>
    </div>
  );
}
