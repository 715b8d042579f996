"""What settings, switches and loads do to the frame: cells of runs, recorded in passes."""

from .cells import Cells, Contrast, fit_cells
from .switched import Cure, Screening, Switched, screened
from .untangle import Effect, Untangled, configurations, passes_needed, untangled

__all__ = [
    "Cells",
    "Contrast",
    "Cure",
    "Effect",
    "Screening",
    "Switched",
    "Untangled",
    "configurations",
    "fit_cells",
    "passes_needed",
    "screened",
    "untangled",
]
