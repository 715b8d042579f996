import { colour } from "../kit";
export interface Strip {
  difference: number;
  ci_low: number | null;
  ci_high: number | null;
  margin_low: number;
  margin_high: number;
}

/** In margins: saved is negative (left), spent positive (right), whatever way is better. */
export function inMargins(strip: Strip, higherIsBetter: boolean) {
  const sign = higherIsBetter ? -1 : 1;
  const scaled = (value: number) =>
    sign * (value < 0 ? value / Math.abs(strip.margin_low || 1) : value / Math.abs(strip.margin_high || 1));
  const ends = [strip.ci_low, strip.ci_high].filter((v) => v !== null).map(scaled);
  return {
    at: scaled(strip.difference),
    low: ends.length === 2 ? Math.min(...ends) : null,
    high: ends.length === 2 ? Math.max(...ends) : null,
  };
}

/** One reach, in margins, for all strips of a table, so that rows compare. */
export function commonReach(strips: { strip: Strip; higherIsBetter: boolean }[], most = 9): number {
  const ends = strips.flatMap(({ strip, higherIsBetter }) => {
    const { at, low, high } = inMargins(strip, higherIsBetter);
    return [at, low ?? at, high ?? at].map(Math.abs);
  });
  return Math.min(most, Math.max(2.5, ...ends));
}

interface Props {
  strip: Strip;
  higherIsBetter?: boolean;
  reach: number;
  width?: number;
  said: string;
}

/** Margin band, zero hairline, interval bar with end ticks, estimate mark; an arrow where it leaves the strip. */
export function IntervalStrip({ strip, higherIsBetter = false, reach, width = 150, said }: Props) {
  const height = 18;
  const middle = height / 2;
  const { at, low, high } = inMargins(strip, higherIsBetter);
  const pad = 7;
  const x = (v: number) => width / 2 + (Math.max(-reach, Math.min(reach, v)) / reach) * (width / 2 - pad);
  const end = (v: number, side: -1 | 1) =>
    Math.abs(v) > reach ? (
      <path
        d={`M${x(v)} ${middle - 4}l${5 * side} 4l${-5 * side} 4`}
        fill="none"
        stroke={colour.ink}
        strokeWidth={1.5}
      />
    ) : (
      <path d={`M${x(v)} ${middle - 4}v8`} stroke={colour.ink} strokeWidth={1.5} />
    );
  // The mark gives way before the ends of the interval do.
  const half = low === null || high === null ? 5 : Math.max(1.5, Math.min(5, (x(high) - x(low)) / 2 - 2.5));
  return (
    <svg width={width} height={height} role="img" aria-label={said} display="block">
      <title>{said}</title>
      <rect x={x(-1)} width={x(1) - x(-1)} y={1} height={height - 2} fill={colour.margin} />
      <path d={`M${width / 2} 1v${height - 2}`} stroke={colour.faded} />
      {low !== null && high !== null && (
        <>
          <path d={`M${x(low)} ${middle}H${x(high)}`} stroke={colour.ink} strokeWidth={2} />
          {end(low, -1)}
          {end(high, 1)}
        </>
      )}
      {Math.abs(at) <= reach && (
        <path
          d={`M${x(at)} ${middle - half}l${half} ${half}l${-half} ${half}l${-half} ${-half}z`}
          fill={low === null ? colour.sheet : colour.ink}
          stroke={colour.ink}
        />
      )}
    </svg>
  );
}
