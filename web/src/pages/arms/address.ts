import type { Recording, Schemas } from "../../api/client";

/** The server takes eight and an empty one. */
export const MOST_ARMS = 9;

/** An arm in the address: "3.before" is a side of entry 3, else the ids of its runs with "~" between. */
export function mark(text: string): Schemas["ArmInRequest"] {
  const side = /^(\d+)\.(before|after)$/.exec(text);
  if (side) return { entry: Number(side[1]), side: side[2] as "before" | "after" };
  return { side: "after", runs: text.split("~").filter(Boolean) };
}

/** What the address asks for. */
export function asked(search: URLSearchParams): Schemas["ArmsInRequest"] {
  const empty = search.get("empty");
  return {
    arms: search.getAll("arm").map(mark),
    against: search.get("against") === "all" ? "all" : "reference",
    empty: empty === null ? null : Number(empty),
  };
}

/** The address without an arm; what was said of places among the arms is no longer true. */
export function without(search: URLSearchParams, arm: string): URLSearchParams {
  const next = new URLSearchParams(search);
  const rest = next.getAll("arm").filter((a) => a !== arm);
  for (const key of ["arm", "pair", "empty"]) next.delete(key);
  for (const a of rest) next.append("arm", a);
  return next;
}

/** The address that sets all arms of a finished recording side by side, its empty one told apart. */
export function ofRecording(recording: Recording): string {
  const runs = (label: string) =>
    recording.places.filter((p) => p.arm === label && p.run && p.outcome === "complete").map((p) => p.run);
  const arms = recording.arms.filter((a) => runs(a.label).length > 0);
  const search = new URLSearchParams(arms.map((a) => ["arm", runs(a.label).join("~")]));
  search.set("against", "all");
  const empty = arms.findIndex((a) => a.label === "empty");
  if (empty >= 0) search.set("empty", `${empty}`);
  return search.toString();
}
