import { type RefObject, useEffect, useMemo, useRef } from "react";
import uPlot from "uplot";
import type { Trace } from "../api/client";
import { Box } from "../kit";
import {
  axes,
  type DrawnRun,
  drawBudget,
  drawChosen,
  drawLate,
  drawLegs,
  drawStutters,
  drawUnder,
  drawUnit,
  drawWord,
  font,
  frameAt,
  ink,
  LANE_STYLES,
  line,
  RIGHT,
} from "./traceDrawing";
import { useUplot } from "./useUplot";
import { useWidth } from "./useWidth";

export interface TraceProps {
  trace: Trace;
  run: DrawnRun;
  frame: number | null;
  /** Another run, drawn under this one. */
  under: Trace | null;
  /** The lanes drawn below, and the counter under them. */
  lanes: readonly string[];
  counter: string | null;
  /** The window as it is asked for: what is drawn may still be the one before. */
  asked: () => readonly [start: number, stop: number];
  /** Another window; `gently` while the wheel or the hand still moves it. */
  onZoom: (start: number, stop: number, gently?: boolean) => void;
  onChoose: (frame: number) => void;
  onReset: () => void;
  /** The chosen frame, in words. */
  said: string;
  host?: RefObject<HTMLDivElement | null>;
}

/** A turn of the wheel by one step makes the window so much narrower or wider, or moves it by so much of itself. */
const ZOOM_STEP = 1.25;
const PAN_STEP = 0.15;
/** While a hand moves the window it is asked for so often at most. */
const MOVED_MS = 100;

/** A drag selects what is zoomed to, with Shift it takes the window along. */
function cursorOf(now: { current: TraceProps }, key: string): uPlot.Cursor {
  const pan = (u: uPlot, event: MouseEvent) => {
    const { asked, run, onZoom } = now.current;
    const [first, stop] = asked();
    const span = stop - first;
    const from = event.clientX;
    let last = 0;
    const take = (to: MouseEvent) => {
      last = to.timeStamp;
      const by = Math.round(((from - to.clientX) / u.over.clientWidth) * span);
      const start = Math.max(0, Math.min(run.total - span, first + by));
      onZoom(start, start + span, true);
    };
    const move = (to: MouseEvent) => {
      if (to.timeStamp - last >= MOVED_MS) take(to);
    };
    const end = (to: MouseEvent) => {
      take(to);
      window.removeEventListener("mousemove", move);
      window.removeEventListener("mouseup", end);
    };
    window.addEventListener("mousemove", move);
    window.addEventListener("mouseup", end);
  };
  return {
    sync: { key },
    drag: { x: true, y: false, setScale: false },
    points: { show: false },
    bind: {
      mousedown: (u, _over, handler) => (event) => {
        if (event.shiftKey) pan(u, event);
        else handler(event);
        return null;
      },
    },
  };
}

function select(now: { current: TraceProps }) {
  return (u: uPlot) => {
    const { left, width: wide } = u.select;
    if (wide < 3) return;
    const { trace, onZoom } = now.current;
    const [a, b] = [u.posToVal(left, "x"), u.posToVal(left + wide, "x")];
    u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
    onZoom(frameAt(trace, a), frameAt(trace, b) + trace.step);
  };
}

const common = (now: { current: TraceProps }, key: string) => ({
  cursor: cursorOf(now, key),
  legend: { show: false },
  padding: [14, RIGHT, 0, 0] as uPlot.Padding,
});

/** Each lane's name where its line ends, moved apart where two end together. */
function drawNames(u: uPlot, trace: Trace, lanes: readonly string[]) {
  let above = Number.NEGATIVE_INFINITY;
  u.ctx.save();
  u.ctx.font = font();
  u.ctx.textAlign = "left";
  lanes
    .map((name, i) => ({ name, i, last: (trace.lanes[name] ?? []).findLast((v) => v !== null) ?? 0 }))
    .sort((a, b) => b.last - a.last)
    .forEach(({ name, i, last }) => {
      const at = Math.max(u.valToPos(last, "y", true) + 4 * devicePixelRatio, above + 14 * devicePixelRatio);
      above = at;
      u.ctx.fillStyle = ink(LANE_STYLES[i % LANE_STYLES.length]?.color ?? "ink");
      u.ctx.fillText(name, u.bbox.left + u.bbox.width + 6 * devicePixelRatio, at);
    });
  u.ctx.restore();
}

/**
 * Frame times and lanes under one cursor. Drag zooms, with Shift it pans; the wheel with Ctrl zooms, with Shift it
 * pans; a click chooses a frame, a double click shows the whole run.
 */
