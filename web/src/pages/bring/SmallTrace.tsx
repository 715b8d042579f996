import { scaleLinear } from "@visx/scale";
import { AreaClosed } from "@visx/shape";
import type { Schemas } from "../../api/client";
import { Plot } from "../../charts/Plot";
import { colour, SvgText } from "../../kit";

interface Props {
  run: Schemas["SeenRun"];
  budget: number | null;
  tone: "before" | "after";
}

const HEIGHT = 92;

/** A run as it would be read: between the quickest and the slowest frame of each group, over its length. */
export function SmallTrace({ run, budget, tone }: Props) {
  const groups = run.highs.length;
  const top = Math.max(...run.highs, budget ?? 0);
  const end = (i: number) => ((i + 1) / groups) * run.seconds;
  return (
    <Plot
      label={`${run.frames.toLocaleString("en-GB")} frames over ${run.seconds.toFixed(1)} s, as they would be read`}
      height={HEIGHT}
      margin={{ left: 0, right: 0, top: 14, bottom: 4 }}
      marks={(frame) =>
        run.highs.map((high, i) => ({
          x: frame.left + ((i + 0.5) / groups) * (frame.right - frame.left),
          said: `until ${end(i).toFixed(1)} s: ${run.lows[i]?.toFixed(2)} to ${high.toFixed(2)} ms`,
        }))
      }
    >
      {(frame) => {
        const x = scaleLinear({ domain: [0, Math.max(1, groups - 1)], range: [frame.left, frame.right] });
        const y = scaleLinear({ domain: [0, top * 1.05], range: [frame.bottom, frame.top] });
        return (
          <>
            <path d={`M${frame.left} ${frame.bottom}H${frame.right}`} stroke={colour.rule} />
            <AreaClosed
              data={run.highs.map((high, i) => ({ high, low: run.lows[i] ?? high }))}
              x={(_, i) => x(i)}
              y0={(d) => y(d.low) + 0.6}
              y1={(d) => y(d.high) - 0.6}
              yScale={y}
              fill={colour[tone]}
              stroke={colour[tone]}
              strokeWidth={0.8}
            />
            {budget !== null && (
              <>
                <path d={`M${frame.left} ${y(budget)}H${frame.right}`} stroke={colour.ink} />
                <SvgText
                  ink
                  x={frame.right}
                  y={y(budget) - 3}
                  textAnchor="end"
                  stroke={colour.sheet}
                  strokeWidth={4}
                  paintOrder="stroke"
                >
                  {budget.toFixed(2)} ms
                </SvgText>
              </>
            )}
          </>
        );
      }}
    </Plot>
  );
}
