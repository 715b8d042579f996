/** Values along a course as paths, a point in the middle of each bin; where a bin has none the line is broken. */

export type Values = readonly (number | null)[];
type Place = (value: number) => number;

export const centre = (edges: readonly number[], i: number) => ((edges[i] ?? 0) + (edges[i + 1] ?? 0)) / 2;

const at = (value: number) => Number(value.toFixed(2));

/** Bins in a row that have a value. */
function stretches(...series: Values[]): number[][] {
  const found: number[][] = [];
  let open: number[] | null = null;
  for (let i = 0; i < (series[0]?.length ?? 0); i++) {
    if (series.some((values) => values[i] == null)) {
      open = null;
      continue;
    }
    if (open === null) {
      open = [];
      found.push(open);
    }
    open.push(i);
  }
  return found;
}

export const lineOf = (edges: readonly number[], values: Values, x: Place, y: Place): string =>
  stretches(values)
    .map((bins) => `M${bins.map((i) => `${at(x(centre(edges, i)))} ${at(y(values[i] ?? 0))}`).join("L")}`)
    .join("");

/** The area from a lower to an upper line. */
export const areaOf = (edges: readonly number[], low: Values, high: Values, x: Place, y: Place): string =>
  stretches(low, high)
    .map((bins) => {
      const point = (values: Values) => (i: number) => `${at(x(centre(edges, i)))} ${at(y(values[i] ?? 0))}`;
      return `M${bins.map(point(high)).join("L")}L${[...bins].reverse().map(point(low)).join("L")}Z`;
    })
    .join("");
