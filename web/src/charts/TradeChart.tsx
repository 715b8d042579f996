import { scaleLinear, scaleLog } from "@visx/scale";
import { useRef, useState } from "react";
import { useKeys } from "../app/keys";
import { Box, colour, SvgText } from "../kit";
import { type Scale, SpanAxis, ValueAxis } from "./axes";
import { ChartTools, TableBehind } from "./copy";
import type { Capacity } from "./LevelChart";
import { type Frame, Plot } from "./Plot";

export interface Traded {
  richness: number;
  capacity: Capacity;
}

interface Props {
  label: string;
  points: readonly Traded[];
  /** What is carried, and how rich it is. */
  unit: string;
  richness: string;
}

const MARGIN = { left: 60, right: 150, top: 22, bottom: 44 };

const endsOf = ({ capacity: c }: Traded): number[] =>
  [c.value, c.low, c.high].filter((v): v is number => v !== null && v > 0);

/** Equal ratios are equally far apart, where there is nothing that has none. */
const scaleOf = (values: readonly number[], low: number, high: number, range: [number, number]): Scale =>
  values.every((v) => v > 0)
    ? (scaleLog<number>({ domain: [low, high], range }) as unknown as Scale)
    : scaleLinear<number>({ domain: [low, high], range });

/** Round values that a scale of ratios is read by. */
function rounds(low: number, high: number): number[] {
  const found: number[] = [];
  for (let ten = 10 ** Math.floor(Math.log10(low)); ten <= high; ten *= 10)
    for (const one of [1, 2, 5]) if (ten * one >= low && ten * one <= high) found.push(ten * one);
  return found;
}

interface BarProps {
  point: Traded;
  x: number;
  y: Scale;
  frame: Frame;
}

/** A capacity with its interval; an end that is not known runs to the edge with an arrow. */
function Bar({ point, x, y, frame }: BarProps) {
  const { value, low, high } = point.capacity;
  if (value === null && low === null && high === null) return null;
  const top = high === null ? frame.top : y(high);
  const foot = low === null || low <= 0 ? frame.bottom : y(low);
  return (
    <>
      <path d={`M${x} ${top}V${foot}`} stroke={colour.ink} strokeWidth={1.8} />
      {high === null ? (
        <path d={`M${x - 5} ${top + 7}L${x} ${top}L${x + 5} ${top + 7}`} fill="none" stroke={colour.ink} />
      ) : (
        <path d={`M${x - 6} ${top}h12`} stroke={colour.ink} strokeWidth={1.8} />
      )}
      {low === null || low <= 0 ? (
        <path d={`M${x - 5} ${foot - 7}L${x} ${foot}L${x + 5} ${foot - 7}`} fill="none" stroke={colour.ink} />
      ) : (
        <path d={`M${x - 6} ${foot}h12`} stroke={colour.ink} strokeWidth={1.8} />
      )}
      {value !== null && <circle cx={x} cy={y(value)} r={4.5} fill={colour.after} />}
      <SvgText ink x={x + 12} y={value === null ? (top + foot) / 2 : y(value) - 8}>
        {point.capacity.said}
      </SvgText>
    </>
  );
}

const tableOf = ({ points, unit, richness }: Props) => ({
  head: [richness, unit, "low", "high"],
  rows: points.map((p) => [p.richness, p.capacity.value, p.capacity.low, p.capacity.high]),
});

/** What the budget carries over how rich it is: a bar for each that was ramped, joined where both are known. */
export function TradeChart(props: Props) {
  const { label, points, unit, richness } = props;
  const [behind, setBehind] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setBehind(!behind) });
  const ends = points.flatMap(endsOf);
  const rich = points.map((p) => p.richness);
  if (ends.length === 0) return null;
  const [low, high] = [Math.min(...ends) * 0.8, Math.max(...ends) * 1.25];
  const across = (frame: { left: number; right: number }) =>
    scaleOf(rich, Math.min(...rich), Math.max(...rich), [frame.left + 24, frame.right - 24]);
  return (
    <>
      <Box ref={drawing} sx={{ marginTop: 8 }}>
        <Plot
          label={label}
          height={300}
          margin={MARGIN}
          marks={(frame) =>
            points.map((p) => ({
              x: across(frame)(p.richness),
              said: `${p.richness} ${richness}: ${p.capacity.said}`,
            }))
          }
        >
          {(frame) => {
            const x = across(frame);
            const y = scaleOf(ends, low, high, [frame.bottom, frame.top]);
            const known = points.filter((p) => p.capacity.value !== null);
            return (
              <>
                <ValueAxis
                  y={Object.assign(y.copy(), { ticks: () => rounds(low, high) })}
                  frame={frame}
                  unit={unit}
                  said={(v) => v.toLocaleString("en-GB")}
                />
                <SpanAxis
                  x={x}
                  frame={frame}
                  values={rich}
                  said={(v) => v.toLocaleString("en-GB")}
                  name={richness}
                  marked
                />
                {known.length > 1 && (
                  <path
                    d={`M${known.map((p) => `${x(p.richness)} ${y(p.capacity.value ?? 1)}`).join("L")}`}
                    fill="none"
                    stroke={colour.after}
                    strokeWidth={1.4}
                    strokeDasharray="1 4"
                    strokeLinecap="round"
                  />
                )}
                {points.map((p) => (
                  <Bar key={p.richness} point={p} x={x(p.richness)} y={y} frame={frame} />
                ))}
              </>
            );
          }}
        </Plot>
      </Box>
      <Box sx={{ display: "flex" }}>
        <ChartTools
          table={() => tableOf(props)}
          drawing={drawing}
          shown={behind}
          toggle={() => setBehind(!behind)}
        />
      </Box>
      {behind && <TableBehind table={tableOf(props)} />}
    </>
  );
}
