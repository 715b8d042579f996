import { scaleLinear } from "@visx/scale";
import type { Schemas } from "../api/client";
import { colour, SvgText } from "../kit";
import { areaOf, centre, lineOf, type Values } from "./along";
import { BudgetLine, type Scale, SpanAxis, ValueAxis } from "./axes";
import { type Frame, Plot } from "./Plot";

export type Course = Schemas["Course"];
const MARGIN = { left: 52, right: 96, top: 22, bottom: 26 };
const UPPER = 190;
const LOWER = 96;
const GAP = 26;
const BESIDE = 64;
/** A leg's name is written where there is room for so many px a letter. */
const LETTER = 6.6;

const known = (values: Values) => values.filter((v): v is number => v !== null);

/** What can be read in one step of the course. */
export function courseSaid(course: Course, i: number): string {
  const [from, to] = [course.edges_s[i] ?? 0, course.edges_s[i + 1] ?? 0];
  const leg = course.sections.find((s) => s.from_s <= from + 1e-6 && from < s.to_s)?.name;
  const where = `${from.toFixed(1)} to ${to.toFixed(1)} s${leg ? `, ${leg}` : ""}`;
  const [before, after] = [course.before.typical_ms[i], course.after.typical_ms[i]];
  const ms = course.difference_ms[i];
  if (before == null || after == null || ms == null) return `${where}: not in all runs`;
  const [low, high] = [course.band_low_ms?.[i], course.band_high_ms?.[i]];
  const size = `${Math.abs(ms).toFixed(2)} ms ${ms > 0 ? "spent" : "saved"}`;
  const band = low == null || high == null ? "" : `, band ${low.toFixed(2)} to ${high.toFixed(2)}`;
  return `${where}: ${before.toFixed(2)} before, ${after.toFixed(2)} after; ${size}${band}`;
}

/** Fine hatching from the lowest to the highest run of an arm: a range, never a cloud of colour. */
function Range({ name, path }: { name: "before" | "after"; path: string }) {
  const id = `range-${name}`;
  const stroke = colour[name];
  return (
    <>
      <defs>
        <pattern
          id={id}
          width={4}
          height={4}
          patternUnits="userSpaceOnUse"
          patternTransform={`rotate(${name === "before" ? 45 : -45})`}
        >
          <path d="M0 0V4" stroke={stroke} strokeWidth={0.9} opacity={0.55} />
        </pattern>
      </defs>
      <path d={path} fill={`url(#${id})`} />
    </>
  );
}

/** A lane or a counter of both arms under the course. */
function Beside({
  one,
  edges,
  x,
  frame,
}: {
  one: Course["beside"][number];
  edges: readonly number[];
  x: Scale;
  frame: Frame;
}) {
  const values = known([...one.before, ...one.after]);
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const pad = (high - low || Math.abs(high) || 1) * 0.08;
  const y = scaleLinear<number>({ domain: [low - pad, high + pad], range: [frame.bottom, frame.top] });
  return (
    <>
      <ValueAxis y={y} frame={frame} unit="" ticks={2} />
      <SvgText ink x={frame.left + 4} y={frame.top - 4}>
        {one.name}
        {one.kind === "lane" ? ", ms" : ""}
      </SvgText>
      <path
        d={lineOf(edges, one.before, x, y)}
        fill="none"
        stroke={colour.before}
        strokeWidth={1.4}
        strokeDasharray="5 3"
      />
      <path d={lineOf(edges, one.after, x, y)} fill="none" stroke={colour.after} strokeWidth={1.5} />
    </>
  );
}

/**
 * Typical before (dashed) and after (solid) along the course with the range of their runs; under it the difference
 * with its band, spent above the line and saved below; under that what was chosen to lie beside.
 */
