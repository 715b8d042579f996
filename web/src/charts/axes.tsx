import { AxisBottom, AxisLeft } from "@visx/axis";
import { GridRows } from "@visx/grid";
import type { scaleLinear } from "@visx/scale";
import { colour, SvgText } from "../kit";
import type { Frame } from "./Plot";

export type Scale = ReturnType<typeof scaleLinear<number>>;

interface Label {
  x: number;
  y: number;
  formattedValue?: string | undefined;
}

interface ValueProps {
  y: Scale;
  frame: Frame;
  unit: string;
  ticks?: number;
  said?: (value: number) => string;
}

/** Values upward: thin rules across the drawing, the unit over them. */
export function ValueAxis({ y, frame, unit, ticks = 4, said }: ValueProps) {
  const values = y.ticks(ticks);
  const plain = y.tickFormat(ticks);
  return (
    <>
      <GridRows
        scale={y}
        left={frame.left}
        width={frame.right - frame.left}
        tickValues={values}
        stroke={colour.rule}
        strokeWidth={0.6}
      />
      <AxisLeft
        hideAxisLine
        hideTicks
        left={frame.left}
        scale={y}
        tickValues={values}
        tickFormat={(value) => (said ?? plain)(Number(value))}
        tickComponent={({ x, y: at, formattedValue }: Label) => (
          <SvgText x={x} y={at + 1} textAnchor="end" dominantBaseline="middle">
            {formattedValue}
          </SvgText>
        )}
      />
      <SvgText x={2} y={10}>
        {unit}
      </SvgText>
    </>
  );
}

interface SpanProps {
  x: Scale;
  frame: Frame;
  values: readonly number[];
  said: (value: number) => string;
  /** What stands along it. */
  name?: string;
  marked?: boolean;
}

/** What the drawing goes along; a label that would leave it is drawn inward, so that each is whole. */
export function SpanAxis({ x, frame, values, said, name, marked }: SpanProps) {
  return (
    <>
      <AxisBottom
        hideAxisLine
        hideTicks={!marked}
        tickLength={5}
        tickStroke={colour.faded}
        top={frame.bottom}
        scale={x}
        tickValues={[...values]}
        tickFormat={(value) => said(Number(value))}
        tickComponent={({ x: at, y, formattedValue }: Label) => {
          const half = 3.4 * (formattedValue?.length ?? 0);
          const inward = at + half > frame.width ? "end" : at - half < 0 ? "start" : "middle";
          return (
            <SvgText
              x={inward === "end" ? frame.width : inward === "start" ? 0 : at}
              y={y + 4}
              textAnchor={inward}
            >
              {formattedValue}
            </SvgText>
          );
        }}
      />
      {name && (
        <SvgText x={frame.right} y={frame.height - 4} textAnchor="end">
          {name}
        </SvgText>
      )}
    </>
  );
}

/** So many of the places that their labels of `room` px do not meet; the last one stays. */
export function thinned<T>(places: readonly T[], width: number, room: number): T[] {
  const every = Math.max(1, Math.ceil((places.length * room) / Math.max(width, 1)));
  return places.filter((_, i) => (places.length - 1 - i) % every === 0);
}

/** The budget: a ruled line in ink with its value written at its end. */
export function BudgetLine({ y, frame, budget }: { y: Scale; frame: Frame; budget: number | null }) {
  if (budget === null) return null;
  const room = frame.width - frame.right > 80;
  return (
    <>
      <path d={`M${frame.left} ${y(budget)}H${frame.right}`} stroke={colour.ink} />
      <SvgText
        ink
        x={room ? frame.right + 5 : frame.right}
        y={y(budget) + (room ? 4 : -4)}
        textAnchor={room ? "start" : "end"}
      >
        budget {budget.toFixed(2)}
      </SvgText>
    </>
  );
}
