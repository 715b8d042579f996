"""What settings, switches and loads do to the frame: cells of runs, recorded in passes."""

from .ceiling import Ceiling, HeldLevel, LevelTries, ceiling, past_held, under
from .cells import Cells, Contrast, fit_cells
from .choose import Step, next_step
from .in_one_run import LegRamp, RunLegs, ramp_of_legs, run_legs
from .knob import Knob, KnobFigure, knob, knob_figure
from .laps import Laps, Process, in_frame, laps
from .loads import Placed, RunLoad, moved, placed, run_load
from .matrix import Matrix, MatrixCell, matrix
from .mixture import Mixture, mixture
from .ramp import ArmRuns, Capacity, Growth, Levels, UnitCost, arms_levels, capacity, growth, ramp_levels, unit_cost
from .scaling import Scaling, scaling
from .sweep import LevelRuns, RampArm, band, chosen_next, edges_of, ramp_arms, to_confirm
from .switched import Cure, Screening, Switched, screened
from .trade import Trade, recorded_trade, trade
from .two_arms import Crossings, Interval, TwoRamps, ratio_of_capacities, two_knobs, two_ramps
from .untangle import Effect, Untangled, configurations, passes_needed, untangled
from .work import Unlike, unlike_work

__all__ = [
    "ArmRuns", "Capacity", "Ceiling", "Cells", "Contrast", "Crossings", "Cure", "Effect", "Growth", "HeldLevel", "Interval",
    "Knob", "KnobFigure", "Laps", "LegRamp", "LevelRuns", "LevelTries", "Levels", "Matrix", "MatrixCell", "Mixture", "Placed", "Process", "RampArm", "RunLegs", "RunLoad", "Scaling",
    "Screening", "Step", "Switched", "Trade", "TwoRamps", "UnitCost", "Unlike", "Untangled", "arms_levels", "band", "capacity", "ceiling", "chosen_next",
    "configurations", "edges_of", "fit_cells", "growth", "in_frame", "knob", "knob_figure", "laps", "matrix", "mixture", "moved",
    "next_step", "passes_needed", "past_held", "placed", "ramp_arms", "ramp_levels", "ramp_of_legs", "ratio_of_capacities", "recorded_trade", "run_legs", "run_load", "scaling",
    "screened", "to_confirm", "trade", "two_knobs", "two_ramps", "under", "unit_cost", "unlike_work", "untangled",
]  # fmt: skip
