import { scaleLinear } from "@visx/scale";
import { useParams } from "react-router";
import type { Schemas } from "../api/client";
import { colour } from "../kit";
import { SpanAxis, thinned, ValueAxis } from "./axes";
import { type Frame, Plot } from "./Plot";

type Dot = Schemas["RunDot"];
const MARGIN = { left: 46, right: 8, top: 22, bottom: 26 };

interface Props {
  dots: readonly Dot[];
  figure: string;
  unit: string;
  share: boolean;
  before: number | null;
  after: number | null;
}

/** One mark per run in recorded order: before hollow and dashed, after solid; a run that failed is a cross. */
export function RunDots({ dots, figure, unit, share, before, after }: Props) {
  const { book = "" } = useParams();
  const scale = share ? 100 : 1;
  const value = (dot: Dot) => {
    const v = dot.figures[figure];
    return v === null || v === undefined ? null : v * scale;
  };
  const known = dots.flatMap((d) => value(d) ?? []);
  if (!known.length) return null;
  const levels = [before, after].flatMap((v) => (v === null ? [] : v * scale));
  const low = Math.min(...known, ...levels);
  const high = Math.max(...known, ...levels);
  const pad = (high - low || Math.abs(high) || 1) * 0.12;
  const across = (frame: Frame) =>
    scaleLinear<number>({ domain: [0, dots.length], range: [frame.left, frame.right] });
  const said = (dot: Dot) => {
    const v = value(dot);
    const what =
      v === null ? `${dot.outcome} ${dot.detail}`.trim() : `${Number(v.toPrecision(4))} ${unit}`.trim();
    return `Run ${dot.position + 1}, ${dot.arm}: ${what}`;
  };
  return (
    <Plot
      label="One mark per run, in the order recorded"
      height={148}
      margin={MARGIN}
      marks={(frame) =>
        dots.map((dot, i) => ({
          x: across(frame)(i + 0.5),
          said: said(dot),
          to: `/${book}/runs/${dot.run}`,
        }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const y = scaleLinear<number>({ domain: [low - pad, high + pad], range: [frame.bottom, frame.top] });
        const level = (at: number | null, stroke: string, dash?: string) =>
          at !== null && (
            <path
              d={`M${frame.left} ${y(at * scale)}H${frame.right}`}
              stroke={stroke}
              {...(dash && { strokeDasharray: dash })}
            />
          );
        const named = thinned(
          dots.map((_, i) => i),
          frame.right - frame.left,
          24,
        );
        return (
          <>
            <ValueAxis y={y} frame={frame} unit={unit} />
            <SpanAxis
              x={x}
              frame={frame}
              values={named.map((i) => i + 0.5)}
              said={(at) => String((dots[Math.floor(at)]?.position ?? 0) + 1)}
            />
            {level(before, colour.before, "6 4")}
            {level(after, colour.after)}
            {dots.map((dot, i) => {
              const v = value(dot);
              const at = x(i + 0.5);
              if (v === null)
                return (
                  <path
                    key={dot.run}
                    d={`M${at - 4} ${frame.bottom - 10}l8 8m0 -8l-8 8`}
                    stroke={colour.spent}
                    strokeWidth={1.8}
                  />
                );
              const solid = dot.arm === "after";
              return (
                <path
                  key={dot.run}
                  d={`M${at} ${y(v) - 6.5}l6.5 6.5l-6.5 6.5l-6.5 -6.5z`}
                  fill={solid ? colour.after : colour.sheet}
                  stroke={solid ? colour.after : colour.before}
                  strokeWidth={1.8}
                />
              );
            })}
          </>
        );
      }}
    </Plot>
  );
}
