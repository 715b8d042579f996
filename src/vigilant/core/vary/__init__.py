"""What settings, switches and loads do to the frame: cells of runs, recorded in passes."""

from .cells import Cells, Contrast, fit_cells
from .knob import Knob, KnobFigure, knob, knob_figure
from .ramp import Capacity, Growth, Levels, UnitCost, capacity, growth, ramp_levels, unit_cost
from .switched import Cure, Screening, Switched, screened
from .untangle import Effect, Untangled, configurations, passes_needed, untangled

__all__ = [
    "Capacity",
    "Cells",
    "Contrast",
    "Cure",
    "Effect",
    "Growth",
    "Knob",
    "KnobFigure",
    "Levels",
    "Screening",
    "Switched",
    "UnitCost",
    "Untangled",
    "capacity",
    "configurations",
    "fit_cells",
    "growth",
    "knob",
    "knob_figure",
    "passes_needed",
    "ramp_levels",
    "screened",
    "unit_cost",
    "untangled",
]
