/** Files into arms by what their names hold, and the order that their names tell. */

export type Arm = "before" | "after" | "";
export type Order = "unknown" | "number" | "recorded" | "listed";

export interface Patterns {
  before: string;
  after: string;
}

interface Named {
  folder: string;
  name: string;
}

export const shownName = ({ folder, name }: Named) => (folder ? `${folder}/${name}` : name);

/** The arm whose pattern a name holds; none where it holds both or neither. */
export function armOf(name: string, { before, after }: Patterns): Arm {
  const holds = (pattern: string) => pattern !== "" && name.toLowerCase().includes(pattern.toLowerCase());
  const both = [holds(before), holds(after)];
  return both[0] === both[1] ? "" : both[0] ? "before" : "after";
}

const BEFORE = new Set([
  "before",
  "old",
  "olden",
  "older",
  "base",
  "baseline",
  "main",
  "reference",
  "ref",
  "without",
  "off",
  "a",
]);
const AFTER = new Set(["after", "new", "newer", "changed", "change", "with", "on", "b"]);

/** Words that part the files in two: each file holds one of them. Those that say which is earlier, else by alphabet. */
export function guessPatterns(names: readonly string[]): Patterns {
  const none = { before: "", after: "" };
  if (names.length < 2) return none;
  const words = names.map(
    (name) =>
      new Set(
        name
          .toLowerCase()
          .split(/[^a-z]+/)
          .filter((word) => word.length > 1 || word === "a" || word === "b"),
      ),
  );
  const all = [...new Set(words.flatMap((own) => [...own]))].sort();
  for (const one of all)
    for (const other of all) {
      if (one >= other) continue;
      const parted = words.every((own) => own.has(one) !== own.has(other));
      const pure = names.every((name) => armOf(name, { before: one, after: other }) !== "");
      const both = words.some((own) => own.has(one)) && words.some((own) => own.has(other));
      if (!parted || !pure || !both) continue;
      const turned = BEFORE.has(other) || AFTER.has(one);
      return turned ? { before: other, after: one } : { before: one, after: other };
    }
  return none;
}

/** The last number in a name, without what follows the first dot of its end. */
export function numberIn(name: string): number | null {
  const found = name.replace(/(\.[A-Za-z]\w*)+$/, "").match(/\d+/g);
  return found ? Number(found[found.length - 1]) : null;
}

/** How the order can be told: by when each says it was recorded, by numbers that are all different, or not at all. */
export function guessOrder(files: readonly { name: string; started: readonly string[] }[]): Order {
  const different = (values: readonly unknown[]) => new Set(values).size === values.length;
  const stamps = files.flatMap((file) => file.started);
  if (files.length > 0 && stamps.every(Boolean) && different(stamps)) return "recorded";
  const numbers = files.map((file) => numberIn(file.name));
  return files.length > 0 && numbers.every((n) => n !== null) && different(numbers) ? "number" : "unknown";
}

/** Conditions as one writes them, a line each: "key = value". Lines that are none are given back. */
export function conditionsOf(text: string): { sheet: Record<string, string>; wrong: string[] } {
  const sheet: Record<string, string> = {};
  const wrong: string[] = [];
  for (const line of text.split("\n").map((one) => one.trim())) {
    if (!line) continue;
    const at = line.indexOf("=");
    if (at < 1) wrong.push(line);
    else sheet[line.slice(0, at).trim()] = line.slice(at + 1).trim();
  }
  return { sheet, wrong };
}
