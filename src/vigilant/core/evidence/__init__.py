"""What stands behind a verdict: legs, the course, stutters that recur (docs/statistics.md, *The evidence*).

None of it moves the verdict: it says where a change is, and what of it is part of the course.
"""

from .course import Course, Stretch, course
from .legs import LegFigures, LegTable, leg_table
from .naive import NaiveReading, naive_readings
from .place import Placing, place
from .recurring import Recurrence, RecurringPlace, recurring
from .spread import QuantileRange, SpreadFound, curve, over_budget, share_axis, spread_found
from .stills import Difference, StillsJudged, judge_stills

__all__ = [
    "Course",
    "Difference",
    "LegFigures",
    "LegTable",
    "NaiveReading",
    "Placing",
    "QuantileRange",
    "Recurrence",
    "RecurringPlace",
    "SpreadFound",
    "StillsJudged",
    "Stretch",
    "course",
    "curve",
    "judge_stills",
    "leg_table",
    "naive_readings",
    "over_budget",
    "place",
    "recurring",
    "share_axis",
    "spread_found",
]
