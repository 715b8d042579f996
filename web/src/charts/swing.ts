/** What one lantern swings at: recorded frames, or pictures at a constant rate. */
export type Pace = { frames: readonly number[] } | { rate: number };

/** Recorded frames with where each begins, so that the one at a moment is found at once. */
export interface Beats {
  starts: Float64Array;
  /** All of them together, ms. */
  whole: number;
  /** The step of a constant rate; 0 of recorded frames. */
  step: number;
}

export function beatsOf(pace: Pace): Beats {
  if ("rate" in pace)
    return { starts: new Float64Array(), whole: Number.POSITIVE_INFINITY, step: 1000 / pace.rate };
  const starts = new Float64Array(pace.frames.length);
  let at = 0;
  pace.frames.forEach((ms, i) => {
    starts[i] = at;
    at += ms;
  });
  return { starts, whole: at, step: 0 };
}

/** The number of the last value that is not over `at`. */
function lastUpTo(values: Float64Array, at: number): number {
  let low = 0;
  let high = values.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((values[middle] ?? 0) <= at) low = middle + 1;
    else high = middle;
  }
  return Math.max(0, low - 1);
}

/** The moment that is on the screen at `at` ms: that at which its frame began. */
export const shownAt = (beats: Beats, at: number): number =>
  beats.step > 0 ? Math.floor(at / beats.step) * beats.step : (beats.starts[lastUpTo(beats.starts, at)] ?? 0);

/** The ends of frames after `from` up to and with `to`, ms. */
export function endsWithin(beats: Beats, from: number, to: number): number[] {
  const found: number[] = [];
  if (beats.step > 0) {
    for (let k = Math.floor(from / beats.step) + 1; k * beats.step <= to; k++) found.push(k * beats.step);
    return found;
  }
  for (let i = lastUpTo(beats.starts, from) + 1; i < beats.starts.length; i++) {
    const at = beats.starts[i] ?? 0;
    if (at > to) break;
    if (at > from) found.push(at);
  }
  return found;
}

/** How long one swing takes, and how far it goes. */
export const SWING_MS = 2200;
export const REACH_DEGREES = 34;
export const angleAt = (ms: number): number => REACH_DEGREES * Math.sin((2 * Math.PI * ms) / SWING_MS);

/** Of this page's own intervals, ms: pictures a second, and the longest. */
export function ownPace(intervals: readonly number[]): { rate: number; longest: number } | null {
  if (intervals.length < 10) return null;
  const whole = intervals.reduce((sum, ms) => sum + ms, 0);
  return { rate: (1000 * intervals.length) / whole, longest: Math.max(...intervals) };
}
