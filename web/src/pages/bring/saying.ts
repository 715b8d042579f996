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

export type Holds = Schemas["FileLine"]["holds"];

/** What a column may be, in words, by what the file holds. */
export const KINDS: Record<Holds, readonly (readonly [Kind, string])[]> = {
  runs: [
    ["times", "the time since the frame before"],
    ["stamps", "a stamp"],
    ["rate", "the frames a second of this frame"],
    ["lane", "a lane of time"],
    ["counter", "a counter"],
    ["leg", "the leg"],
    ["run", "which run a row is of"],
    ["arm", "which arm a row is of"],
    ["left out", "left out"],
  ],
  readings: [
    ["stamps", "the stamp of each reading"],
    ["lane", "a lane of time"],
    ["counter", "a counter"],
    ["left out", "left out"],
  ],
  work: [
    ["part", "the part of the work"],
    ["stamps", "when it began"],
    ["end", "when it ended"],
    ["times", "what it took"],
    ["lane name", "its lane"],
    ["id", "its id"],
    ["inside", "the id of what it lies in"],
    ["calls", "its calls"],
    ["counter", "a count of it"],
    ["frame number", "the number of its frame"],
    ["samples", "how many samples fell on it"],
    ["run", "which run it is of"],
    ["left out", "left out"],
  ],
};
export const UNITS: readonly (readonly [Unit, string])[] = [
  ["ms", "ms"],
  ["us", "\u00b5s"],
  ["ns", "ns"],
  ["s", "s"],
];
/** Of a lane, and of a frame's number. */
export const ROLES: Record<string, readonly string[]> = {
  lane: ["processor", "graphics", "waiting", "summed", "chain"],
  "frame number": ["from 0", "from 1"],
};

const TIMED = new Set<string>(["times", "stamps", "lane", "end"]);
export const isTimed = (kind: string) => TIMED.has(kind);

/** What is proposed, with what is in doubt left to be said: of what has a role its role, of the rest what it is. */
export const proposed = (look: Pick<Look, "columns">): Said[] =>
  look.columns.map((c) => {
    const open = c.doubt !== "";
    const roleAlone = open && ((c.is === "lane" && c.role === "") || c.is === "frame number");
    return { name: c.name, is: open && !roleAlone ? "" : c.is, unit: c.unit, role: roleAlone ? "" : c.role };
  });

/** What is still to be said, in words; nothing where the reading is whole. Readings beside runs have no frames. */
export function missing(said: readonly Said[], holds: Holds = "runs"): string[] {
  const left = said.filter((c) => c.is === "").map((c) => `what ${c.name} is`);
  left.push(...said.filter((c) => c.is === "lane" && !c.role).map((c) => `what lane ${c.name} is`));
  if (holds === "work") return left.length > 0 ? left : missingOfWork(said);
  const beside = holds === "readings";
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

/** The same of work inside frames: what it is part of, where it lies, and how much it is. */
function missingOfWork(said: readonly Said[]): string[] {
  const has = (...kinds: Kind[]) => said.some((c) => kinds.includes(c.is as Kind));
  const left: string[] = [];
  for (const [kind, what] of KINDS.work) {
    const same = said.filter((c) => c.is === kind);
    if (kind !== "left out" && kind !== "counter" && same.length > 1)
      left.push(`which of ${same.map((c) => c.name).join(" and ")} is ${what}`);
  }
  left.push(
    ...said.filter((c) => c.is === "frame number" && !c.role).map((c) => `the first frame's ${c.name}`),
  );
  if (!has("part")) left.push("which column names the part of the work");
  if (has("samples")) {
    if (has("stamps", "end", "times", "frame number")) left.push("what a time is where samples are counted");
    return left;
  }
  if (!has("stamps", "frame number")) left.push("when a part began, or the number of its frame");
  if (!has("times") && !(has("stamps") && has("end"))) left.push("what a part took, or when it ended");
  if (has("inside") && !has("id")) left.push("which column holds the ids");
  return left;
}

/** How rows are found in a file, and what its names are parted by, beside what its columns are. */
export type Found = Pick<Look, "holds" | "pattern" | "rows" | "parted_by">;

/** The reading as it is sent and kept. */
export const readingOf = (said: readonly Said[], found: Found, name = "") => ({
  vigilant_reading: 1,
  name,
  holds: found.holds,
  pattern: found.pattern,
  rows: found.rows,
  parted_by: found.parted_by,
  columns: Object.fromEntries(
    said.map((c) => [
      c.name,
      {
        is: c.is as Kind,
        ...(isTimed(c.is) && { unit: (c.unit || "ms") as Unit }),
        ...(c.is in ROLES && { role: c.role as "processor" }),
      },
    ]),
  ),
});
