"""The heart: figures of one run, two arms compared, the audit and the verdict.

Pure: no input or output, no sentence that a person reads. The public interface is what
``__all__`` names; definitions, formulas and rates are in docs/statistics.md.
"""

from .audit.outcomes import crash_rates, failed_runs
from .basis import Basis
from .compare import compare
from .errors import CoreError, InvalidComparison, InvalidPolicy, InvalidSeries
from .figures import FIGURES, FigureKind
from .finding import Finding
from .guards import Guard
from .legs import Leg
from .looks import look_levels
from .policy import Policy
from .repeats import refuse_repeats
from .result import ComparisonResult, FigureResult
from .series import FrameSeries, Mark, Part
from .settle import Settle
from .several import Net, Remainder, Several, chain_remainder, compare_several
from .summary import Summary, summarize

#: Raised whenever a figure or a verdict of the same runs may change.
CORE_VERSION = "5"

__all__ = [
    "CORE_VERSION",
    "FIGURES",
    "Basis",
    "ComparisonResult",
    "CoreError",
    "FigureKind",
    "FigureResult",
    "Finding",
    "FrameSeries",
    "Guard",
    "InvalidComparison",
    "InvalidPolicy",
    "InvalidSeries",
    "Leg",
    "Mark",
    "Net",
    "Part",
    "Policy",
    "Remainder",
    "Settle",
    "Several",
    "Summary",
    "chain_remainder",
    "compare",
    "compare_several",
    "crash_rates",
    "failed_runs",
    "look_levels",
    "refuse_repeats",
    "summarize",
]
