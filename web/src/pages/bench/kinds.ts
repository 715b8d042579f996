/** What can be asked on the Bench: a comparison, or something whose answer is an account of its own. */

import type { PlanForm } from "./plan";

export type Kind =
  | ""
  | "blank"
  | "load"
  | "rich"
  | "together"
  | "knob"
  | "cores"
  | "switched"
  | "combined"
  | "matrix"
  | "line";

interface Words {
  /** As it is chosen, and over the page. */
  choice: string;
  head: string;
  says: string;
  /** What is asked, where nothing else is said. */
  title: string;
}

export const KINDS: Record<Kind, Words> = {
  "": { choice: "", head: "Plan a recording", says: "", title: "" },
  blank: {
    choice: "a blank test",
    head: "Plan a blank test",
    says: "One build recorded as both arms, to learn what this bench can see. Whatever it calls different is a false alarm.",
    title: "Blank test",
  },
  load: {
    choice: "ramp a load",
    head: "Ramp a load",
    says: "Levels of a load, recorded in passes: how much of it the budget carries, what one more costs, and how that grows. With two arms: what they differ by at equal load, a unit, and in what they carry.",
    title: "How much does it carry?",
  },
  rich: {
    choice: "few rich or many simple",
    head: "Few rich or many simple",
    says: "A load ramped at several richnesses, all in one set of passes: how much of it the budget carries at each, and whether richness has one price.",
    title: "Few rich, or many simple?",
  },
  together: {
    choice: "loads alone and together",
    head: "Loads alone and together",
    says: "A scene without any of the loads, with each by itself, and with all of them: whether together they take what they take one by one.",
    title: "Do they add up?",
  },
  knob: {
    choice: "sweep a knob",
    head: "Sweep a knob",
    says: "Values of one setting, recorded in passes: which are best, by mean and by the slowest 1 %, and what another loses at most. With two arms: where they cross.",
    title: "Which value is best?",
  },
  cores: {
    choice: "give it so many cores",
    head: "Give it so many cores",
    says: "The same work with more and more of the machine's cores, recorded in passes: how many times as fast, how much of each core's worth, and what stays serial.",
    title: "What do more cores bring?",
  },
  switched: {
    choice: "switch off one at a time",
    head: "Switch off one at a time",
    says: "What each feature costs while all others are on. It shows where to look; who gets credit for what several changes gained together it does not tell.",
    title: "What is each feature worth?",
  },
  combined: {
    choice: "untangle changes",
    head: "Untangle changes",
    says: "Several changes, recorded in their combinations: what each brought, what they do together, and credit that adds up. A change that cannot be switched gets none.",
    title: "Which of them helped?",
  },
  matrix: {
    choice: "a matrix over windows, tiers and rigs",
    head: "Plan a matrix",
    says: "One change over sizes of the window, tiers and rigs, a comparison a cell: where it gains, the worst change anywhere, and whether all cells say one thing.",
    title: "Does it hold everywhere?",
  },
  line: {
    choice: "one build, for its line",
    head: "Record one build for its line",
    says: "One build by itself, held against all that were recorded before it. It fills no entry; its name is the one that it has in the order of builds.",
    title: "One build more on its line",
  },
};

export const isKind = (text: string): text is Kind => text in KINDS;

/** What a form asks. */
export function kindOf({ blank, sweep, combined, together, switches, over, ofLine }: PlanForm): Kind {
  if (ofLine) return "line";
  if (over) return "matrix";
  if (blank) return "blank";
  if (sweep) return sweep.rich ? "rich" : sweep.of;
  if (combined) return together ? "together" : "combined";
  return switches.length > 0 ? "switched" : "";
}
