import { useEffect, useMemo, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import type { PartRows, Row, Run, Trace } from "../../api/client";
import { useFrameParts, useRun, useTrace } from "../../api/queries";
import { useHead, useTitle } from "../../app/head";
import { useKeys } from "../../app/keys";
import { Empty, Failure, Loading } from "../../app/states";
import { ChartTools, TableBehind } from "../../charts/copy";
import { Overview, TraceChart } from "../../charts/TraceChart";
import type { ChartTable } from "../../charts/table";
import { Explained } from "../../figures/Explained";
import {
  Box,
  Cell,
  Command,
  Facts,
  PageTitle,
  RunColumns,
  Table,
  TableBody,
  TableHead,
  TableRow,
  Text,
  TextButton,
} from "../../kit";

const LONGEST_TABLE = 500;

const SHORT = 9;

/** So many parts of a chosen frame are named. */
const MOST_PARTS = 8;

/** The figures of the whole run and, beside them, of the stretch in view. */
function RunFigures({ whole, seen }: { whole: readonly Row[]; seen: readonly Row[] }) {
  const [all, setAll] = useState(false);
  const stretch = new Map(seen.map((row) => [row.name, row]));
  const rows = all ? whole : whole.slice(0, SHORT);
  return (
    <>
      <Table size="small" aria-label="Figures of the run">
        <TableHead>
          <TableRow>
            <Cell>Figure</Cell>
            <Cell align="right" colSpan={2}>
              The whole run
            </Cell>
            <Cell align="right" colSpan={2}>
              The stretch in view
            </Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row) => {
            const inStretch = stretch.get(row.name);
            return (
              <TableRow key={row.name}>
                <Cell>
                  <Explained definition={row.definition}>{row.label}</Explained>
                </Cell>
                <Cell align="right" nowrap>
                  {row.value}{" "}
                  <Text as="span" tone="faded">
                    {row.unit}
                  </Text>
                </Cell>
                <Cell align="right" tone="faded" small>
                  {row.note}
                </Cell>
                <Cell align="right" nowrap>
                  {inStretch?.value}{" "}
                  <Text as="span" tone="faded">
                    {inStretch?.unit}
                  </Text>
                </Cell>
                <Cell align="right" tone="faded" small>
                  {inStretch?.note}
                </Cell>
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
      {whole.length > SHORT && (
        <TextButton small faded onClick={() => setAll(!all)}>
          {all ? "fewer figures" : "all figures"}
        </TextButton>
      )}
    </>
  );
}

const FactList = ({ facts }: { facts: Record<string, string> }) => (
  <Facts>
    {Object.entries(facts).map(([key, value]) => (
      <Box key={key} sx={{ display: "contents" }}>
        <dt>{key}</dt>
        <dd>{value}</dd>
      </Box>
    ))}
  </Facts>
);

function legAt(run: Run, frame: number): string {
  return [...run.legs].reverse().find((leg) => leg.index <= frame)?.name ?? "";
}

type Kind = "lane" | "counter";

/** A column's value, or what stands there instead of one. */
function reading(trace: Trace, kind: Kind, name: string, i: number): number | string {
  const value = (kind === "lane" ? trace.lanes : trace.counters)[name]?.[i];
  if (typeof value === "number") return value;
  const gaps = trace.gaps[`${kind}:${name}`];
  return gaps?.stale?.includes(i) ? "stale" : gaps?.below?.includes(i) ? "below" : "missing";
}

function windowTable(trace: Trace): ChartTable {
  const columns: [Kind, string][] = [
    ...Object.keys(trace.lanes).map((n): [Kind, string] => ["lane", n]),
    ...Object.keys(trace.counters).map((n): [Kind, string] => ["counter", n]),
  ];
  return {
    head: [
      "frame",
      "at_s",
      trace.step === 1 ? "frame_ms" : "lowest_ms",
      ...(trace.step === 1 ? [] : ["highest_ms"]),
      ...columns.map(([, name]) => name),
    ],
    rows: trace.start_s.map((t, i) => [
      trace.start + i * trace.step,
      t,
      trace.low[i] ?? null,
      ...(trace.step === 1 ? [] : [trace.high[i] ?? null]),
      ...columns.map(([kind, name]) => reading(trace, kind, name, i)),
    ]),
  };
}

const STATES: Record<string, string> = {
  stale: "not refreshed",
  below: "below the resolution",
  missing: "missing",
};

/** "steer boats › avoid pillars 0.42 ms in 34 calls; paint below the resolution", the largest first. */
function partsSaid(rows: PartRows): string {
  const order = rows.frame.map((_, i) => i).sort((a, b) => (rows.ms[b] ?? 0) - (rows.ms[a] ?? 0));
  const said = order.slice(0, MOST_PARTS).map((i) => {
    const ms = rows.ms[i];
    const calls = rows.calls[i] ?? 1;
    const path = rows.parts[rows.part[i] ?? 0]?.path.join(" › ");
    return `${path} ${typeof ms === "number" ? `${ms.toFixed(2)} ms` : STATES.below}${calls > 1 ? ` in ${calls} calls` : ""}`;
  });
  const more = order.length - said.length;
  return said.join("; ") + (more > 0 ? `; and ${more} more` : "");
}

function Chosen({ run, trace, frame }: { run: Run; trace: Trace; frame: number }) {
  const i = trace.step === 1 ? frame - trace.start : -1;
  const ms = trace.low[i];
  const parts = useFrameParts(run.id, frame, ms !== undefined);
  if (ms === undefined) return null;
  const said = (value: number | string, digits: number) =>
    typeof value === "number" ? value.toFixed(digits) : (STATES[value] ?? value);
  const stutter = run.stutters.find((s) => s.first <= frame && frame <= s.worst);
  return (
    <p role="status" aria-label="Chosen frame">
      <b>Frame {frame.toLocaleString("en-GB")}</b> at {trace.start_s[i]?.toFixed(3)} s,{" "}
      <i>{legAt(run, frame)}</i>: {ms.toFixed(2)} ms
      {run.lanes.map((l) => `, ${l.name} ${said(reading(trace, "lane", l.name, i), 2)}`)}
      {run.counters.map((name) => `, ${name} ${said(reading(trace, "counter", name, i), 0)}`)}
      {stutter && `; stutter, ${stutter.size_ms.toFixed(1)} ms over its neighbours`}
      {parts.data && parts.data.frame.length > 0 && (
        <Text as="span" tone="faded">
          <br />
          Parts: {partsSaid(parts.data)}
        </Text>
      )}
    </p>
  );
}

function TraceView({ run }: { run: Run }) {
  const [search, setSearch] = useSearchParams();
  const total = run.frames ?? 0;
  const number = (name: string, fallback: number) => {
    const value = Number.parseInt(search.get(name) ?? "", 10);
    return Number.isFinite(value) ? Math.min(Math.max(value, 0), total) : fallback;
  };
  const start = number("from", 0);
  const stop = Math.max(number("to", total), Math.min(start + 1, total));
  const frame = search.has("frame") ? Math.min(number("frame", 0), total - 1) : null;
  const whole = useTrace(run.id, 0, total, total > 0);
  const seen = useTrace(run.id, start, stop, total > 0);
  const [shown, setShown] = useState(false);

  const set = (changes: Record<string, number | null>) => {
    const next = new URLSearchParams(window.location.search);
    for (const [key, value] of Object.entries(changes)) {
      if (value === null) next.delete(key);
      else next.set(key, String(value));
    }
    setSearch(next, { replace: true });
  };
  const zoom = (from: number, to: number) => {
    const a = Math.max(0, Math.min(from, total - 1));
    const b = Math.min(total, Math.max(to, a + 1));
    set(a === 0 && b === total ? { from: null, to: null } : { from: a, to: b });
  };
  const step = (by: number) => {
    const next = Math.max(0, Math.min(total - 1, (frame ?? start - Math.sign(by)) + by));
    const span = stop - start;
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
    Escape: () => set({ from: null, to: null, frame: null }),
    t: () => setShown(!shown),
  });
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
        onZoom={zoom}
        onChoose={(f) => set({ frame: f })}
        onReset={() => set({ from: null, to: null })}
      />
      <Box sx={{ display: "flex", justifyContent: "space-between", gap: 16, minHeight: 22, fontSize: 13 }}>
        {frame !== null ? (
          <Chosen run={run} trace={trace} frame={frame} />
        ) : (
          <Text tone="faded">
            <span data-testid="said">{trace.said}</span>
            <Text as="span" wide>
              . Drag to zoom, double-click or Esc for the whole run, arrow keys step frames.
            </Text>
          </Text>
        )}
        {table && <ChartTools table={() => table} shown={shown} toggle={() => setShown(!shown)} />}
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
        </Box>
      </RunColumns>
    </>
  );
}

