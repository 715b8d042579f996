"""What settings, switches and loads do to the frame: cells of runs, recorded in passes."""

from .cells import Cells, Contrast, fit_cells
from .switched import Cure, Screening, Switched, screened

__all__ = ["Cells", "Contrast", "Cure", "Screening", "Switched", "fit_cells", "screened"]
