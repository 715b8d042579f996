/** A short sound at a moment of the sound card's own clock: hertz, how loud, and for how many seconds. */
export interface Click {
  hertz: number;
  loud: number;
  seconds: number;
}

/** Where a frame ends. */
export const TICK: Click = { hertz: 1400, loud: 0.1, seconds: 0.012 };
/** The target, softly. */
export const BEAT: Click = { hertz: 330, loud: 0.03, seconds: 0.02 };

export function click(context: AudioContext, at: number, { hertz, loud, seconds }: Click) {
  const tone = context.createOscillator();
  const gain = context.createGain();
  tone.frequency.value = hertz;
  gain.gain.setValueAtTime(loud, at);
  gain.gain.exponentialRampToValueAtTime(0.0001, at + seconds);
  tone.connect(gain).connect(context.destination);
  tone.start(at);
  tone.stop(at + seconds);
}