export default function RunPage() {
  const { book = "", id = "" } = useParams();
  const query = useRun(id);
  const run = query.data;
  useHead(run ? { ...run, target_fps: run.target_fps ?? null } : null);
  useTitle(run && `Run of ${run.build}`);
  useEffect(() => {
    document.title = run ? `${run.build}, ${run.scenario}` : "Vigilant Ledger";
    return () => {
      document.title = "Vigilant Ledger";
    };
  }, [run]);
  if (query.error && !query.data) return <Failure error={query.error} again={() => query.refetch()} />;
  if (!run) return <Loading what="the run" />;
  const used = run.used_in[0];
  return (
    <article>
      <Box sx={{ display: "flex", gap: 16, alignItems: "baseline", flexWrap: "wrap", marginBottom: 6 }}>
        <PageTitle>
          {used ? `Run ${used.position + 1} of entry ${used.entry}, ${used.arm}` : run.build}
        </PageTitle>
        <Text as="span" tone="faded">
          {run.caption}
        </Text>
        <Box component="span" sx={{ marginLeft: "auto", display: "flex", gap: 14 }}>
          {used && <Link to={`/${book}/entries/${used.entry}`}>{used.title}</Link>}
          {run.frames > 0 && (
            <a href={`/api/runs/${run.id}/frames/`} download>
              download
            </a>
          )}
        </Box>
      </Box>
      {run.outcome !== "complete" && (
        <Text tone="spent" role="status" sx={{ marginBottom: 8 }}>
          This run did not complete: {run.outcome}
          {run.detail && `, ${run.detail}`}. It enters no arm.
        </Text>
      )}
      {run.output_tail && (
        <Box component="details" sx={{ marginBottom: 8 }}>
          <summary>the end of the subject's output</summary>
          <Command>{run.output_tail}</Command>
        </Box>
      )}
      {run.frames ? (
        <TraceView key={run.id} run={run} />
      ) : (
        <Empty title="This run holds no frame">
          <p>Its outcome and place in the order are kept; record again to fill it.</p>
        </Empty>
      )}
    </article>
  );
}
