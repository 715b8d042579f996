import { BEAT, click, TICK } from "../../charts/click";

/** A tick where each frame of the run in progress ends, and a soft beat at the target. Off until it is asked for. */

/** How long after a report its frames are heard: it comes once a second, and never quite evenly. */
const LATE_S = 0.25;
/** Further behind than so much, what waits is left out. */
const MOST_BEHIND_S = 2.5;

/** When the next frames begin to be heard: where the last ended, or a little from now where that is past or far off. */
export const heardFrom = (end_s: number, now_s: number): number =>
  end_s < now_s || end_s > now_s + MOST_BEHIND_S ? now_s + LATE_S : end_s;

/** The ends of frames, s, of which the first begins at `from_s`. */
export function endsOf(frame_ms: readonly number[], from_s: number): number[] {
  let at = from_s;
  return frame_ms.map((ms) => {
    at += ms / 1000;
    return at;
  });
}

export interface Ticks {
  take: (frame_ms: readonly number[]) => void;
  stop: () => void;
}

/** Begins the ticks; `target_ms` is the beat's, null for none. */
export function startTicks(target_ms: number | null): Ticks {
  const context = new AudioContext();
  let end = 0;
  let beat = 0;
  return {
    take: (frame_ms) => {
      const from = heardFrom(end, context.currentTime);
      if (from !== end) beat = from;
      for (const at of endsOf(frame_ms, from)) {
        click(context, at, TICK);
        end = at;
      }
      while (target_ms !== null && beat + target_ms / 1000 <= end) {
        beat += target_ms / 1000;
        click(context, beat, BEAT);
      }
    },
    stop: () => void context.close(),
  };
}
