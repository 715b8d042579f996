import { useEffect, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { Run, Trace } from "../api/client";
import { Box } from "../kit";
import { type Colour, PREFIX } from "../kit/palette";
import { useScheme } from "./useScheme";
import { useWidth } from "./useWidth";

export type DrawnRun = Run & { total: number };
const LEFT = 54;
const RIGHT = 104;
const LANE_STYLES: { color: Colour; width: number }[] = [
  { color: "plum", width: 1 },
  { color: "teal", width: 2 },
  { color: "olive", width: 1.4 },
];

/** A colour as it is now: the canvas does not follow variables by itself, it is drawn again when they change. */
const ink = (name: Colour) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${PREFIX}-palette-${name}`).trim();
const font = (size = 12) => `${size * devicePixelRatio}px "Inter Variable", sans-serif`;

/** The points of a trace as one line: each frame, or lowest and highest of each group. */
function line(trace: Trace): [number[], number[]] {
  if (trace.step === 1) return [trace.start_s as number[], trace.low as number[]];
  const x: number[] = [];
  const y: number[] = [];
  trace.start_s.forEach((t, i) => {
    x.push(t, t);
    y.push(trace.low[i] ?? 0, trace.high[i] ?? 0);
  });
  return [x, y];
}

/** The frame that holds a time of the trace. */
function frameAt(trace: Trace, seconds: number): number {
  const at = trace.start_s;
  let low = 0;
  let high = at.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((at[middle] ?? 0) <= seconds) low = middle;
    else high = middle - 1;
  }
  return trace.start + low * trace.step;
}

const timeOf = (trace: Trace, frame: number) => trace.start_s[Math.floor((frame - trace.start) / trace.step)];

function axes(timed: boolean): uPlot.Axis[] {
  const common = {
    stroke: () => ink("faded"),
    font: '12px "Inter Variable", sans-serif',
    ticks: { show: false },
  };
  return [
    {
      ...common,
      grid: { show: false },
      size: timed ? 26 : 6,
      values: (_, ticks) => ticks.map((t) => (timed ? `${t} s` : "")),
    },
    {
      ...common,
      size: LEFT,
      grid: { stroke: () => ink("rule"), width: 0.6 },
      values: (_, ticks) => ticks.map((t) => `${t}`),
    },
  ];
}

/** The budget: a ruled line in ink with its value written on it. */
function drawBudget(u: uPlot, budget: number | null) {
  if (budget === null) return;
  const y = u.valToPos(budget, "y", true);
  const { left, top, width, height } = u.bbox;
  if (y < top || y > top + height) return;
  u.ctx.save();
  u.ctx.strokeStyle = u.ctx.fillStyle = ink("ink");
  u.ctx.lineWidth = devicePixelRatio;
  u.ctx.beginPath();
  u.ctx.moveTo(left, y);
  u.ctx.lineTo(left + width, y);
  u.ctx.stroke();
  u.ctx.font = font();
  u.ctx.textAlign = "left";
  u.ctx.fillText(
    `budget ${budget.toFixed(2)}`,
    left + width + 6 * devicePixelRatio,
    y + 4 * devicePixelRatio,
  );
  u.ctx.restore();
}

/** The largest stutters in view carry their longest frame's time; labels that would overlap are left out. */
function drawStutters(u: uPlot, trace: Trace, run: DrawnRun) {
  const seen = run.stutters
    .filter((s) => s.worst >= trace.start && s.worst < trace.stop)
    .sort((a, b) => b.size_ms - a.size_ms)
    .slice(0, 12);
  const taken: number[] = [];
  u.ctx.save();
  u.ctx.fillStyle = ink("ink");
  u.ctx.font = font();
  u.ctx.textAlign = "center";
  for (const s of seen) {
    const t = timeOf(trace, s.worst);
    if (t === undefined) continue;
    const x = u.valToPos(t, "x", true);
    if (taken.some((other) => Math.abs(other - x) < 34 * devicePixelRatio)) continue;
    taken.push(x);
    u.ctx.fillText(s.longest_ms.toFixed(1), x, u.valToPos(s.longest_ms, "y", true) - 5 * devicePixelRatio);
  }
  u.ctx.restore();
}

function drawLegs(u: uPlot, trace: Trace, run: DrawnRun, named: boolean) {
  const { left, top, width, height } = u.bbox;
  u.ctx.save();
  u.ctx.strokeStyle = ink("rule");
  u.ctx.fillStyle = ink("faded");
  u.ctx.font = font();
  u.ctx.textAlign = "left";
  run.legs.forEach((leg, i) => {
    const t = timeOf(trace, Math.max(leg.index, trace.start));
    const next = run.legs[i + 1];
    if (t === undefined || leg.index >= trace.stop || (next && next.index <= trace.start)) return;
    const x = u.valToPos(t, "x", true);
    if (x >= left - 1 && x <= left + width) {
      u.ctx.beginPath();
      u.ctx.moveTo(x, top);
      u.ctx.lineTo(x, top + height);
      u.ctx.stroke();
    }
    if (named) {
      const nextTime = next ? timeOf(trace, next.index) : undefined;
      const end = nextTime === undefined ? left + width : u.valToPos(nextTime, "x", true);
      const text = leg.play ? leg.name : `${leg.name} (not play)`;
      if (u.ctx.measureText(text).width < end - x - 8)
        u.ctx.fillText(text, Math.max(x, left) + 5 * devicePixelRatio, top + height + 14 * devicePixelRatio);
    }
  });
  u.ctx.restore();
}

function drawChosen(u: uPlot, trace: Trace, frame: number | null) {
  const t = frame === null ? undefined : timeOf(trace, frame);
  if (t === undefined || frame === null || frame < trace.start || frame >= trace.stop) return;
  const x = u.valToPos(t, "x", true);
  u.ctx.save();
  u.ctx.strokeStyle = ink("ink");
  u.ctx.lineWidth = 1.2 * devicePixelRatio;
  u.ctx.setLineDash([2 * devicePixelRatio, 2 * devicePixelRatio]);
  u.ctx.beginPath();
  u.ctx.moveTo(x, u.bbox.top);
  u.ctx.lineTo(x, u.bbox.top + u.bbox.height);
  u.ctx.stroke();
  u.ctx.restore();
}

interface TraceProps {
  trace: Trace;
  run: DrawnRun;
  frame: number | null;
  onZoom: (start: number, stop: number) => void;
  onChoose: (frame: number) => void;
  onReset: () => void;
}

/** Frame times and lanes under one cursor. Drag zooms, a click chooses a frame, a double click resets. */
export function TraceChart(props: TraceProps) {
  const { trace, run, frame } = props;
  const [ref, width] = useWidth<HTMLDivElement>(1000);
  const current = useRef(props);
  const plots = useRef<uPlot[]>([]);
  useEffect(() => {
    current.current = props;
  });

  useEffect(() => {
    const host = ref.current;
    if (!host || !width) return;
    const sync = uPlot.sync(`run-${run.id}`);
    const cursor: uPlot.Cursor = {
      sync: { key: sync.key },
      drag: { x: true, y: false, setScale: false },
      points: { show: false },
    };
    const select = (u: uPlot) => {
      const { left, width: wide } = u.select;
      if (wide < 3) return;
      const [a, b] = [u.posToVal(left, "x"), u.posToVal(left + wide, "x")];
      u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
      current.current.onZoom(frameAt(trace, a), frameAt(trace, b) + trace.step);
    };
    const common = {
      width,
      cursor,
      legend: { show: false },
      scales: { x: { time: false } },
      padding: [14, RIGHT, 0, 0] as uPlot.Padding,
    };
    const [x, y] = line(trace);
    const main = new uPlot(
      {
        ...common,
        height: 214,
        axes: axes(run.lanes.length === 0),
        scales: {
          x: { time: false },
          y: { range: (_u, _lo, high) => [0, Math.max(high, (run.budget_ms ?? 0) * 1.15) * 1.06] },
        },
        series: [
          {},
          {
            stroke: () => ink("ink"),
            width: 1,
            points: { show: trace.stop - trace.start <= 150 && trace.step === 1, size: 5 },
          },
        ],
        hooks: {
          draw: [
            (u) => {
              drawLegs(u, trace, run, false);
              drawBudget(u, run.budget_ms);
              drawStutters(u, trace, run);
              drawChosen(u, trace, current.current.frame);
            },
          ],
          setSelect: [select],
        },
      },
      [x, y],
      host,
    );
    const made = [main];
    const lanes = run.lanes.map((l) => l.name);
    if (lanes.length) {
      const nudged: number[] = [];
      const labels = (u: uPlot) => {
        nudged.length = 0;
        u.ctx.save();
        u.ctx.font = font();
        u.ctx.textAlign = "left";
        lanes
          .map((name, i) => ({ name, i, last: (trace.lanes[name] ?? []).findLast((v) => v !== null) ?? 0 }))
          .sort((a, b) => b.last - a.last)
          .forEach(({ name, i, last }) => {
            let at = u.valToPos(last, "y", true) + 4 * devicePixelRatio;
            const above = nudged.at(-1);
            if (above !== undefined && at - above < 14 * devicePixelRatio) at = above + 14 * devicePixelRatio;
            nudged.push(at);
            u.ctx.fillStyle = ink(LANE_STYLES[i % LANE_STYLES.length]?.color ?? "ink");
            u.ctx.fillText(name, u.bbox.left + u.bbox.width + 6 * devicePixelRatio, at);
          });
        u.ctx.restore();
      };
      made.push(
        new uPlot(
          {
            ...common,
            height: 112,
            axes: axes(true),
            scales: { x: { time: false }, y: { range: (_u, _lo, high) => [0, (high || 1) * 1.08] } },
            series: [
              {},
              ...run.lanes.map((lane, i): uPlot.Series => {
                const style = LANE_STYLES[i % LANE_STYLES.length];
                return lane.role === "waiting"
                  ? { stroke: () => ink("faded"), dash: [2, 3], width: 1, points: { show: false } }
                  : {
                      stroke: () => ink(style?.color ?? "ink"),
                      width: style?.width ?? 1,
                      points: { show: false },
                    };
              }),
            ],
            hooks: {
              draw: [labels, (u) => drawChosen(u, trace, current.current.frame)],
              setSelect: [select],
            },
          },
          [trace.start_s as number[], ...lanes.map((n) => (trace.lanes[n] ?? []) as (number | null)[])],
          host,
        ),
      );
    }
    const onClick = (event: MouseEvent) => {
      const over = (event.target as HTMLElement).closest(".u-over");
      if (!over) return;
      const u = made.find((p) => p.over === over);
      if (u && trace.step === 1)
        current.current.onChoose(frameAt(trace, u.posToVal(u.cursor.left ?? 0, "x")));
    };
    const onDouble = () => current.current.onReset();
    host.addEventListener("click", onClick);
    host.addEventListener("dblclick", onDouble);
    plots.current = made;
    return () => {
      host.removeEventListener("click", onClick);
      host.removeEventListener("dblclick", onDouble);
      for (const plot of made) plot.destroy();
      plots.current = [];
    };
  }, [trace, run.id, run.budget_ms, run.lanes, run.legs, run.stutters, width, ref]);

  const scheme = useScheme();
  useEffect(() => {
    for (const plot of plots.current) plot.redraw(false);
  }, [frame, scheme]);

  return (
    <Box
      ref={ref}
      role="img"
      aria-label={`Frame times in ms over seconds: ${trace.said}`}
      data-testid="trace"
      sx={{ minHeight: 214 }}
    />
  );
}

interface OverviewProps {
  trace: Trace;
  run: DrawnRun;
  start: number;
  stop: number;
  onZoom: (start: number, stop: number) => void;
}

/** The whole run, its legs by name, and the window; dragging chooses another. */
export function Overview({ trace, run, start, stop, onZoom }: OverviewProps) {
  const [ref, width] = useWidth<HTMLDivElement>(1000);
  const zoom = useRef(onZoom);
  const plot = useRef<uPlot | null>(null);
  const view = useRef({ start, stop });
  useEffect(() => {
    zoom.current = onZoom;
    view.current = { start, stop };
    plot.current?.redraw(false);
  });
  const scheme = useScheme();
  useEffect(() => plot.current?.redraw(false), [scheme]);
  useEffect(() => {
    const host = ref.current;
    if (!host || !width) return;
    const window_ = (u: uPlot) => {
      const { start: from, stop: to } = view.current;
      if (from === 0 && to >= run.total) return;
      const a = u.valToPos(timeOf(trace, from) ?? 0, "x", true);
      const b = u.valToPos(timeOf(trace, to - 1) ?? trace.start_s.at(-1) ?? 0, "x", true);
      u.ctx.save();
      u.ctx.strokeStyle = ink("ink");
      u.ctx.lineWidth = 1.6 * devicePixelRatio;
      u.ctx.strokeRect(a - 1, u.bbox.top, Math.max(3, b - a + 2), u.bbox.height);
      u.ctx.restore();
    };
    const made = new uPlot(
      {
        width,
        height: 76,
        legend: { show: false },
        cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false },
        padding: [4, RIGHT, 0, 0],
        scales: { x: { time: false }, y: { range: (_u, _lo, high) => [0, high * 1.05] } },
        axes: [
          { show: true, size: 22, values: () => [], grid: { show: false }, ticks: { show: false } },
          { show: true, size: LEFT, values: () => [], grid: { show: false }, ticks: { show: false } },
        ],
        series: [{}, { stroke: () => ink("faded"), width: 1, points: { show: false } }],
        hooks: {
          draw: [(u) => drawLegs(u, trace, run, true), window_],
          setSelect: [
            (u) => {
              const { left, width: wide } = u.select;
              if (wide < 3) return;
              const [a, b] = [u.posToVal(left, "x"), u.posToVal(left + wide, "x")];
              u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
              zoom.current(frameAt(trace, a), frameAt(trace, b) + trace.step);
            },
          ],
        },
      },
      line(trace),
      host,
    );
    plot.current = made;
    return () => {
      made.destroy();
      plot.current = null;
    };
  }, [trace, width, run.id]);
  return <div ref={ref} role="img" aria-label="The whole run with its legs" data-testid="overview" />;
}
