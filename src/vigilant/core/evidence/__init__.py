"""What stands behind a verdict: legs, the course, stutters that recur (docs/statistics.md, *The evidence*).

None of it moves the verdict: it says where a change is, and what of it is part of the course.
"""

from .course import Course, Stretch, course
from .left_out import LeftOut, left_out
from .legs import LegFigures, LegTable, leg_table
from .motion import SequenceJudged, judge_sequence
from .naive import NaiveReading, naive_readings
from .place import Placing, place
from .recurring import Recurrence, RecurringPlace, recurring
from .sessions import Block, Drift, blocks, drift
from .spacing import RegularArm, regular_arm, stutter_figures
from .spread import QuantileRange, SpreadFound, curve, over_budget, share_axis, spread_found
from .stills import Difference, StillsJudged, judge_stills

__all__ = [
    "Block",
    "Course",
    "Difference",
    "Drift",
    "LeftOut",
    "LegFigures",
    "LegTable",
    "NaiveReading",
    "Placing",
    "QuantileRange",
    "Recurrence",
    "RecurringPlace",
    "RegularArm",
    "SequenceJudged",
    "SpreadFound",
    "StillsJudged",
    "Stretch",
    "blocks",
    "course",
    "curve",
    "drift",
    "judge_sequence",
    "judge_stills",
    "left_out",
    "leg_table",
    "naive_readings",
    "over_budget",
    "place",
    "recurring",
    "regular_arm",
    "share_axis",
    "spread_found",
    "stutter_figures",
]
