import { scaleLinear } from "@visx/scale";
import type { Schemas } from "../api/client";
import { colour, SvgText } from "../kit";
import { BudgetLine, SpanAxis, ValueAxis } from "./axes";
import { type Frame, Plot } from "./Plot";

export type Spread = Schemas["Spread"];
type Values = readonly (number | null)[];
const MARGIN = { left: 52, right: 96, top: 20, bottom: 40 };
const UPPER = 200;
const LOWER = 120;
const GAP = 26;
/** Left out of the axis where there is no room. */
const FINE = [0.25, 0.75, 0.95];

const known = (values: Values) => values.filter((v): v is number => v !== null);
const percent = (p: number) => `${+(100 * p).toFixed(2)} %`;
const size = (ms: number) => Math.abs(ms).toFixed(2);
const side = (ms: number) => (ms > 0 ? "spent" : "saved");

/** An interval in the direction of its difference; one that holds zero names its sides. */
function ends(low: number, high: number): string {
  if (low < 0 && high > 0) return ` (${size(low)} saved to ${size(high)} spent)`;
  return high <= 0 ? ` (${size(high)} to ${size(low)})` : ` (${size(low)} to ${size(high)})`;
}

type Quantiles = NonNullable<Spread["quantiles"]>;

function said(quantiles: Quantiles, i: number): string {
  const ms = quantiles.difference_ms[i] ?? 0;
  const [low, high] = [quantiles.low_ms?.[i], quantiles.high_ms?.[i]];
  const interval = low == null || high == null ? "" : ends(low, high);
  return `at ${percent(quantiles.share[i] ?? 0)}: ${size(ms)} ms ${side(ms)}${interval}`;
}

/**
 * Both distributions as cumulative curves, their tail stretched, before dashed and after solid; under them on the same
 * axis milliseconds saved (down) or spent (up) at each quantile, with the band that holds for all at once.
 */
export function SpreadChart({ spread }: { spread: Spread }) {
  const { quantiles, budget_ms } = spread;
  const ms = known([...spread.before_ms, ...spread.after_ms]);
  const change = quantiles
    ? known([...quantiles.difference_ms, ...(quantiles.low_ms ?? []), ...(quantiles.high_ms ?? []), 0])
    : [];
  const across = (frame: Frame) => scaleLinear<number>({ domain: [0, 1], range: [frame.left, frame.right] });
  const marks = (frame: Frame) => {
    const x = across(frame);
    if (!quantiles)
      return spread.at.map((at, i) => ({
        x: x(at ?? 0),
        said: `${percent(spread.shares[i] ?? 0)} of the frames within ${spread.before_ms[i]?.toFixed(2)} ms before, ${spread.after_ms[i]?.toFixed(2)} ms after`,
      }));
    return quantiles.at.map((at, i) => ({ x: x(at ?? 0), said: said(quantiles, i) }));
  };
  const height = MARGIN.top + UPPER + (quantiles ? GAP + LOWER : 0) + MARGIN.bottom;
  return (
    <Plot label="Difference at every quantile" height={height} margin={MARGIN} marks={marks}>
      {(frame) => {
        const x = across(frame);
        const upper = { ...frame, bottom: frame.top + UPPER };
        const [low, high] = [Math.min(...ms), Math.max(...ms)];
        const top = budget_ms !== null && budget_ms < high * 1.3 ? Math.max(high, budget_ms) : high;
        const pad = (top - low || 1) * 0.05;
        const y = scaleLinear<number>({ domain: [low - pad, top + pad], range: [upper.bottom, upper.top] });
        const line = (at: Values, values: Values, up: (value: number) => number) =>
          `M${values.map((v, i) => `${x(at[i] ?? 0).toFixed(2)} ${up(v ?? 0).toFixed(2)}`).join("L")}`;
        const ticks = spread.ticks.filter((t) => frame.width > 560 || !FINE.includes(t.share));
        const shareAt = new Map(ticks.map((t) => [t.at, t.share]));
        return (
          <>
            <ValueAxis y={y} frame={upper} unit="ms" />
            {ticks.map((t) => (
              <path key={t.share} d={`M${x(t.at)} ${frame.top}V${frame.bottom}`} stroke={colour.rule} />
            ))}
            <path
              d={line(spread.at, spread.before_ms, y)}
              fill="none"
              stroke={colour.before}
              strokeWidth={1.6}
              strokeDasharray="5 3"
            />
            <path
              d={line(spread.at, spread.after_ms, y)}
              fill="none"
              stroke={colour.after}
              strokeWidth={1.8}
            />
            <Names spread={spread} frame={frame} y={y} />
            {budget_ms !== null && budget_ms <= top && <BudgetLine y={y} frame={upper} budget={budget_ms} />}
            {quantiles && (
              <Difference
                quantiles={quantiles}
                change={change}
                line={line}
                frame={{ ...frame, top: upper.bottom + GAP, bottom: upper.bottom + GAP + LOWER }}
              />
            )}
            <SpanAxis
              marked
              x={x}
              frame={frame}
              values={ticks.map((t) => t.at)}
              said={(at) => percent(shareAt.get(at) ?? 0)}
              name="slowest frames"
            />
            <SvgText x={frame.left} y={frame.height - 4}>
              quickest frames
            </SvgText>
          </>
        );
      }}
    </Plot>
  );
}

/** The arms' names at the ends of their curves, apart. */
function Names({ spread, frame, y }: { spread: Spread; frame: Frame; y: (value: number) => number }) {
  const ends = { before: y(spread.before_ms.at(-1) ?? 0), after: y(spread.after_ms.at(-1) ?? 0) };
  const close = Math.abs(ends.before - ends.after) < 14;
  const above = ends.before <= ends.after ? "before" : "after";
  return (["before", "after"] as const).map((arm) => (
    <SvgText
      key={arm}
      tone={arm}
      x={frame.right + 6}
      y={ends[arm] + 4 + (close ? (arm === above ? -6 : 8) : 0)}
    >
      {arm === "before" ? "\u25c7 before" : "\u25c6 after"}
    </SvgText>
  ));
}

interface DifferenceProps {
  quantiles: Quantiles;
  change: readonly number[];
  line: (at: Values, values: Values, up: (value: number) => number) => string;
  frame: Frame;
}

function Difference({ quantiles, change, line, frame }: DifferenceProps) {
  const { at, low_ms, high_ms } = quantiles;
  const [least, most] = [Math.min(...change), Math.max(...change)];
  const room = (most - least || 1) * 0.08;
  const d = scaleLinear<number>({ domain: [least - room, most + room], range: [frame.bottom, frame.top] });
  return (
    <>
      <ValueAxis y={d} frame={frame} unit="" ticks={3} said={d.tickFormat(3, "+f")} />
      {low_ms && high_ms && (
        <path
          d={`${line(at, high_ms, d)}L${line([...at].reverse(), [...low_ms].reverse(), d).slice(1)}Z`}
          fill={colour.after}
          opacity={0.22}
        />
      )}
      <path d={`M${frame.left} ${d(0)}H${frame.right}`} stroke={colour.ink} />
      <path d={line(at, quantiles.difference_ms, d)} fill="none" stroke={colour.after} strokeWidth={1.8} />
      <SvgText x={frame.right + 6} y={d(0) - 5}>
        spent
      </SvgText>
      <SvgText x={frame.right + 6} y={d(0) + 13}>
        saved
      </SvgText>
    </>
  );
}
