import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { colour, SvgText } from "../kit";
import { useWidth } from "./useWidth";

type Dot = Schemas["RunDot"];
const HEIGHT = 132;
const LEFT = 46;

interface Props {
  dots: Dot[];
  figure: string;
  share: boolean;
  before: number | null;
  after: number | null;
  onOpen: (run: string) => void;
}

/** One mark per run in recorded order: before hollow and dashed, after solid; a run that failed is a cross. */
export function RunDots({ dots, figure, share, before, after, onOpen }: Props) {
  const [ref, width] = useWidth<HTMLDivElement>(900);
  const scale = share ? 100 : 1;
  const value = (dot: Dot) => {
    const v = dot.figures[figure];
    return v === null || v === undefined ? null : v * scale;
  };
  const known = dots.flatMap((d) => value(d) ?? []);
  const levels = [before, after].flatMap((v) => (v === null ? [] : v * scale));
  const all = [...known, ...levels];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const pad = (high - low || Math.abs(high) || 1) * 0.12;
  const y = scaleLinear([low - pad, high + pad], [HEIGHT - 26, 8]);
  const slot = (width - LEFT - 8) / dots.length;
  const x = (i: number) => LEFT + slot * (i + 0.5);
  if (!known.length) return <div ref={ref} />;
  return (
    <div ref={ref}>
      <svg width={width} height={HEIGHT}>
        <title>One mark per run, in the order recorded</title>
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <path d={`M${LEFT} ${y(tick)}H${width}`} stroke={colour.rule} strokeWidth={0.6} />
            <SvgText x={LEFT - 8} y={y(tick) + 4} textAnchor="end">
              {y.tickFormat(4)(tick)}
            </SvgText>
          </g>
        ))}
        {before !== null && (
          <path d={`M${LEFT} ${y(before * scale)}H${width}`} stroke={colour.before} strokeDasharray="6 4" />
        )}
        {after !== null && <path d={`M${LEFT} ${y(after * scale)}H${width}`} stroke={colour.after} />}
        {dots.map((dot, i) => {
          const v = value(dot);
          const failed = v === null;
          const cy = failed ? HEIGHT - 32 : y(v);
          const solid = dot.arm === "after";
          const name = `Run ${dot.position + 1}, ${dot.arm}: ${failed ? `${dot.outcome} ${dot.detail}` : y.tickFormat(20)(v)}`;
          return (
            // biome-ignore lint/a11y/useSemanticElements: a link cannot stand inside an SVG group with this shape
            <g
              key={dot.run}
              role="link"
              tabIndex={0}
              aria-label={name}
              cursor="pointer"
              onClick={() => onOpen(dot.run)}
              onKeyDown={(e) => e.key === "Enter" && onOpen(dot.run)}
            >
              <title>{name}</title>
              <rect x={x(i) - 8} y={0} width={16} height={HEIGHT} fill="transparent" />
              {failed ? (
                <path d={`M${x(i) - 4} ${cy - 4}l8 8m0 -8l-8 8`} stroke={colour.spent} strokeWidth={1.8} />
              ) : (
                <path
                  d={`M${x(i)} ${cy - 6.5}l6.5 6.5l-6.5 6.5l-6.5 -6.5z`}
                  fill={solid ? colour.after : colour.sheet}
                  stroke={solid ? colour.after : colour.before}
                  strokeWidth={1.8}
                />
              )}
              <SvgText x={x(i)} y={HEIGHT - 6} textAnchor="middle">
                {dot.position + 1}
              </SvgText>
            </g>
          );
        })}
      </svg>
    </div>
  );
}
