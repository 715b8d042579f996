import { styled } from "@mui/material/styles";
import type { ReactNode } from "react";
import { Explained } from "./Explained";

/** The words of this book that a newcomer does not know, as docs/words.md has them. */
const MEANINGS = {
  arm: "An arm is the runs on one side of a comparison: before the change, after it, or a further one.",
  shown:
    "What the runs show. Better or worse: the whole interval lies on that side. Equivalent: all of it lies within the margin. Unclear: neither, so more runs are needed.",
  standing: "The mean frame of the build that stands after this entry: the one that was last kept.",
  unaccounted:
    "Between the build that stood and the one this entry began with the mean frame moved, and no entry says why.",
  guard: "A side figure that was not meant to change and must not get worse.",
  work: "A witness is a counter, such as draws, that says whether both sides did the same work: a change may come from doing less rather than from doing it faster.",
  lane: "What one worker (a thread, the graphics processor) took of a frame. Its time matters only where frames wait for it: half of a lane that nothing waits for brings nothing.",
  part: "A named piece of the work, which lies in a lane or in another part. The rest is what no part names. Its saving is the frame's only where frames wait for its lane: half of the parts may get cheaper, and no frame shorter.",
  limit:
    "The lane that a frame waited for is the busiest of those that overlap. Balanced: two are as busy as each other, so that making one cheaper brings nothing. Paced: the frame waited for the screen. None explains it: something runs that no lane reports, or the lanes are pieces of one.",
  headroom:
    "The budget less what a frame would take if it never waited: what more it could carry. By the mean frame, and by the frame that only one in a hundred exceeds; a mean with room to spare may hide frames that are late.",
  cores:
    "What all workers together took of a frame, which may be more than the frame. Less of it makes a frame shorter only where frames wait for it; least is what it needs on all cores at once, and a longest chain cannot be shared out.",
  allowed:
    "What a part may take of the frame, set by somebody for a reason; a part is over from 5 % above it on. A part may be over without one late frame, and late frames may come from a part that is within its allowance: over says whom to ask, not whose fault it is.",
  next: "What the book's own rules propose where all they ask for holds. A rule that holds is a reason to test, not a finding: the test says whether it was right.",
  zero: "Whether nothing of it was seen in any known frame: a matter of fact, as far as these frames go. Allocations and loads should be zero once loading is over; below the resolution is not zero, and a missing value says nothing.",
  flat: "Whether it stays where it is over a run, within 1 % of its level a minute. Memory that is collected now and then is judged by what is left after each collection; a run that is too short tells nothing of a leak.",
  place:
    "Whether runs with more of it at one place of the course have longer frames there. Along the course both may only follow the same scene: that is the same place, not the same cause.",
  carried:
    "A part carries of the frame what it takes in the frames its lane limits, so that the rows add up to the frame. Where the limit moves, rows of parts that did not change move too: that is the other lane taking over, not their gain.",
  switched:
    "What the frame saves while this alone is off and all others are on: what it saves last. Features share work, so that the rows need not add up to everything off; whoever wants credit shared out switches them in all combinations.",
  waits:
    "How long a lane stood still for another, as the program says itself; its busy time is without it. A lane that waits is seldom the one to make cheaper: what it waits for is.",
  limits:
    "What a counter may be, and who says so. A limit that was read somewhere may not be one on this machine: a ramp measures it here. Expected at a fixed view: what ought to be drawn there; more is work that nobody sees, and finding it out costs too.",
  inventory:
    "How many pieces of each kind a build holds and what one weighs, as its makers state it: not what a frame draws. A total that halves may leave the frame as it was, where the pieces were never all in view; the counter beside it says what was.",
  ramp: "How much of it the frame carries: where the time meets the budget, from levels recorded in passes. What one more costs at ten need not be what it costs at a thousand, and a stress scene says little of a typical one.",
  trade:
    "A load ramped at several richnesses: how much of it the budget carries at each, all intervals holding together. A price that holds over all of them is said only where a straight line fits.",
  mixture:
    "What loads take together, less what each takes by itself over the empty scene. More than the sum: they get in each other's way. Less: they share work. Without the empty scene what every frame takes anyway would be counted once for each.",
  capacity:
    "The load at which frames take the budget, with every load that could not be told from it. At least: no level was over the budget.",
  scaling:
    "The same work with so many of the machine's cores. What does not shrink with them is the serial share, waiting among it; each further core costs something too, and leaving that out makes the rest look too good.",
  line: "What was measured of a scenario on one rig, build by build in the order they were made, whether or not anybody decided about it. A dot is not a change: sessions of one build differ, and the bars say by how much a repeat would.",
  hunt: "Between a good and a bad build: always the build is recorded next whose run tells most about where the step is. Halving with one run each goes wrong as soon as one run does; here a run that was odd moves the chances and decides nothing alone.",
  matrix:
    "One change over sizes of the window, tiers and rigs, a comparison of its own in every cell. The worst of twelve cells looks bad by chance alone; the interval of the worst change anywhere allows for that.",
  laps: "A routine timed by itself, so many items a call. Quicker in a lap need not be quicker in the frame: there its data is cold, other work is beside it, and it may be a hundredth of the time. The process, started anew, is the unit of evidence: samples of one are no repeats.",
  knob: "A setting that has a best place. A value that is smallest in one session need not be the best: those that cannot be told from it are all of them best. Work that is skipped in some frames gains in the mean and pays in the slowest 1 %.",
  untangled:
    "Several changes at once, then the favourite gets the credit: here each is recorded with and without each of the others. The credit is the mean over all orders in which they could have been made; neither what it saved last nor its share of the total.",
  credit:
    "What of the whole is this change's: its mean difference over all orders in which the changes could be made, so that the credits add up. Where two only help together each gets half of that.",
  cure: "A cheaper way of a feature, with what it costs itself already taken off. A cure that saves two thirds of a part and adds half of it again saves little: only its net counts.",
  excess:
    "What late frames have more of than the typical frame around them, shared out so that it adds up. It says which work lengthens them, not why it was done just then; of three runs a share is known within 20 to 50 points.",
  slack:
    "Where lanes run beside each other, a lane first has to fill the room up to the busiest before it makes a frame longer. Without this a lane that is usually short is blamed for too much.",
  goes: "Late frames hold this more often than chance would have it, by the frames near them and by the clock. It goes with them: whether they would be gone without it, only a run without it tells.",
  usual:
    "The mean over the ordinary frames of the thirty around this one, the same for every column, so that what is over adds up. A part that this frame lacks but they have is absent and usually there.",
  free: "What frames would be shorter by if this took no time and nothing else changed: the most that making it cheaper can bring. A part that takes 4 ms may give none, where another lane takes over.",
  deviceClass:
    "Devices alike, by the book's own table: the first rule that fits. Under 50 sessions of 20 installations nothing of a class is shown, so that no row is one person's.",
  lateMinutes:
    "Minutes played that were late: how late a class is times how much it is played. A class that is seldom played may be bad and lose little; one that everybody plays may lose most while it is hardly late.",
  likeWithLike:
    "Each class before against the same class after, at one mix of classes. In total a build may look worse only because other devices play it now.",
  tier: "The quality setting, as an ordered level. Only what the program set, or dealt at random, is advice's ground: what persons chose they chose because it was slow.",
  shrunk:
    "Drawn towards all models by as much as it is unsure: a model with three bad sessions is no more than that. Unshrunk, the top of a list is whoever was seen least.",
  leftEarly:
    "Whether sessions end more often within ten seconds after a late burst, each session held against its own past half a minute earlier: bad sessions are bad throughout, and comparing them with good ones would always find something.",
  label:
    "A yes or no of a second of play that the program states. A label may be commoner where it is heavy anyway; held against the same place, tier and class without it, what is left goes with it.",
  margin: "A change smaller than this counts as none; it was chosen before anything was recorded.",
  interval: "In 95 of 100 such recordings the interval holds the true change.",
} as const;

const Dotted = styled("span")({ textDecoration: "underline dotted", textUnderlineOffset: 3 });

/** A word that explains itself where it stands, on hover or focus. */
export const Word = ({ of, children }: { of: keyof typeof MEANINGS; children: ReactNode }) => (
  <Explained definition={MEANINGS[of]}>
    <Dotted>{children}</Dotted>
  </Explained>
);
