import { scaleLinear } from "@visx/scale";
import { useParams } from "react-router";
import type { Schemas } from "../api/client";
import { colour, SvgText } from "../kit";
import { SpanAxis, ValueAxis } from "./axes";
import { type Frame, Plot } from "./Plot";

export type Stutters = Schemas["Stutters"];
type Stutter = Stutters["stutters"][number];

const MARGIN = { left: 52, right: 30, top: 40, bottom: 26 };
const STRIP = 92;
const GAP = 34;
/** Over a bracket its count. */
const OVER = 15;
const LETTER = 6.6;

export const stutterSaid = (all: Stutters, one: Stutter) => {
  const arm = all.runs[one.run]?.arm ?? "";
  const out = one.stood_out ? `, ${one.stood_out} stood out` : "";
  return `${one.size_ms.toFixed(1)} ms over its neighbours at ${one.at_s.toFixed(1)} s${one.leg ? `, ${one.leg}` : ""}, ${arm}${out}`;
};

/**
 * One strip an arm, a stroke for each stutter as high as its size, at its place on the course; strokes that recur at
 * one place in most runs are joined by a bracket with its count.
 */
export function StutterStrip({ all }: { all: Stutters }) {
  const { book = "" } = useParams();
  const placed = all.stutters
    .flatMap((s) => (s.at === null ? [] : [{ ...s, at: s.at }]))
    .sort((a, b) => a.at - b.at);
  const largest = Math.max(1, ...placed.map((s) => s.size_ms));
  const across = (frame: Frame) =>
    scaleLinear<number>({ domain: [0, all.length_s], range: [frame.left, frame.right] });
  const height = MARGIN.top + 2 * STRIP + GAP + MARGIN.bottom;
  return (
    <Plot
      label="Stutters along the course"
      height={height}
      margin={MARGIN}
      marks={(frame) =>
        placed.map((s) => ({
          x: across(frame)(s.at * all.length_s),
          said: stutterSaid(all, s),
          to: `/${book}/runs/${all.runs[s.run]?.id}?frame=${s.frame}&from=${Math.max(0, s.frame - 150)}&to=${s.frame + 150}`,
        }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const strips = (["before", "after"] as const).map((arm, i) => {
          const top = frame.top + i * (STRIP + GAP);
          return { arm, top, bottom: top + STRIP };
        });
        return (
          <>
            {all.sections.map((s, i) => (
              <g key={`${s.name} ${s.from_s}`}>
                {i > 0 && (
                  <path d={`M${x(s.from_s)} ${frame.top - 32}V${frame.bottom}`} stroke={colour.rule} />
                )}
                {x(s.to_s) - x(s.from_s) > s.name.length * LETTER + 6 && (
                  <SvgText x={x(s.from_s) + 4} y={frame.top - 26}>
                    {s.name}
                  </SvgText>
                )}
              </g>
            ))}
            {strips.map(({ arm, top, bottom }) => {
              const y = scaleLinear<number>({ domain: [0, largest * 1.05], range: [bottom, top] });
              const stroke = colour[arm];
              return (
                <g key={arm}>
                  <ValueAxis y={y} frame={{ ...frame, top, bottom }} unit="" ticks={2} />
                  <SvgText ink x={frame.left + 4} y={top - 6}>
                    {arm === "before" ? "\u25c7 before, ms" : "\u25c6 after, ms"}
                  </SvgText>
                  <path d={`M${frame.left} ${bottom}H${frame.right}`} stroke={colour.ink} strokeWidth={0.8} />
                  {placed
                    .filter((s) => all.runs[s.run]?.arm === arm)
                    .map((s) => (
                      <path
                        key={`${s.run} ${s.frame}`}
                        d={`M${x(s.at * all.length_s).toFixed(1)} ${bottom}V${y(s.size_ms).toFixed(1)}`}
                        stroke={stroke}
                        strokeWidth={arm === "before" ? 1.3 : 1.9}
                        {...(arm === "before" && { strokeDasharray: "4 1.5" })}
                      />
                    ))}
                  {all.places
                    .filter((p) => p[arm] > 0)
                    .map((p) => {
                      const at = x(p.at_s);
                      return (
                        <g key={p.at}>
                          <path
                            d={`M${at - 6} ${bottom + 3}v4h12v-4`}
                            fill="none"
                            stroke={colour.ink}
                            strokeWidth={1}
                          />
                          <SvgText ink x={at} y={bottom + 4 + OVER} textAnchor="middle">
                            {p[arm]} of {all.runs.filter((r) => r.arm === arm).length}
                          </SvgText>
                        </g>
                      );
                    })}
                </g>
              );
            })}
            <SpanAxis
              x={x}
              frame={frame}
              values={x.ticks(Math.max(2, Math.floor((frame.right - frame.left) / 90)))}
              said={(s) => `${s} s`}
            />
          </>
        );
      }}
    </Plot>
  );
}
