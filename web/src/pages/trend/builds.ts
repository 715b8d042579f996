/** Builds as they are written into a form: a line each; with a date after each where they are ordered by it. */

export interface Listed {
  name: string;
  made_at?: string;
}

export function buildsOf(written: string, dated: boolean): Listed[] {
  const lines = written
    .split("\n")
    .map((line) => line.trim())
    .filter((line) => line !== "");
  if (!dated) return lines.map((name) => ({ name }));
  return lines.map((line) => {
    const at = Math.max(line.lastIndexOf(" "), line.lastIndexOf("\t"));
    const [name, date] = at < 0 ? [line, ""] : [line.slice(0, at).trim(), line.slice(at + 1)];
    // A day alone is its midnight, everywhere the same.
    return date ? { name, made_at: /^\d{4}-\d\d-\d\d$/.test(date) ? `${date}T00:00:00Z` : date } : { name };
  });
}
