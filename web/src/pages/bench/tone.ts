/** A tone that follows the frame: long frames are deep. Off until it is asked for. */

/** Hz of a frame that takes just the budget, and how far it goes to either side. */
const MIDDLE_HZ = 330;
const OCTAVES = 2;
const LOUD = 0.04;
/** A change is heard as a glide, not as a click. */
const GLIDE_S = 0.08;

/** Hz for a mean frame: an octave deeper where it takes twice the reference. */
export function pitch(mean_ms: number, reference_ms: number): number {
  const octaves = Math.log2(reference_ms / Math.max(mean_ms, 1e-3));
  return MIDDLE_HZ * 2 ** Math.max(-OCTAVES, Math.min(OCTAVES, octaves));
}

export interface Tone {
  follow: (mean_ms: number | null) => void;
  stop: () => void;
}

/** Begins the tone; without a reading it is silent. */
export function startTone(reference_ms: number): Tone {
  const context = new AudioContext();
  const source = context.createOscillator();
  const volume = context.createGain();
  volume.gain.value = 0;
  source.connect(volume).connect(context.destination);
  source.start();
  return {
    follow: (mean_ms) => {
      const now = context.currentTime;
      volume.gain.setTargetAtTime(mean_ms === null ? 0 : LOUD, now, GLIDE_S);
      if (mean_ms !== null) source.frequency.setTargetAtTime(pitch(mean_ms, reference_ms), now, GLIDE_S);
    },
    stop: () => {
      source.stop();
      void context.close();
    },
  };
}