export function CourseChart({ course }: { course: Course }) {
  const edges = course.edges_s;
  const bins = edges.length - 1;
  const { before, after } = course;
  const ms = known([...before.low_ms, ...before.high_ms, ...after.low_ms, ...after.high_ms]);
  const change = known([
    ...course.difference_ms,
    ...(course.band_low_ms ?? []),
    ...(course.band_high_ms ?? []),
    0,
  ]);
  const across = (frame: Frame) =>
    scaleLinear<number>({
      domain: [course.edges_s[0] ?? 0, course.edges_s.at(-1) ?? 1],
      range: [frame.left, frame.right],
    });
  const places = Array.from({ length: bins }, (_, i) => i);
  const height = MARGIN.top + UPPER + GAP + LOWER + course.beside.length * (BESIDE + GAP) + MARGIN.bottom;
  return (
    <Plot
      label="Frame times along the course"
      height={height}
      margin={MARGIN}
      marks={(frame) =>
        places.map((i) => ({ x: across(frame)(centre(course.edges_s, i)), said: courseSaid(course, i) }))
      }
    >
      {(frame) => {
        const x = across(frame);
        const upper = { ...frame, bottom: frame.top + UPPER };
        const lower = { ...frame, top: upper.bottom + GAP, bottom: upper.bottom + GAP + LOWER };
        const [low, high] = [Math.min(...ms), Math.max(...ms)];
        const pad = (high - low || 1) * 0.06;
        const budget = course.budget_ms;
        const top = budget !== null && budget < high * 1.3 ? Math.max(high, budget) : high;
        const y = scaleLinear<number>({ domain: [low - pad, top + pad], range: [upper.bottom, upper.top] });
        const [least, most] = [Math.min(...change), Math.max(...change)];
        const room = (most - least || 1) * 0.1;
        const d = scaleLinear<number>({
          domain: [least - room, most + room],
          range: [lower.bottom, lower.top],
        });
        const seconds = x.ticks(Math.max(2, Math.floor((frame.right - frame.left) / 90)));
        return (
          <>
            <ValueAxis y={y} frame={upper} unit="ms" />
            <ValueAxis y={d} frame={lower} unit="" ticks={3} />
            {course.sections.map((s, i) => (
              <g key={`${s.name} ${s.from_s}`}>
                {i > 0 && (
                  <path d={`M${x(s.from_s)} ${frame.top - 14}V${frame.bottom}`} stroke={colour.rule} />
                )}
                {x(s.to_s) - x(s.from_s) > s.name.length * LETTER + 6 && (
                  <SvgText x={x(s.from_s) + 4} y={frame.top - 6}>
                    {s.name}
                  </SvgText>
                )}
              </g>
            ))}
            <Range name="before" path={areaOf(edges, before.low_ms, before.high_ms, x, y)} />
            <Range name="after" path={areaOf(edges, after.low_ms, after.high_ms, x, y)} />
            <path
              d={lineOf(edges, before.typical_ms, x, y)}
              fill="none"
              stroke={colour.before}
              strokeWidth={1.6}
              strokeDasharray="5 3"
            />
            <path
              d={lineOf(edges, after.typical_ms, x, y)}
              fill="none"
              stroke={colour.after}
              strokeWidth={1.8}
            />
            {(["before", "after"] as const).map((arm) => (
              <SvgText
                key={arm}
                x={frame.right + 6}
                y={y(course[arm].typical_ms.findLast((v) => v !== null) ?? low) + 4}
                tone={arm}
              >
                {arm === "before" ? "\u25c7 before" : "\u25c6 after"}
              </SvgText>
            ))}
            {budget !== null && budget <= top && <BudgetLine y={y} frame={upper} budget={budget} />}
            <path d={`M${frame.left} ${d(0)}H${frame.right}`} stroke={colour.ink} />
            {course.band_low_ms && course.band_high_ms && (
              <path
                d={areaOf(edges, course.band_low_ms, course.band_high_ms, x, d)}
                fill={colour.rule}
                opacity={0.8}
              />
            )}
            <path
              d={lineOf(edges, course.difference_ms, x, d)}
              fill="none"
              stroke={colour.ink}
              strokeWidth={1.4}
            />
            <SvgText x={frame.right + 6} y={d(0) - 5}>
              spent
            </SvgText>
            <SvgText x={frame.right + 6} y={d(0) + 13}>
              saved
            </SvgText>
            {course.beside.map((one, i) => (
              <Beside
                key={one.name}
                one={one}
                edges={edges}
                x={x}
                frame={{
                  ...frame,
                  top: lower.bottom + GAP + i * (BESIDE + GAP),
                  bottom: lower.bottom + GAP + i * (BESIDE + GAP) + BESIDE,
                }}
              />
            ))}
            <SpanAxis x={x} frame={frame} values={seconds} said={(s) => `${s} s`} />
          </>
        );
      }}
    </Plot>
  );
}
