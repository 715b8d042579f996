/** What is drawn of a trace, on the canvas: as it stands, in the colours of now. */

import type uPlot from "uplot";
import type { Run, Trace } from "../api/client";
import { type Colour, PREFIX } from "../kit/palette";

export type DrawnRun = Run & { total: number };
export const LEFT = 54;
export const RIGHT = 104;
export const LANE_STYLES: { color: Colour; width: number }[] = [
  { color: "plum", width: 1 },
  { color: "teal", width: 2 },
  { color: "olive", width: 1.4 },
];

/** A colour as it is now: the canvas does not follow variables by itself, it is drawn again when they change. */
export const ink = (name: Colour) =>
  getComputedStyle(document.documentElement).getPropertyValue(`--${PREFIX}-palette-${name}`).trim();
export const font = (size = 12) => `${size * devicePixelRatio}px "Inter Variable", sans-serif`;

/** The points of a trace as one line: each frame, or lowest and highest of each group. */
export function line(trace: Trace): [number[], number[]] {
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
export function frameAt(trace: Trace, seconds: number): number {
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

export const timeOf = (trace: Trace, frame: number) =>
  trace.start_s[Math.floor((frame - trace.start) / trace.step)];

export function axes(timed: boolean): uPlot.Axis[] {
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

/** What the values are of, over their axis. */
export const drawUnit = (u: uPlot) => drawWord(u, "ms");

export function drawWord(u: uPlot, word: string) {
  u.ctx.save();
  u.ctx.fillStyle = ink("faded");
  u.ctx.font = font();
  u.ctx.textAlign = "left";
  u.ctx.fillText(word, 2 * devicePixelRatio, 10 * devicePixelRatio);
  u.ctx.restore();
}

/** The budget: a ruled line in ink with its value written on it. */
export function drawBudget(u: uPlot, budget: number | null) {
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

const hatches = new Map<string, CanvasPattern | null>();

/** Fine strokes upward, in one colour; made once each. */
function hatching(u: uPlot, colour: string): CanvasPattern | null {
  const key = `${colour} ${devicePixelRatio}`;
  const known = hatches.get(key);
  if (known) return known;
  const size = 6 * devicePixelRatio;
  const tile = document.createElement("canvas");
  tile.width = tile.height = size;
  const context = tile.getContext("2d");
  if (context) {
    context.strokeStyle = colour;
    context.lineWidth = devicePixelRatio;
    context.beginPath();
    for (const at of [-size, 0, size]) {
      context.moveTo(at, size);
      context.lineTo(at + size, 0);
    }
    context.stroke();
  }
  const pattern = u.ctx.createPattern(tile, "repeat");
  hatches.set(key, pattern);
  return pattern;
}

/** Late frames: what of them is over the budget is hatched. */
export function drawLate(u: uPlot, trace: Trace, budget: number | null) {
  const highest = trace.step === 1 ? trace.low : trace.high;
  const pattern = budget === null ? null : hatching(u, ink("ink"));
  if (budget === null || !pattern) return;
  const base = u.valToPos(budget, "y", true);
  const least = 3 * devicePixelRatio;
  u.ctx.save();
  u.ctx.beginPath();
  u.ctx.rect(u.bbox.left, u.bbox.top, u.bbox.width, u.bbox.height);
  u.ctx.clip();
  u.ctx.fillStyle = pattern;
  u.ctx.beginPath();
  highest.forEach((ms, i) => {
    if (ms <= budget) return;
    const from = u.valToPos(trace.start_s[i] ?? 0, "x", true);
    const to = u.valToPos(trace.start_s[i + 1] ?? trace.start_s[i] ?? 0, "x", true);
    const wide = Math.max(least, to - from);
    const top = u.valToPos(ms, "y", true);
    u.ctx.rect(from - wide / 2, top, wide, base - top);
  });
  u.ctx.fill();
  u.ctx.restore();
}

/** The largest stutters in view carry their longest frame's time; labels that would overlap are left out. */
export function drawStutters(u: uPlot, trace: Trace, run: DrawnRun) {
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

export function drawLegs(u: uPlot, trace: Trace, run: DrawnRun, named: boolean) {
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
    const nextTime = next ? timeOf(trace, next.index) : undefined;
    const end = nextTime === undefined ? left + width : u.valToPos(nextTime, "x", true);
    const pattern = leg.play ? null : hatching(u, ink("rule"));
    if (pattern) {
      // What does not count is hatched over its whole height.
      const from = Math.max(x, left);
      u.ctx.save();
      u.ctx.fillStyle = pattern;
      u.ctx.fillRect(from, top, Math.max(0, Math.min(end, left + width) - from), height);
      u.ctx.restore();
    }
    if (x >= left - 1 && x <= left + width) {
      u.ctx.beginPath();
      u.ctx.moveTo(x, top);
      u.ctx.lineTo(x, top + height);
      u.ctx.stroke();
    }
    if (named) {
      const text = leg.play ? leg.name : `${leg.name} (not play)`;
      if (u.ctx.measureText(text).width < end - x - 8)
        u.ctx.fillText(text, Math.max(x, left) + 5 * devicePixelRatio, top + height + 14 * devicePixelRatio);
    }
  });
  u.ctx.restore();
}

/** Another run under this one, by the time since its own start: its lowest and highest as a faded, dashed line. */
export function drawUnder(u: uPlot, under: Trace | null) {
  if (!under) return;
  const [x, y] = line(under);
  u.ctx.save();
  u.ctx.beginPath();
  u.ctx.rect(u.bbox.left, u.bbox.top, u.bbox.width, u.bbox.height);
  u.ctx.clip();
  u.ctx.strokeStyle = ink("before");
  u.ctx.lineWidth = devicePixelRatio;
  u.ctx.setLineDash([4 * devicePixelRatio, 3 * devicePixelRatio]);
  u.ctx.beginPath();
  x.forEach((t, i) => {
    const to = [u.valToPos(t, "x", true), u.valToPos(y[i] ?? 0, "y", true)] as const;
    if (i === 0) u.ctx.moveTo(...to);
    else u.ctx.lineTo(...to);
  });
  u.ctx.stroke();
  u.ctx.restore();
}

export function drawChosen(u: uPlot, trace: Trace, frame: number | null) {
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
