import { scaleLinear } from "@visx/scale";
import { useRef, useState } from "react";
import { useParams } from "react-router";
import type { DrawnLine, LinePoint } from "../api/trend";
import { useKeys } from "../app/keys";
import { Box, colour, SvgText } from "../kit";
import { BudgetLine, type Scale, thinned, ValueAxis } from "./axes";
import { ChartTools, TableBehind } from "./copy";
import { type Frame, Plot } from "./Plot";
import type { ChartTable } from "./table";
import { bases, pieces } from "./trend";

interface Props {
  line: DrawnLine;
  label: string;
  budget: number | null;
  /** Builds that left the line, and wait for an answer or got one. */
  alarms: readonly { build: string; open: boolean }[];
}

const MARGIN = { left: 46, right: 20, top: 40, bottom: 40 };
const HEIGHT = 330;

/** A share is drawn in per cent. */
const shownAs = (unit: string) => (unit === "%" ? 100 : 1);

function tableOf(line: DrawnLine): ChartTable {
  const scale = shownAs(line.unit);
  const value = (y: number | null) => (y === null ? null : Number((scale * y).toPrecision(6)));
  return {
    head: ["build", `${line.unit} measured`, "as drawn", "from", "to", "level", "runs", "sessions"],
    rows: line.points.map((p) => [
      p.build,
      value(p.measured),
      value(p.level),
      value(p.low),
      value(p.high),
      value(p.fitted),
      p.runs.length,
      p.sessions,
    ]),
  };
}

interface Drawn {
  line: DrawnLine;
  at: (point: { x: number; stretch: number }) => number;
  y: (value: number) => number;
  frame: Frame;
}

/** The level of each stretch with its interval, a step up or down where one begins. */
function Levels({ line, at, y, half }: Drawn & { half: number }) {
  const begins = new Set(line.steps.map((s) => s.x));
  const found = pieces(line.points, (i) => begins.has(line.points[i]?.x ?? -1));
  const run = (piece: readonly LinePoint[], of: (p: LinePoint) => number) =>
    piece.map((p) => `${at(p)} ${y(of(p))}`);
  return (
    <>
      {found.map((piece) => {
        const [first, last] = [piece[0], piece.at(-1)];
        if (!first || !last) return null;
        const flat = (of: (p: LinePoint) => number) => [
          `${at(first) - half} ${y(of(first))}`,
          ...run(piece, of),
          `${at(last) + half} ${y(of(last))}`,
        ];
        const band = [...flat((p) => p.fitted_high), ...flat((p) => p.fitted_low).reverse()];
        return (
          <g key={`${first.stretch} ${first.x}`}>
            <path d={`M${band.join("L")}Z`} fill={colour.ink} fillOpacity={0.1} />
            <path d={`M${flat((p) => p.fitted).join("L")}`} fill="none" stroke={colour.ink} strokeWidth={2} />
          </g>
        );
      })}
    </>
  );
}

/** Each build: its runs as faint dots, and where a repeat of it would lie. */
function Builds({ line, at, y }: Drawn) {
  return (
    <>
      {line.points.map((p) => (
        <g key={`${p.stretch} ${p.x}`} opacity={p.fresh ? 0.55 : 1}>
          {p.low !== null && p.high !== null && (
            <path d={`M${at(p)} ${y(p.low)}V${y(p.high)}`} stroke={colour.rule} strokeWidth={2} />
          )}
          {p.runs.map((r) => (
            <circle key={r.run} cx={at(p)} cy={y(r.value)} r={1.8} fill={colour.faded} fillOpacity={0.5} />
          ))}
          {p.odd ? (
            <path
              d={`M${at(p)} ${y(p.level) - 5}l5 5l-5 5l-5 -5Z`}
              fill={colour.sheet}
              stroke={colour.ink}
              strokeWidth={1.4}
            />
          ) : (
            <circle cx={at(p)} cy={y(p.level)} r={3} fill={colour.ink} />
          )}
        </g>
      ))}
    </>
  );
}

/** A step: a rule where it begins, its size over it, and a bracket over the builds it may begin with. */
function Steps({ line, at, frame, half }: Drawn & { half: number }) {
  const stretch = (x: number) => [...line.points].reverse().find((p) => p.x === x)?.stretch ?? 0;
  return (
    <>
      {line.steps.map((s) => {
        const own = stretch(s.x);
        const place = at({ x: s.x, stretch: own }) - half;
        const [from, to] = [at({ x: s.first, stretch: own }) - half, at({ x: s.last, stretch: own }) - half];
        return (
          <g key={s.x}>
            <path d={`M${place} ${frame.top - 8}V${frame.bottom}`} stroke={colour.ink} strokeWidth={1.2} />
            {to > from && (
              <path
                d={`M${from} ${frame.bottom - 7}v7H${to}v-7`}
                fill="none"
                stroke={colour.ink}
                strokeWidth={1.6}
              />
            )}
            <SvgText ink x={place} y={frame.top - 13} textAnchor="middle" fontWeight={s.material ? 650 : 400}>
              {s.size}
            </SvgText>
          </g>
        );
      })}
      {line.drifts.map((d) => {
        const own = stretch(d.last);
        const [from, to] = [at({ x: d.first, stretch: own }), at({ x: d.last, stretch: own })];
        return (
          <g key={`drift ${d.first}`}>
            <path
              d={`M${from} ${frame.top - 3}v-5H${to}v5`}
              fill="none"
              stroke={colour.faded}
              strokeDasharray="4 3"
              strokeWidth={1.4}
            />
            <SvgText x={(from + to) / 2} y={frame.top - 13} textAnchor="middle">
              drift
            </SvgText>
          </g>
        );
      })}
    </>
  );
}

