/** The guided first case: what is done, why, and what a wrong reading of it would be. */

export const CASE = "First case";
export const CHANGE = "Neighbours by cell";

/** What the book holds of the case so far. */
export interface Facts {
  scenario: boolean;
  goal: boolean;
  entry: number | null;
  recording: string | null;
  recorded: boolean;
  decided: boolean;
  /** Pages one was on: those steps are done by reading. */
  seen: readonly string[];
}

export interface Step {
  name: string;
  todo: string;
  why: string;
  wrong: string;
  /** Where it is done, in the book; "" where one is there already. */
  to: (facts: Facts) => string;
  done: (facts: Facts) => boolean;
}

export const STEPS: readonly Step[] = [
  {
    name: "Fix a course",
    todo: `Write a scenario named “${CASE}”: target 120, 3 seconds a run, witness boats.`,
    why: "Frames are comparable only where the same course was played, with the same seed and length.",
    wrong: "Two sittings of free play compared: what differs is mostly what was played.",
    to: () => "scenarios/write",
    done: (facts) => facts.scenario,
  },
  {
    name: "Say what must hold",
    todo: "Set a goal on it: late frames at most 50 %, with the reason.",
    why: "A goal set beforehand says when to stop, and cannot be bent to what was found.",
    wrong: "“It got faster”, of something that was fast enough or is still too slow.",
    to: () => "scenarios",
    done: (facts) => facts.goal,
  },
  {
    name: "Write what you expect",
    todo: `Open an entry “${CHANGE}” with a reason and what you expect, as “a third faster”.`,
    why: "The expectation is locked by the first run: what the data say is then held against it.",
    wrong: "A reason found after the numbers fits any numbers.",
    to: () => "",
    done: (facts) => facts.entry !== null,
  },
  {
    name: "Record both builds",
    todo: `Plan its recording on “${CASE}”: subject lanternfall for both arms, with the arguments --neighbours pairs before and --neighbours cells after, 5 runs an arm.`,
    why: "Runs of both builds alternate in a random order, so that a machine that warms up meets both alike.",
    wrong: "All runs before, then all runs after: the evening is measured too.",
    to: (facts) => `bench/plan?entry=${facts.entry}&scenario=${encodeURIComponent(CASE)}`,
    done: (facts) => facts.recording !== null,
  },
  {
    name: "Leave it alone",
    todo: "Watch it to its end. There is no verdict before the planned runs are in.",
    why: "Who stops when it looks good finds gains that are none.",
    wrong: "“After three runs it was already clear.”",
    to: (facts) => `bench/${facts.recording}`,
    done: (facts) => facts.recorded,
  },
  {
    name: "Read the verdict",
    todo: "Open the entry and read its sentence, the interval of the mean frame and what the audit found.",
    why: "The interval says how large the change is at least; the audit, whether the runs can carry it.",
    wrong: "The two means alone: they differ in any two recordings, of the same build too.",
    to: (facts) => `entries/${facts.entry}`,
    done: (facts) => facts.seen.includes("verdict"),
  },
  {
    name: "Look at single frames",
    todo: "On the leaf Runs open one of them, and go to the next stutter with s.",
    why: "A mean hides what is felt: a stutter is one frame in a thousand.",
    wrong: "A better mean taken for a smoother picture.",
    to: (facts) => `entries/${facts.entry}/runs`,
    done: (facts) => facts.seen.includes("run"),
  },
  {
    name: "Decide",
    todo: "Keep or drop the change, with what it costs elsewhere.",
    why: "The ledger goes on from what was kept: the next entry is held against it.",
    wrong: "A verdict is no decision: a gain may cost more than it saves.",
    to: (facts) => `entries/${facts.entry}`,
    done: (facts) => facts.decided,
  },
];

/** The first step that is not done; all are done at their number. */
export const stepOf = (facts: Facts): number => {
  const at = STEPS.findIndex((step) => !step.done(facts));
  return at < 0 ? STEPS.length : at;
};
