import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";

/** What a recorder reports once a second (docs/formats.md). */
export interface Report {
  number: number;
  recording: string;
  phase: "running" | "between" | "waiting" | "paused" | "finished";
  why?: string;
  looks?: Schemas["Look"][];
  position?: number;
  attempt?: number;
  arm?: string;
  seconds?: number;
  live?: {
    frames: number;
    played_s: number;
    peak_ms: number;
    leg: string;
    window: { s: number; frames: number; mean_ms: number | null };
    newest: { first: number; frame_ms: number[] };
    group_s: number;
    trace: [number, number, number][];
    cost_ms_a_frame: number | null;
  };
}

/** Reports of a recording as they come; the recording itself is read again when its schedule moves. */
export function useReports(id: string, watched: boolean): { report: Report | null; cut: Date | null } {
  const client = useQueryClient();
  const [report, setReport] = useState<Report | null>(null);
  // Since when nothing comes; null while it does.
  const [cut, setCut] = useState<Date | null>(null);
  useEffect(() => {
    if (!watched) return;
    const source = new EventSource(`/api/recordings/${id}/events/`);
    let last = "";
    source.addEventListener("report", (event) => {
      const next = JSON.parse((event as MessageEvent<string>).data) as Report;
      setCut(null);
      setReport(next);
      const place = `${next.recording} ${next.phase} ${next.position} ${next.attempt}`;
      if (place !== last) client.invalidateQueries({ queryKey: ["recording", id] });
      last = place;
    });
    source.addEventListener("error", () => setCut((since) => since ?? new Date()));
    return () => source.close();
  }, [id, watched, client]);
  return { report, cut };
}