/** The gap between two set-ups with its reason written in it; joined by a bridge it is crossed by a dotted line. */
function Gaps({ line, at, frame }: Drawn) {
  return (
    <>
      {line.breaks.map((b, i) => {
        const before = [...line.points].reverse().find((p) => p.stretch === i);
        const after = line.points.find((p) => p.stretch === i + 1);
        if (!before || !after) return null;
        const [from, to] = [at(before), at(after)];
        const middle = (from + to) / 2;
        const most = Math.floor((frame.bottom - frame.top) / 6.4);
        const reason = b.reason.length > most ? `${b.reason.slice(0, most - 1)}…` : b.reason;
        return (
          <g key={`${b.at} ${b.reason}`}>
            <path
              d={`M${from + (to - from) * 0.25} ${frame.top}V${frame.bottom}M${from + (to - from) * 0.75} ${frame.top}V${frame.bottom}`}
              stroke={colour.rule}
              strokeWidth={1.4}
              {...(b.bridged && { strokeDasharray: "2 4" })}
            />
            <SvgText
              transform={`translate(${middle + 4} ${(frame.top + frame.bottom) / 2}) rotate(-90)`}
              textAnchor="middle"
            >
              {reason}
            </SvgText>
          </g>
        );
      })}
    </>
  );
}

/** Builds along the foot, those named that there is room for; the newest always. */
function Named({ line, at, frame }: Drawn) {
  const seen = new Map<string, LinePoint>();
  for (const p of line.points) if (!seen.has(p.build)) seen.set(p.build, p);
  const all = [...seen.values()];
  const longest = Math.max(...all.map((p) => p.build.length));
  return (
    <>
      {thinned(all, frame.right - frame.left, 16 + 7 * longest).map((p) => (
        <SvgText key={p.build} x={at(p)} y={frame.bottom + 18} textAnchor="middle">
          {p.build}
        </SvgText>
      ))}
      <SvgText x={frame.right} y={frame.height - 3} textAnchor="end">
        builds, the newest at the right
      </SvgText>
    </>
  );
}

/** A figure over builds: its level in steps, what builds say of it, gaps where something else changed. */
export function TrendChart({ line, label, budget, alarms }: Props) {
  const { book = "" } = useParams();
  const [behind, setBehind] = useState(false);
  const drawing = useRef<HTMLDivElement>(null);
  useKeys({ t: () => setBehind(!behind) });
  const { points } = line;
  if (points.length === 0) return null;
  const scale = shownAs(line.unit);
  const base = bases(points);
  const place = (p: { x: number; stretch: number }) => p.x + (base[p.stretch] ?? 0);
  const most = Math.max(...points.map(place));
  const values = points.flatMap((p) => [p.level, p.fitted_low, p.fitted_high, ...p.runs.map((r) => r.value)]);
  const span = [Math.min(...values), Math.max(...values)] as const;
  // A budget that is far away would press the line flat.
  const near = budget !== null && budget < span[1] * 1.25 && budget > span[0] * 0.8 ? budget : null;
  const across = (frame: { left: number; right: number }) =>
    scaleLinear<number>({ domain: [-0.5, most + 0.5], range: [frame.left, frame.right] });
  return (
    <>
      <Box ref={drawing} sx={{ marginTop: 6 }}>
        <Plot
          label={label}
          height={HEIGHT}
          margin={MARGIN}
          marks={(frame) =>
            points.map((p) => ({
              x: across(frame)(place(p)),
              said: `${p.build}: ${p.words}${p.odd ? ", odd" : ""}`,
              ...(p.runs[0] && { to: `/${book}/runs/${p.runs[0].run}` }),
            }))
          }
        >
          {(frame) => {
            const x = across(frame);
            const axis: Scale = scaleLinear<number>({
              domain: [
                scale * Math.min(span[0], near ?? span[0]),
                scale * Math.max(span[1], near ?? span[1]),
              ],
              range: [frame.bottom, frame.top],
              nice: 4,
            });
            const drawn: Drawn = { line, at: (p) => x(place(p)), y: (v) => axis(scale * v), frame };
            const half = (x(1) - x(0)) / 2;
            return (
              <>
                <ValueAxis y={axis} frame={frame} unit={line.unit} />
                <BudgetLine y={axis} frame={frame} budget={near} />
                <Gaps {...drawn} />
                <Levels {...drawn} half={half} />
                <Builds {...drawn} />
                <Steps {...drawn} half={half} />
                {alarms.map((a) => {
                  const p = [...points].reverse().find((one) => one.build === a.build);
                  return (
                    p && (
                      <circle
                        key={a.build}
                        cx={drawn.at(p)}
                        cy={drawn.y(p.level)}
                        r={8}
                        fill="none"
                        stroke={colour.ink}
                        strokeWidth={a.open ? 2 : 1}
                        {...(!a.open && { strokeDasharray: "2 2" })}
                      />
                    )
                  );
                })}
                <Named {...drawn} />
              </>
            );
          }}
        </Plot>
      </Box>
      <Box sx={{ display: "flex" }}>
        <ChartTools
          table={() => tableOf(line)}
          drawing={drawing}
          shown={behind}
          toggle={() => setBehind(!behind)}
        />
      </Box>
      {behind && <TableBehind table={tableOf(line)} />}
    </>
  );
}
