import { scaleLinear } from "@visx/scale";
import { colour, SvgText } from "../kit";
import { BudgetLine, SpanAxis, ValueAxis } from "./axes";
import { type Frame, Plot } from "./Plot";

const MARGIN = { left: 40, right: 8, top: 22, bottom: 22 };

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
  const top = Math.max(peak_ms, (budget_ms ?? 0) * 1.15) * 1.1 || 1;
  const across = (frame: Frame) =>
    scaleLinear<number>({
      domain: [0, Math.max(run_s, groups.at(-1)?.[0] ?? 0)],
      range: [frame.left, frame.right],
    });
  return (
    <Plot
      label={`Frame times of the run in progress, in ms over seconds; highest ${peak_ms.toFixed(1)} ms`}
      height={232}
      margin={MARGIN}
      marks={(frame) =>
        groups.map(([at, low, high]) => ({
          x: across(frame)(at),
          said: `${at.toFixed(1)} s: ${low.toFixed(2)} to ${high.toFixed(2)} ms`,
        }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const y = scaleLinear<number>({ domain: [0, top], range: [frame.bottom, frame.top] });
        const path = groups
          .map(([at, low, high]) => {
            const from = x(at).toFixed(1);
            return `M${from} ${(y(high) - 0.5).toFixed(1)}V${(y(low) + 0.5).toFixed(1)}`;
          })
          .join("");
        return (
          <>
            <ValueAxis y={y} frame={frame} unit="ms" ticks={5} />
            <SpanAxis x={x} frame={frame} values={x.ticks(6)} said={(s) => `${s} s`} />
            <path
              d={path}
              stroke={after ? colour.after : colour.before}
              strokeWidth={Math.max(1, Math.min(3, x(group_s) - x(0)))}
              fill="none"
            />
            <BudgetLine y={y} frame={frame} budget={budget_ms} />
            {peak_ms > 0 && (
              <>
                <path
                  d={`M${frame.left} ${y(peak_ms)}H${frame.right}`}
                  stroke={colour.ink}
                  strokeWidth={0.8}
                  strokeDasharray="1 3"
                />
                <SvgText x={frame.left + 4} y={y(peak_ms) - 4} ink>
                  highest {peak_ms.toFixed(1)}
                </SvgText>
              </>
            )}
          </>
        );
      }}
    </Plot>
  );
}
