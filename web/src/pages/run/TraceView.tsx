import { useMemo, useRef, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import type { Run } from "../../api/client";
import { useTrace, useUnder } from "../../api/queries";
import { useKeys } from "../../app/keys";
import { Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { Overview } from "../../charts/Overview";
import { TraceChart } from "../../charts/TraceChart";
import { Box, Line, RunColumns, Text, TextButton } from "../../kit";
import { Laid } from "./Laid";
import { PartTotals } from "./PartTotals";
import { FactList, RunFigures } from "./RunFigures";
import { RunWork } from "./RunWork";
import { Chosen, frameSaid, windowTable } from "./reading";
import { LegTable, StutterList } from "./Stretches";

const LONGEST_TABLE = 500;
/** The wheel and the hand move the window in one step while no longer apart. */
const ONE_MOVE_MS = 800;
/** The narrowest window, in frames, and the widest in which a stutter is looked at. */
const LEAST_SPAN = 10;
const STUTTER_SPAN = 600;

function numberIn(search: URLSearchParams, name: string, fallback: number, total: number): number {
  const value = Number.parseInt(search.get(name) ?? "", 10);
  return Number.isFinite(value) ? Math.min(Math.max(value, 0), total) : fallback;
}

function windowIn(search: URLSearchParams, total: number): readonly [number, number] {
  const start = numberIn(search, "from", 0, total);
  return [start, Math.max(numberIn(search, "to", total, total), Math.min(start + 1, total))];
}

/** The run over time: its window, what is chosen in it, and the figures of both. */
export function TraceView({ run }: { run: Run }) {
  const { book = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const total = run.frames ?? 0;
  const [start, stop] = windowIn(search, total);
  const frame = search.has("frame") ? Math.min(numberIn(search, "frame", 0, total), total - 1) : null;
  /** The window asked for last: turns of the wheel come quicker than pages are drawn. */
  const asked = () => windowIn(new URLSearchParams(window.location.search), total);
  const whole = useTrace(run.id, 0, total, total > 0);
  const seen = useTrace(run.id, start, stop, total > 0);
  const [shown, setShown] = useState(false);
  const under = search.get("under") ?? "";
  const seconds = seen.data?.start_s;
  const other = useUnder(under, seconds?.[0] ?? 0, seconds?.at(-1) ?? 0);
  const lanes = search.has("lanes")
    ? run.lanes.map((l) => l.name).filter((name) => search.get("lanes")?.split(",").includes(name))
    : run.lanes.map((l) => l.name);
  const counter = run.counters.find((name) => name === search.get("counter")) ?? null;

  // Each window is a step that Back walks; what a hand still moves is one step.
  const moved = useRef(0);
  const set = (changes: Record<string, number | string | null>, replace = true) => {
    const next = new URLSearchParams(window.location.search);
    for (const [key, value] of Object.entries(changes)) {
      if (value === null) next.delete(key);
      else next.set(key, String(value));
    }
    if (`?${next}` !== window.location.search) setSearch(next, { replace });
  };
  const zoom = (from: number, to: number, gently = false) => {
    const a = Math.round(Math.max(0, Math.min(from, total - 1)));
    const b = Math.round(Math.min(total, Math.max(to, a + 1)));
    const same = gently && performance.now() - moved.current < ONE_MOVE_MS;
    moved.current = gently ? performance.now() : 0;
    set(a === 0 && b === total ? { from: null, to: null } : { from: a, to: b }, same);
  };
  const span = stop - start;
  /** The window narrower or wider, around the chosen frame where it is in view. */
  const scale = (by: number) => {
    const wide = Math.min(total, Math.max(LEAST_SPAN, Math.round(span * by)));
    const middle = frame !== null && frame >= start && frame < stop ? frame : (start + stop) / 2;
    const from = Math.max(0, Math.min(total - wide, Math.round(middle - wide * ((middle - start) / span))));
    zoom(from, from + wide);
  };
  const pan = (by: number) => {
    const from = Math.max(0, Math.min(total - span, start + Math.round(by * span)));
    zoom(from, from + span);
  };
  const stutters = useMemo(() => [...run.stutters].sort((a, b) => a.worst - b.worst), [run.stutters]);
  /** A frame chosen in a window where each frame is drawn. */
  const chooseAt = (chosen: number) => {
    const wide = Math.min(span, STUTTER_SPAN, total);
    const from = Math.max(0, Math.min(total - wide, chosen - Math.floor(wide / 2)));
    const inView = chosen >= start && chosen < stop && span <= STUTTER_SPAN;
    set(inView ? { frame: chosen } : { frame: chosen, from, to: from + wide }, inView);
  };
  /** The next stutter, or the one before, chosen in a window where each frame is drawn. */
  const stutter = (way: 1 | -1) => {
    const at = frame ?? (way > 0 ? start - 1 : stop);
    const found = way > 0 ? stutters.find((s) => s.worst > at) : stutters.findLast((s) => s.worst < at);
    if (found) chooseAt(found.worst);
  };
  const step = (by: number) => {
    const next = Math.max(0, Math.min(total - 1, (frame ?? start - Math.sign(by)) + by));
    if (next < start || next >= stop) {
      const from = Math.max(0, Math.min(total - span, next - Math.floor(span / 2)));
      set({ frame: next, from, to: from + span });
    } else set({ frame: next });
  };
  useKeys({
    ArrowRight: () => step(1),
    ArrowLeft: () => step(-1),
    "Shift+ArrowRight": () => step(10),
    "Shift+ArrowLeft": () => step(-10),
    Home: () => set({ frame: start }),
    End: () => set({ frame: stop - 1 }),
    "+": () => scale(1 / 2),
    "=": () => scale(1 / 2),
    "-": () => scale(2),
    "[": () => pan(-0.5),
    "]": () => pan(0.5),
    s: () => stutter(1),
    S: () => stutter(-1),
    Escape: () => set({ from: null, to: null, frame: null }, false),
    t: () => setShown(!shown),
  });
  const drawing = useRef<HTMLDivElement>(null);
  const verb = (label: string, key: string, act: () => void, barred = false) => (
    <TextButton small faded disabled={barred} title={key} aria-keyshortcuts={key} onClick={act}>
      {label}
    </TextButton>
  );
  const table = useMemo(() => (seen.data ? windowTable(seen.data) : null), [seen.data]);
  if (seen.error && !seen.data) return <Failure error={seen.error} again={() => seen.refetch()} />;
  if (!seen.data || !whole.data) return <Loading what="the trace" />;
  const trace = seen.data;
  const drawn = { ...run, total };
  return (
    <>
      <Overview trace={whole.data} run={drawn} start={start} stop={stop} onZoom={zoom} />
      <TraceChart
        trace={trace}
        run={drawn}
        frame={frame}
        under={under ? (other.data ?? null) : null}
        lanes={lanes}
        counter={counter}
        asked={asked}
        onZoom={zoom}
        onChoose={(f) => set({ frame: f })}
        onReset={() => set({ from: null, to: null }, false)}
        said={frameSaid(run, trace, frame)}
        host={drawing}
      />
      <Laid
        book={book}
        run={run}
        under={under}
        lanes={lanes}
        counter={counter}
        onUnder={(id) => set({ under: id || null })}
        onLanes={(names) => set({ lanes: names.length === run.lanes.length ? null : names.join(",") })}
        onCounter={(name) => set({ counter: name || null })}
      />
      <Line sx={{ gap: "0 12px", marginTop: 2 }} role="group" aria-label="The window">
        {verb("closer", "+", () => scale(1 / 2), span <= LEAST_SPAN)}
        {verb("wider", "-", () => scale(2), span >= total)}
        {verb("earlier", "[", () => pan(-0.5), start === 0)}
        {verb("later", "]", () => pan(0.5), stop >= total)}
        {verb("the whole run", "Esc", () => set({ from: null, to: null }, false), span >= total)}
        {stutters.length > 0 && (
          <>
            {verb("stutter before", "Shift+S", () => stutter(-1))}
            {verb("next stutter", "s", () => stutter(1))}
            <Text as="span" small tone="faded">
              {stutters.length} in all
            </Text>
          </>
        )}
      </Line>
      <Box sx={{ display: "flex", justifyContent: "space-between", gap: 16, minHeight: 22, fontSize: 13 }}>
        {frame !== null ? (
          <Chosen run={run} trace={trace} frame={frame} />
        ) : (
          <Text tone="faded">
            <span data-testid="said">{trace.said}</span>
            <Text as="span" wide>
              . Drag to zoom, with Shift to pan; the wheel with Ctrl or Shift likewise; arrow keys step
              frames.
            </Text>
          </Text>
        )}
        {table && (
          <ChartTools
            onCanvas
            table={() => table}
            drawing={drawing}
            shown={shown}
            toggle={() => setShown(!shown)}
          />
        )}
      </Box>
      {shown && table && (
        <>
          <TableBehind table={{ head: table.head, rows: table.rows.slice(0, LONGEST_TABLE) }} />
          {table.rows.length > LONGEST_TABLE && (
            <Text small tone="faded">
              The first {LONGEST_TABLE} of {table.rows.length.toLocaleString("en-GB")} lines; the copies hold
              all.
            </Text>
          )}
        </>
      )}
      <RunColumns sx={{ marginTop: 6 }}>
        <section>
          <RunFigures whole={run.rows} seen={trace.rows} />
          {trace.rows.length === 0 && (
            <Text tone="faded" small>
              The stretch has its own figures from 50,000 frames down.
            </Text>
          )}
          <LegTable run={run} show={(from, to) => zoom(from, to)} />
          <StutterList run={run} show={chooseAt} />
        </section>
        <Box
          component="section"
          sx={{
            display: "grid",
            gridTemplateColumns: { xs: "minmax(0, 1fr)", sm: "repeat(2, minmax(0, 1fr))" },
            gap: 14,
            alignContent: "start",
          }}
        >
          <div>
            <h2>Conditions</h2>
            <FactList facts={run.conditions} />
            {(run.measured.length > 0 || run.sources) && (
              <>
                <Box component="h2" sx={{ marginTop: 12 }}>
                  Measured meanwhile
                </Box>
                <FactList
                  facts={{
                    ...Object.fromEntries(run.measured.map((row) => [row.label, row.value])),
                    ...(run.sources ? { Sources: run.sources } : {}),
                  }}
                />
              </>
            )}
          </div>
          <div>
            <h2>Rig</h2>
            <FactList facts={{ alias: run.rig, ...run.rig_facts }} />
          </div>
          <PartTotals run={run.id} start={start} stop={stop} />
        </Box>
      </RunColumns>
      <RunWork run={run.id} start={start} stop={stop} />
    </>
  );
}
