import type { Schemas } from "../api/client";

/** A place among the arms, or the places that are left open: "2", "1 to 3". */
export const place = (rank: Schemas["PlaceOfArm"]) =>
  rank.best === rank.worst ? `${rank.best}` : `${rank.best} to ${rank.worst}`;

/** What is left of an arm's mean frame without the empty arm's. */
export const net = (n: Schemas["Net"]) =>
  `${n.ms.toFixed(3)} ms a frame${
    n.low !== null && n.high !== null ? ` (95 % interval ${n.low.toFixed(3)} to ${n.high.toFixed(3)})` : ""
  }`;
