import { styled } from "@mui/material/styles";
import { Link } from "react-router";
import type { Place } from "../../api/client";
import { colour, Text, Unseen } from "../../kit";
import type { Report } from "./live";

const side = (arm: string) => (arm === "before" ? "before" : arm === "empty" ? "empty" : "after");
const short = (arm: string) => arm.replace("after ", "a. ");

const SlotRow = styled("ul")({
  listStyle: "none",
  margin: "8px 0 0",
  padding: 0,
  display: "flex",
  flexWrap: "wrap",
  gap: 5,
  "& > li": {
    display: "grid",
    justifyItems: "center",
    alignContent: "start",
    fontSize: 12,
    color: colour.faded,
  },
  "& small": { fontSize: 12 },
  "& a": { textDecoration: "none" },
});

const SlotBox = styled("div")({
  position: "relative",
  overflow: "hidden",
  width: 46,
  height: 50,
  display: "grid",
  alignContent: "center",
  justifyItems: "center",
  fontSize: 12,
  lineHeight: 1.3,
  border: `1.5px dashed ${colour.before}`,
  color: colour.before,
  borderRadius: 2,
  fontVariantNumeric: "tabular-nums",
  "& b": { fontSize: 13, minHeight: 17 },
  '&[data-arm="after"]': { border: `1.5px solid ${colour.after}`, color: colour.after },
  '&[data-arm="after"][data-state="complete"]': { background: colour.after, color: colour.sheet },
  '&[data-arm="empty"]': { border: `1.5px dotted ${colour.faded}`, color: colour.faded },
  '&[data-state="planned"]': { borderColor: colour.rule, color: colour.faded },
  '&[data-state="now"]': { borderWidth: 3 },
  "& > b, & > span": { zIndex: 1 },
});

/** How much of a run is played. */
const Played = styled("i")({
  position: "absolute",
  inset: "auto 0 0 0",
  background: "color-mix(in srgb, currentColor 25%, transparent)",
});

interface Props {
  book: string;
  places: readonly Place[];
  report: Report | null;
  run_s: number;
}

/** Every place of the schedule in the order drawn, filling up as the runs come in. */
export function Schedule({ book, places, report, run_s }: Props) {
  return (
    <SlotRow aria-label="Schedule">
      {places.map((place) => {
        const now = report?.phase === "running" && report.position === place.position;
        const state = now ? "now" : place.outcome;
        const value =
          place.mean_ms !== null
            ? place.mean_ms.toFixed(1)
            : now || place.outcome === "complete" // its figures are still being worked out
              ? "…"
              : place.outcome === "planned"
                ? ""
                : "✕";
        const done = now ? Math.min(1, (report?.live?.played_s ?? 0) / run_s) : 0;
        const box = (
          <SlotBox data-arm={side(place.arm)} data-state={state} title={place.detail || state}>
            {now && <Played style={{ height: `${100 * done}%` }} />}
            <Unseen>Run {place.position + 1}: </Unseen>
            <b>{value}</b> <span>{short(place.arm)}</span>
            <Unseen>, {state}</Unseen>
          </SlotBox>
        );
        return (
          <li key={place.position}>
            {place.run ? <Link to={`/${book}/runs/${place.run}`}>{box}</Link> : box}
            <small>{place.position + 1}</small>
            {place.failed.length > 0 && (
              <Text as="small" tone="spent">
                {place.failed.length > 1 ? `${place.failed.length} × ` : ""}
                {place.failed.at(-1)}
              </Text>
            )}
          </li>
        );
      })}
    </SlotRow>
  );
}
