import { Link } from "react-router";
import type { PartRows, Run, Trace } from "../../api/client";
import { useFrameParts } from "../../api/queries";
import type { ChartTable } from "../../charts/table";
import { Text } from "../../kit";

/** So many parts of a chosen frame are named. */
const MOST_PARTS = 8;

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

export function windowTable(trace: Trace): ChartTable {
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

/** A chosen frame in a few words. */
export function frameSaid(run: Run, trace: Trace, frame: number | null): string {
  const i = frame === null || trace.step > 1 ? -1 : frame - trace.start;
  const ms = trace.low[i];
  if (frame === null || ms === undefined) return trace.said;
  return `frame ${frame.toLocaleString("en-GB")} at ${trace.start_s[i]?.toFixed(3)} s, ${legAt(run, frame)}: ${ms.toFixed(2)} ms`;
}

export function Chosen({ run, trace, frame }: { run: Run; trace: Trace; frame: number }) {
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
      {stutter && `; stutter, ${stutter.size_ms.toFixed(1)} ms over its neighbours`}{" "}
      <Link to={`frames/${frame}`}>its work</Link>
      {parts.data && parts.data.frame.length > 0 && (
        <Text as="span" tone="faded">
          <br />
          Parts: {partsSaid(parts.data)}
        </Text>
      )}
    </p>
  );
}
