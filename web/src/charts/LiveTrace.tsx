import { scaleLinear } from "d3-scale";
import { colour, SvgText } from "../kit";
import { useWidth } from "./useWidth";

const HEIGHT = 220;
const LEFT = 40;
const RIGHT = 8;
const BOTTOM = 22;

interface Props {
  /** Groups of frames: start in s, lowest and highest in ms. */
  groups: readonly (readonly [number, number, number])[];
  group_s: number;
  peak_ms: number;
  run_s: number;
  budget_ms: number | null;
  after: boolean;
}

/** A run in progress: every group of frames from its lowest to its highest, the peak held, nothing cut off. */
export function LiveTrace({ groups, group_s, peak_ms, run_s, budget_ms, after }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(700);
  const top = Math.max(peak_ms, (budget_ms ?? 0) * 1.15) * 1.1 || 1;
  const x = scaleLinear([0, Math.max(run_s, groups.at(-1)?.[0] ?? 0)], [LEFT, width - RIGHT]);
  const y = scaleLinear([0, top], [HEIGHT - BOTTOM, 8]);
  const color = after ? colour.after : colour.before;
  const path = groups
    .map(([at, low, high]) => {
      const from = x(at).toFixed(1);
      return `M${from} ${(y(high) - 0.5).toFixed(1)}V${(y(low) + 0.5).toFixed(1)}`;
    })
    .join("");
  const thick = Math.max(1, Math.min(3, x(group_s) - x(0)));
  return (
    <div ref={ref}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Frame times of the run in progress, in ms over seconds; highest ${peak_ms.toFixed(1)} ms`}
      >
        {y.ticks(5).map((tick) => (
          <g key={tick}>
            <line
              x1={LEFT}
              x2={width - RIGHT}
              y1={y(tick)}
              y2={y(tick)}
              stroke={colour.rule}
              strokeWidth={0.6}
            />
            <SvgText x={LEFT - 6} y={y(tick) + 4} textAnchor="end">
              {tick}
            </SvgText>
          </g>
        ))}
        {x.ticks(6).map((tick) => (
          <SvgText key={tick} x={x(tick)} y={HEIGHT - 6} textAnchor="middle">
            {tick} s
          </SvgText>
        ))}
        <path d={path} stroke={color} strokeWidth={thick} fill="none" />
        {budget_ms !== null && (
          <>
            <line
              x1={LEFT}
              x2={width - RIGHT}
              y1={y(budget_ms)}
              y2={y(budget_ms)}
              stroke={colour.ink}
              strokeWidth={1}
            />
            <SvgText x={width - RIGHT} y={y(budget_ms) - 4} textAnchor="end" ink>
              budget {budget_ms.toFixed(2)}
            </SvgText>
          </>
        )}
        {peak_ms > 0 && (
          <>
            <line
              x1={LEFT}
              x2={width - RIGHT}
              y1={y(peak_ms)}
              y2={y(peak_ms)}
              stroke={colour.ink}
              strokeWidth={0.8}
              strokeDasharray="1 3"
            />
            <SvgText x={LEFT + 4} y={y(peak_ms) - 4} ink>
              highest {peak_ms.toFixed(1)}
            </SvgText>
          </>
        )}
      </svg>
    </div>
  );
}
