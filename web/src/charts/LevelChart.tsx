import { scaleLinear } from "@visx/scale";
import { useRef, useState } from "react";
import { useParams } from "react-router";
import { useKeys } from "../app/keys";
import { Box, colour, SvgText } from "../kit";
import { BudgetLine, type Scale, SpanAxis, ValueAxis } from "./axes";
import { ChartTools, TableBehind } from "./copy";
import { type Frame, Plot } from "./Plot";
import type { ChartTable } from "./table";

export interface Level {
  value: number;
  ms: number;
  runs: readonly { run: string; ms: number }[];
}

/** Where the budget is met, with the ends of its interval; open ends are null. */
export interface Capacity {
  value: number | null;
  low: number | null;
  high: number | null;
  said: string;
}

/** One arm over the settings. */
export interface LevelArm {
  name: string;
  levels: readonly Level[];
  /** Levels that a refresh cap holds: drawn, and in no line. */
  held?: readonly Level[];
  /** Rows of setting, fitted ms, and the ends of its band. */
  band?: readonly (readonly number[])[];
  capacity?: Capacity;
  /** Values that cannot be told from the best: they are underlined. */
  underlined?: readonly boolean[];
}

interface Props {
  label: string;
  arms: readonly LevelArm[];
  /** What stands along it. */
  name: string;
  budget: number | null;
}

const MARGIN = { left: 44, right: 110, top: 22, bottom: 44 };
const few = (value: number) => value.toLocaleString("en-GB", { maximumFractionDigits: 1 });

function tableOf(arms: readonly LevelArm[], name: string): ChartTable {
  const named = arms.length > 1;
  return {
    head: [...(named ? ["arm"] : []), name, "ms", "runs"],
    rows: arms.flatMap((arm) =>
      [...arm.levels, ...(arm.held ?? [])].map((l) => [
        ...(named ? [arm.name] : []),
        l.value,
        l.ms,
        l.runs.map((r) => r.ms.toFixed(3)).join(" "),
      ]),
    ),
  };
}

/** Where arms' names stand beside the ends of their lines: 14 px apart, from the uppermost down, and not over the budget's. */
function besides(ends: readonly number[], taken: number | null): number[] {
  const places = ends.map((at) =>
    taken !== null && Math.abs(at - taken) < 14 ? taken + (at < taken ? -14 : 14) : at,
  );
  const order = [...places.keys()].sort((a, b) => (places[a] ?? 0) - (places[b] ?? 0));
  for (const [i, one] of order.entries()) {
    const above = places[order[i - 1] ?? -1];
    if (above === undefined) continue;
    let at = Math.max(places[one] ?? 0, above + 14);
    if (taken !== null && Math.abs(at - taken) < 14) at = taken + 14;
    places[one] = at;
  }
  return places;
}

/** Ascending values without those whose labels would cover the one before. */
function spaced(values: readonly number[]): number[] {
  const apart = ((values.at(-1) ?? 1) - (values[0] ?? 0)) / 18;
  const kept: number[] = [];
  for (const value of values) {
    const last = kept.at(-1);
    if (last === undefined || value - last >= apart) kept.push(value);
  }
  return kept;
}

interface ArmProps {
  arm: LevelArm;
  x: Scale;
  y: Scale;
  /** The first of two is drawn hollow, and dashed. */
  hollow: boolean;
}

/** The line of one arm with its band, and its runs as dots. */
function Arm({ arm, x, y, hollow }: ArmProps) {
  const tone = hollow ? colour.before : colour.after;
  const band = arm.band ?? [];
  const edge = (at: 2 | 3) => band.map((row) => `${x(row[0] ?? 0)} ${y(row[at] ?? 0)}`);
  return (
    <>
      {band.length > 1 && (
        <path
          d={`M${[...edge(3), ...edge(2).reverse()].join("L")}Z`}
          fill={tone}
          fillOpacity={hollow ? 0.1 : 0.16}
        />
      )}
      {arm.levels.length > 1 && (
        <path
          d={`M${arm.levels.map((l) => `${x(l.value)} ${y(l.ms)}`).join("L")}`}
          fill="none"
          stroke={tone}
          strokeWidth={1.6}
          {...(hollow ? { strokeDasharray: "5 3" } : {})}
        />
      )}
      {arm.levels.flatMap((l) =>
        l.runs.map((r) => (
          <circle
            key={r.run}
            cx={x(l.value)}
            cy={y(r.ms)}
            r={3}
            fill={hollow ? colour.paper : tone}
            stroke={tone}
            strokeWidth={hollow ? 1.3 : 0}
            fillOpacity={hollow ? 1 : 0.75}
          />
        )),
      )}
      {arm.held?.flatMap((l) =>
        l.runs.map((r) => (
          <path
            key={r.run}
            d={`M${x(l.value) - 4} ${y(r.ms)}h8`}
            stroke={colour.faded}
            strokeWidth={1.5}
            fill="none"
          />
        )),
      )}
    </>
  );
}

interface CapacityProps {
  found: Capacity;
  x: Scale;
  y: Scale;
  frame: Frame;
  budget: number | null;
  /** Brackets of two arms stand over each other. */
  place: number;
}