export function TraceChart(props: TraceProps) {
  const { trace, run, frame, said, under, counter } = props;
  const [ref, width] = useWidth<HTMLDivElement>(1000);
  const frames = useRef<HTMLDivElement>(null);
  const below = useRef<HTMLDivElement>(null);
  const counted = useRef<HTMLDivElement>(null);
  const now = useRef(props);
  now.current = props;
  const shown = props.lanes.join("\n");
  // By what they are called: the list is a new one each time.
  const lanes = useMemo(() => shown.split("\n").filter(Boolean), [shown]);
  const budget = run.budget_ms;
  const main = useUplot(frames, {
    of: `${run.id} ${lanes.length === 0 && !counter}`,
    width,
    data: useMemo(() => line(trace), [trace]),
    options: () => ({
      ...common(now, uPlot.sync(`run-${run.id}`).key),
      height: 214,
      axes: axes(lanes.length === 0 && !counter),
      scales: {
        x: { time: false },
        y: { range: (_u, _lo, high) => [0, Math.max(high, (budget ?? 0) * 1.15) * 1.06] },
      },
      series: [
        {},
        {
          stroke: () => ink("ink"),
          width: 1,
          points: {
            size: 5,
            show: () =>
              now.current.trace.stop - now.current.trace.start <= 150 && now.current.trace.step === 1,
          },
        },
      ],
      hooks: {
        drawAxes: [(u) => drawUnder(u, now.current.under)],
        draw: [
          (u) => {
            drawUnit(u);
            drawLate(u, now.current.trace, budget);
            drawLegs(u, now.current.trace, run, false);
            drawBudget(u, budget);
            drawStutters(u, now.current.trace, run);
            drawChosen(u, now.current.trace, now.current.frame);
          },
        ],
        setSelect: [select(now)],
      },
    }),
  });
  const lower = useUplot(below, {
    of: lanes.length ? `${run.id} ${shown} ${counter === null}` : "",
    width,
    data: useMemo(
      () => [trace.start_s as number[], ...lanes.map((n) => (trace.lanes[n] ?? []) as (number | null)[])],
      [trace, lanes],
    ),
    options: () => ({
      ...common(now, uPlot.sync(`run-${run.id}`).key),
      height: 112,
      axes: axes(!counter),
      scales: { x: { time: false }, y: { range: (_u, _lo, high) => [0, (high || 1) * 1.08] } },
      series: [
        {},
        ...lanes.map((name, i): uPlot.Series => {
          const style = LANE_STYLES[i % LANE_STYLES.length];
          const lane = run.lanes.find((l) => l.name === name);
          const points = { show: false };
          return lane?.role === "waiting"
            ? { stroke: () => ink("faded"), dash: [2, 3], width: 1, points }
            : { stroke: () => ink(style?.color ?? "ink"), width: style?.width ?? 1, points };
        }),
      ],
      hooks: {
        draw: [
          drawUnit,
          (u) => drawNames(u, now.current.trace, lanes),
          (u) => drawChosen(u, now.current.trace, now.current.frame),
        ],
        setSelect: [select(now)],
      },
    }),
  });

  const counts = useUplot(counted, {
    of: counter ? `${run.id} ${counter}` : "",
    width,
    data: useMemo(
      () => [trace.start_s as number[], ((counter && trace.counters[counter]) ?? []) as (number | null)[]],
      [trace, counter],
    ),
    options: () => ({
      ...common(now, uPlot.sync(`run-${run.id}`).key),
      height: 84,
      axes: axes(true),
      scales: { x: { time: false }, y: { range: (_u, low, high) => [Math.min(0, low), (high || 1) * 1.08] } },
      series: [{}, { stroke: () => ink("ink"), width: 1, points: { show: false } }],
      hooks: {
        draw: [
          (u) => drawWord(u, now.current.counter ?? ""),
          (u) => drawChosen(u, now.current.trace, now.current.frame),
        ],
        setSelect: [select(now)],
      },
    }),
  });

  useEffect(() => {
    const host = ref.current;
    if (!host) return;
    const plotOf = (event: Event) => {
      const over = (event.target as HTMLElement).closest(".u-over");
      return [main.current, lower.current, counts.current].find((u) => u?.over === over);
    };
    const onClick = (event: MouseEvent) => {
      const u = plotOf(event);
      const { trace: seen, onChoose } = now.current;
      if (u && seen.step === 1 && !event.shiftKey)
        onChoose(frameAt(seen, u.posToVal(u.cursor.left ?? 0, "x")));
    };
    const onDouble = () => now.current.onReset();
    const onWheel = (event: WheelEvent) => {
      const u = plotOf(event);
      if (!u || !(event.ctrlKey || event.shiftKey)) return;
      event.preventDefault();
      const { trace: seen, run: whole, asked, onZoom } = now.current;
      const [first, stop] = asked();
      const span = stop - first;
      const way = Math.sign(event.deltaY || event.deltaX);
      if (event.ctrlKey) {
        const under = frameAt(seen, u.posToVal(u.cursor.left ?? 0, "x"));
        const wide = Math.min(whole.total, Math.max(10, Math.round(span * ZOOM_STEP ** way)));
        const share = Math.max(0, Math.min(1, (under - first) / span));
        const start = Math.max(0, Math.min(whole.total - wide, Math.round(under - share * wide)));
        onZoom(start, start + wide, true);
      } else {
        const by = Math.round(span * PAN_STEP) * way;
        const start = Math.max(0, Math.min(whole.total - span, first + by));
        onZoom(start, start + span, true);
      }
    };
    host.addEventListener("click", onClick);
    host.addEventListener("dblclick", onDouble);
    // Not passive: with Ctrl the wheel would enlarge the page.
    host.addEventListener("wheel", onWheel, { passive: false });
    return () => {
      host.removeEventListener("click", onClick);
      host.removeEventListener("dblclick", onDouble);
      host.removeEventListener("wheel", onWheel);
    };
  }, [ref, main, lower, counts]);

  useEffect(() => {
    for (const plot of [main, lower, counts]) plot.current?.redraw(false);
  }, [frame, under, main, lower, counts]);

  return (
    <Box
      ref={ref}
      tabIndex={0}
      role="slider"
      aria-label={`Frame times in ms over seconds: ${trace.said}`}
      aria-valuemin={trace.start}
      aria-valuemax={trace.stop - 1}
      aria-valuenow={frame ?? trace.start}
      aria-valuetext={said}
      data-testid="trace"
      sx={{ minHeight: 214 }}
    >
      <div ref={props.host}>
        <div ref={frames} />
        {lanes.length > 0 && <div key={shown} ref={below} />}
        {counter && <div key={counter} ref={counted} />}
      </div>
    </Box>
  );
}
