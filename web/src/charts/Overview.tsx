import { type KeyboardEvent, useEffect, useMemo, useRef } from "react";
import type uPlot from "uplot";
import type { Trace } from "../api/client";
import { Box } from "../kit";
import { type DrawnRun, drawLegs, frameAt, ink, LEFT, line, RIGHT, timeOf } from "./traceDrawing";
import { useUplot } from "./useUplot";
import { useWidth } from "./useWidth";

interface Props {
  trace: Trace;
  run: DrawnRun;
  start: number;
  stop: number;
  onZoom: (start: number, stop: number) => void;
}

/** The whole run, its legs by name, and the window: dragging chooses another, the arrows move it by half of itself. */
export function Overview(props: Props) {
  const { trace, run, start, stop, onZoom } = props;
  const [ref, width] = useWidth<HTMLDivElement>(1000);
  const now = useRef(props);
  now.current = props;
  const frame = (u: uPlot) => {
    const { start: from, stop: to, trace: whole } = now.current;
    if (from === 0 && to >= run.total) return;
    const a = u.valToPos(timeOf(whole, from) ?? 0, "x", true);
    const b = u.valToPos(timeOf(whole, to - 1) ?? whole.start_s.at(-1) ?? 0, "x", true);
    u.ctx.save();
    u.ctx.strokeStyle = ink("ink");
    u.ctx.lineWidth = 1.6 * devicePixelRatio;
    u.ctx.strokeRect(a - 1, u.bbox.top, Math.max(3, b - a + 2), u.bbox.height);
    u.ctx.restore();
  };
  const plot = useUplot(ref, {
    of: run.id,
    width,
    data: useMemo(() => line(trace), [trace]),
    options: () => ({
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
        draw: [(u) => drawLegs(u, now.current.trace, run, true), frame],
        setSelect: [
          (u) => {
            const { left, width: wide } = u.select;
            if (wide < 3) return;
            const whole = now.current.trace;
            const [a, b] = [u.posToVal(left, "x"), u.posToVal(left + wide, "x")];
            u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
            now.current.onZoom(frameAt(whole, a), frameAt(whole, b) + whole.step);
          },
        ],
      },
    }),
  });
  useEffect(() => plot.current?.redraw(false), [start, stop, plot]);
  const span = stop - start;
  const onKey = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    const by = Math.max(1, Math.round(span / 2));
    const to = {
      ArrowLeft: start - by,
      ArrowRight: start + by,
      Home: 0,
      End: run.total - span,
    }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    const from = Math.max(0, Math.min(run.total - span, to));
    onZoom(from, from + span);
  };
  const seconds = (at: number) => (timeOf(trace, at) ?? trace.start_s.at(-1) ?? 0).toFixed(1);
  return (
    <Box
      ref={ref}
      tabIndex={0}
      role="slider"
      aria-label="The window on the whole run"
      aria-valuemin={0}
      aria-valuemax={Math.max(0, run.total - span)}
      aria-valuenow={start}
      aria-valuetext={
        span >= run.total ? "the whole run" : `from ${seconds(start)} to ${seconds(stop - 1)} s of the run`
      }
      onKeyDown={onKey}
      data-testid="overview"
      sx={{ height: 76 }}
    />
  );
}
