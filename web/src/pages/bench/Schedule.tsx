import { Link } from "react-router";
import type { Place } from "../../api/client";
import type { Report } from "./live";

const side = (arm: string) => (arm === "before" ? "before" : arm === "empty" ? "empty" : "after");
const short = (arm: string) => arm.replace("after ", "a. ");

interface Props {
  book: string;
  places: readonly Place[];
  report: Report | null;
  run_s: number;
}

/** Every place of the schedule in the order drawn, filling up as the runs come in. */
export function Schedule({ book, places, report, run_s }: Props) {
  return (
    <ol className="schedule" aria-label="Schedule">
      {places.map((place) => {
        const now = report?.phase === "running" && report.position === place.position;
        const state = now ? "now" : place.outcome;
        const value =
          place.mean_ms !== null
            ? place.mean_ms.toFixed(1)
            : now
              ? "…"
              : place.outcome === "planned"
                ? ""
                : "✕";
        const done = now ? Math.min(1, (report?.live?.played_s ?? 0) / run_s) : 0;
        const box = (
          <span className="slot" data-arm={side(place.arm)} data-state={state} title={place.detail || state}>
            {now && <i style={{ height: `${100 * done}%` }} />}
            <b>{value}</b>
            <span>{short(place.arm)}</span>
          </span>
        );
        return (
          <li key={place.position}>
            {place.run ? (
              <Link
                to={`/${book}/runs/${place.run}`}
                aria-label={`Run ${place.position + 1}, ${place.arm}, ${state}`}
              >
                {box}
              </Link>
            ) : (
              box
            )}
            <small>{place.position + 1}</small>
            {place.failed.length > 0 && (
              <small className="spent">
                {place.failed.length > 1 ? `${place.failed.length} × ` : ""}
                {place.failed.at(-1)}
              </small>
            )}
          </li>
        );
      })}
    </ol>
  );
}
