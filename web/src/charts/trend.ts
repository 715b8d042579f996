/** Where the points of a line over builds stand: each stretch of one set-up side by side, with a gap before the next. */

export interface Placed {
  x: number;
  stretch: number;
}

/** Builds' widths that a break takes. */
export const GAP = 3;

/** What to add to the build of each stretch. A stretch that overlaps the one before begins after it all the same. */
export function bases(points: readonly Placed[]): number[] {
  const found: number[] = [];
  let end: number | null = null;
  for (const stretch of [...new Set(points.map((p) => p.stretch))]) {
    const own = points.filter((p) => p.stretch === stretch).map((p) => p.x);
    const first = Math.min(...own);
    const base: number = end === null ? -first : end + 1 + GAP - first;
    found[stretch] = base;
    end = base + Math.max(...own);
  }
  return found;
}

/** Consecutive points of one stretch and one level: the pieces of a stepped line. */
export function pieces<P extends Placed>(points: readonly P[], begins: (index: number) => boolean): P[][] {
  const found: P[][] = [];
  for (const [i, point] of points.entries()) {
    const last = found.at(-1)?.at(-1);
    if (last === undefined || last.stretch !== point.stretch || begins(i)) found.push([point]);
    else found.at(-1)?.push(point);
  }
  return found;
}
