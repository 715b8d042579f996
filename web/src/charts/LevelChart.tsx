import { scaleLinear } from "@visx/scale";
import { useParams } from "react-router";
import { colour, SvgText } from "../kit";
import { BudgetLine, SpanAxis, ValueAxis } from "./axes";
import { Plot } from "./Plot";
import type { ChartTable } from "./table";

export interface Level {
  value: number;
  ms: number;
  runs: readonly { run: string; ms: number }[];
}

interface Props {
  label: string;
  levels: readonly Level[];
  /** What stands along it. */
  name: string;
  budget: number | null;
  /** Where the budget is met, with the ends of its interval; open ends are null. */
  capacity?: { value: number | null; low: number | null; high: number | null; said: string };
  /** Values that cannot be told from the best: they are underlined. */
  underlined?: readonly boolean[];
}

export const levelTable = (levels: readonly Level[], name: string): ChartTable => ({
  head: [name, "ms", "runs"],
  rows: levels.map((l) => [l.value, l.ms, l.runs.map((r) => r.ms.toFixed(3)).join(" ")]),
});

const MARGIN = { left: 44, right: 110, top: 22, bottom: 44 };
const few = (value: number) => value.toLocaleString("en-GB", { maximumFractionDigits: 1 });

/** Runs as dots over what was set, the fitted line through their levels, and the budget as a ruled line. */
export function LevelChart({ label, levels, name, budget, capacity, underlined }: Props) {
  const { book = "" } = useParams();
  const all = levels.flatMap((l) => [l.ms, ...l.runs.map((r) => r.ms)]);
  const across = (frame: { left: number; right: number }) =>
    scaleLinear<number>({
      domain: [Math.min(...levels.map((l) => l.value)), Math.max(...levels.map((l) => l.value))],
      range: [frame.left + 12, frame.right - 12],
    });
  return (
    <Plot
      label={label}
      height={320}
      margin={MARGIN}
      marks={(frame) =>
        levels.flatMap((l) =>
          l.runs.map((r) => ({
            x: across(frame)(l.value),
            said: `${few(l.value)} ${name}: ${r.ms.toFixed(2)} ms`,
            to: `/${book}/runs/${r.run}`,
          })),
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
        const line = levels.map((l) => `${x(l.value)} ${y(l.ms)}`).join("L");
        const end = (v: number | null | undefined, open: number) => x(v ?? open);
        const first = levels[0]?.value ?? 0;
        const last = levels.at(-1)?.value ?? 0;
        return (
          <>
            <ValueAxis y={y} frame={frame} unit="ms" />
            <SpanAxis x={x} frame={frame} values={levels.map((l) => l.value)} said={few} name={name} marked />
            <BudgetLine y={y} frame={frame} budget={budget} />
            <path d={`M${line}`} fill="none" stroke={colour.after} strokeWidth={1.6} />
            {levels.flatMap((l) =>
              l.runs.map((r) => (
                <circle
                  key={r.run}
                  cx={x(l.value)}
                  cy={y(r.ms)}
                  r={3}
                  fill={colour.after}
                  fillOpacity={0.75}
                />
              )),
            )}
            {underlined &&
              levels.map(
                (l, i) =>
                  underlined[i] && (
                    <path
                      key={l.value}
                      d={`M${x(l.value) - 12} ${frame.bottom + 24}h24`}
                      stroke={colour.ink}
                      strokeWidth={2.5}
                    />
                  ),
              )}
            {capacity && (capacity.value !== null || capacity.low !== null || capacity.high !== null) && (
              <>
                <path
                  d={`M${end(capacity.low, first)} ${frame.bottom - 9}v9H${end(capacity.high, last)}v-9`}
                  fill="none"
                  stroke={colour.ink}
                  strokeWidth={1.8}
                />
                {capacity.value !== null && budget !== null && (
                  <path
                    d={`M${x(capacity.value)} ${y(budget)}V${frame.bottom}`}
                    stroke={colour.ink}
                    strokeDasharray="2 3"
                  />
                )}
                <SvgText ink x={end(capacity.value ?? capacity.low, last) + 6} y={frame.bottom - 14}>
                  {capacity.said}
                </SvgText>
              </>
            )}
          </>
        );
      }}
    </Plot>
  );
}
