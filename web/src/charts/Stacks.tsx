import { scaleLinear } from "@visx/scale";
import { colour, SvgText } from "../kit";
import { SpanAxis } from "./axes";
import { Plot } from "./Plot";

interface Row {
  name: string;
  parts: readonly { name: string; ms: number }[];
}

interface Props {
  label: string;
  rows: readonly Row[];
  /** What the last row would reach in 95 of 100 such recordings, ms. */
  interval: readonly [number, number] | null;
}

const MARGIN = { left: 96, right: 24, top: 12, bottom: 40 };
const [TALL, APART] = [34, 18];
/** From left to right, the first is what is there anyway. */
const FILLS = [0.12, 0.5, 0.32, 0.68, 0.24, 0.58, 0.4, 0.75, 0.2];

/** Times that are laid end to end, a row each, so that rows can be held against each other. */
export function Stacks({ label, rows, interval }: Props) {
  const longest = Math.max(
    ...rows.map((row) => row.parts.reduce((sum, p) => sum + p.ms, 0)),
    interval?.[1] ?? 0,
  );
  const height = MARGIN.top + MARGIN.bottom + rows.length * TALL + (rows.length - 1) * APART;
  return (
    <Plot label={label} height={height} margin={MARGIN}>
      {(frame) => {
        const x = scaleLinear<number>({ domain: [0, longest * 1.02], range: [frame.left, frame.right] });
        const last = frame.top + (rows.length - 1) * (TALL + APART) + TALL / 2;
        return (
          <>
            {rows.map((row, r) => {
              const top = frame.top + r * (TALL + APART);
              let from = 0;
              return (
                <g key={row.name}>
                  <SvgText
                    ink
                    x={frame.left - 8}
                    y={top + TALL / 2}
                    textAnchor="end"
                    dominantBaseline="middle"
                  >
                    {row.name}
                  </SvgText>
                  {row.parts.map((part, i) => {
                    const at = x(from);
                    from += part.ms;
                    const wide = x(from) - at;
                    const said = `${part.name} ${part.ms.toFixed(2)}`;
                    return (
                      <g key={part.name}>
                        <rect
                          x={at}
                          y={top}
                          width={wide}
                          height={TALL}
                          fill={colour.after}
                          fillOpacity={row.parts.length > 1 ? FILLS[i % FILLS.length] : 0.2}
                          stroke={colour.ink}
                          strokeWidth={0.8}
                        />
                        {wide > 6.6 * said.length && (
                          <SvgText ink x={at + 6} y={top + TALL / 2} dominantBaseline="middle">
                            {said}
                          </SvgText>
                        )}
                      </g>
                    );
                  })}
                </g>
              );
            })}
            {interval && (
              <path
                d={`M${x(interval[0])} ${last - 8}v16M${x(interval[0])} ${last}H${x(interval[1])}M${x(interval[1])} ${last - 8}v16`}
                stroke={colour.ink}
                strokeWidth={1.8}
                fill="none"
              />
            )}
            <SpanAxis x={x} frame={frame} values={x.ticks(6)} said={(v) => String(v)} name="ms" marked />
          </>
        );
      }}
    </Plot>
  );
}
