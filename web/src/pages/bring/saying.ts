/** A file's reading as one says it: of each column what it is, until all is said. */

import type { Schemas } from "../../api/client";
import type { Look } from "../../api/files";

export type Kind = Schemas["SeenColumn"]["is"];
export type Unit = "s" | "ms" | "us" | "ns";

export interface Said {
  name: string;
  is: Kind | "";
  unit: string;
  role: string;
}

export const KINDS: readonly (readonly [Kind, string])[] = [
  ["times", "the time since the frame before"],
  ["stamps", "a stamp"],
  ["rate", "the frames a second of this frame"],
  ["lane", "a lane of time"],
  ["counter", "a counter"],
  ["leg", "the leg"],
  ["run", "which run a row is of"],
  ["arm", "which arm a row is of"],
  ["left out", "left out"],
];
export const UNITS: readonly (readonly [Unit, string])[] = [
  ["ms", "ms"],
  ["us", "\u00b5s"],
  ["ns", "ns"],
  ["s", "s"],
];
export const ROLES = ["processor", "graphics", "waiting"] as const;

const TIMED = new Set<string>(["times", "stamps", "lane"]);
export const isTimed = (kind: string) => TIMED.has(kind);

/** What is proposed, with what is in doubt left to be said: of a lane its role, of anything else what it is. */
export const proposed = (look: Pick<Look, "columns">): Said[] =>
  look.columns.map((c) => {
    const open = c.doubt !== "";
    const roleAlone = open && c.is === "lane" && c.role === "";
    return { name: c.name, is: open && !roleAlone ? "" : c.is, unit: c.unit, role: c.role };
  });

/** What is still to be said, in words; nothing where the reading is whole. Readings beside runs have no frames. */
export function missing(said: readonly Said[], beside = false): string[] {
  const left = said.filter((c) => c.is === "").map((c) => `what ${c.name} is`);
  left.push(...said.filter((c) => c.is === "lane" && !c.role).map((c) => `what lane ${c.name} is`));
  const frames = said.filter((c) => c.is === "times" || c.is === "rate");
  if (frames.length > 1) left.push(`which of ${frames.map((c) => c.name).join(" and ")} is the frame`);
  if (left.length === 0 && frames.length === 0 && !said.some((c) => c.is === "stamps"))
    left.push(beside ? "which column holds the stamps" : "which column the frames come from");
  if (beside && frames.length > 0) left.push("what the frames do beside the runs");
  for (const [kind, what] of [
    ["stamps", "stamp"],
    ["leg", "leg"],
    ["run", "run"],
    ["arm", "arm"],
  ] as const) {
    const same = said.filter((c) => c.is === kind);
    if (same.length > 1) left.push(`which of ${same.map((c) => c.name).join(" and ")} is the ${what}`);
  }
  return left;
}

/** The reading as it is sent and kept. */
export const readingOf = (said: readonly Said[], name = "") => ({
  vigilant_reading: 1,
  name,
  columns: Object.fromEntries(
    said.map((c) => [
      c.name,
      {
        is: c.is as Kind,
        ...(isTimed(c.is) && { unit: (c.unit || "ms") as Unit }),
        ...(c.is === "lane" && { role: c.role as "processor" }),
      },
    ]),
  ),
});