/** From the lower to the upper end on the axis; an open end runs to the edge. */
function Bracket({ found, x, y, frame, budget, place }: CapacityProps) {
  if (found.value === null && found.low === null && found.high === null) return null;
  const [first = 0, last = 0] = x.domain();
  const floor = frame.bottom - 22 * place;
  const end = (v: number | null, open: number) => x(Math.min(last, Math.max(first, v ?? open)));
  const at = end(found.value ?? found.high ?? found.low, last);
  const inward = at + 7 * found.said.length > frame.right + MARGIN.right;
  return (
    <>
      <path
        d={`M${end(found.low, first)} ${floor - 9}v9H${end(found.high, last)}v-9`}
        fill="none"
        stroke={colour.ink}
        strokeWidth={1.8}
      />
      {found.value !== null && budget !== null && (
        <path
          d={`M${x(found.value)} ${y(budget)}V${frame.bottom}`}
          stroke={colour.ink}
          strokeDasharray="2 3"
        />
      )}
      <SvgText ink x={at + (inward ? -8 : 6)} y={floor - 12} textAnchor={inward ? "end" : "start"}>
        {found.said}
      </SvgText>
    </>
  );
}

/** Runs as dots over what was set, the fitted line of each arm with its band, and the budget as a ruled line. */
export function LevelChart({ label, arms, name, budget }: Props) {
  const { book = "" } = useParams();
  const [behind, setBehind] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setBehind(!behind) });
  const levels = arms.flatMap((arm) => [...arm.levels, ...(arm.held ?? [])]);
  if (levels.length === 0) return null;
  const values = [...new Set(levels.map((l) => l.value))].sort((a, b) => a - b);
  const all = [
    ...levels.flatMap((l) => [l.ms, ...l.runs.map((r) => r.ms)]),
    ...arms.flatMap((arm) => (arm.band ?? []).flatMap((row) => row.slice(2))),
  ];
  const across = (frame: { left: number; right: number }) =>
    scaleLinear<number>({
      domain: [values[0] ?? 0, values.at(-1) ?? 1],
      range: [frame.left + 12, frame.right - 12],
    });
  const labelled = spaced(values);
  return (
    <>
      <Box ref={drawing} sx={{ marginTop: 8 }}>
        <Plot
          label={label}
          height={320}
          margin={MARGIN}
          marks={(frame) =>
            arms.flatMap((arm) =>
              [...arm.levels, ...(arm.held ?? [])].flatMap((l) =>
                l.runs.map((r) => ({
                  x: across(frame)(l.value),
                  said: `${arms.length > 1 ? `${arm.name}, ` : ""}${few(l.value)} ${name}: ${r.ms.toFixed(2)} ms`,
                  to: `/${book}/runs/${r.run}`,
                })),
              ),
            )
          }
        >
          {(frame) => {
            const x = across(frame);
            const y = scaleLinear<number>({
              domain: [
                Math.min(...all, budget ?? Number.POSITIVE_INFINITY) * 0.94,
                Math.max(...all, budget ?? 0) * 1.04,
              ],
              range: [frame.bottom, frame.top],
              nice: 4,
            });
            const named = besides(
              arms.map((arm) => y(arm.levels.at(-1)?.ms ?? 0)),
              budget === null ? null : y(budget),
            );
            return (
              <>
                <ValueAxis y={y} frame={frame} unit="ms" />
                <SpanAxis x={x} frame={frame} values={labelled} said={few} name={name} marked />
                <BudgetLine y={y} frame={frame} budget={budget} />
                {arms.map((arm, i) => (
                  <Arm key={arm.name} arm={arm} x={x} y={y} hollow={arms.length === 2 && i === 0} />
                ))}
                {arms.length > 1 &&
                  arms.map((arm, i) => {
                    const last = arm.levels.at(-1);
                    return (
                      last && (
                        <SvgText
                          key={arm.name}
                          ink
                          x={x(last.value) + 10}
                          y={named[i] ?? 0}
                          dominantBaseline="middle"
                        >
                          {arm.name}
                        </SvgText>
                      )
                    );
                  })}
                {arms.length === 1 &&
                  arms[0]?.underlined?.map(
                    (yes, i) =>
                      yes && (
                        <path
                          key={arms[0]?.levels[i]?.value}
                          d={`M${x(arms[0]?.levels[i]?.value ?? 0) - 12} ${frame.bottom + 24}h24`}
                          stroke={colour.ink}
                          strokeWidth={2.5}
                        />
                      ),
                  )}
                {arms.map(
                  (arm, i) =>
                    arm.capacity && (
                      <Bracket
                        key={arm.name}
                        found={arm.capacity}
                        x={x}
                        y={y}
                        frame={frame}
                        budget={budget}
                        place={i}
                      />
                    ),
                )}
              </>
            );
          }}
        </Plot>
      </Box>
      <Box sx={{ display: "flex" }}>
        <ChartTools
          table={() => tableOf(arms, name)}
          drawing={drawing}
          shown={behind}
          toggle={() => setBehind(!behind)}
        />
      </Box>
      {behind && <TableBehind table={tableOf(arms, name)} />}
    </>
  );
}
