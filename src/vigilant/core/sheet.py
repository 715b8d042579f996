"""Keys that a sheet of conditions or of what was measured may hold, and values that mean something."""

from typing import Final, Literal

# Conditions.
BUILD: Final = "build"
CLOCK: Final = "clock"
FRAME_IS: Final = "frame_is"
OBSERVERS: Final = "observers"
LOAD: Final = "load"
PLAYED: Final = "played"
BY_HAND: Literal["by hand"] = "by hand"
#: How a run ended that was cut off with its recorder: that says nothing of what was recorded.
RECORDER_ENDED: Final = "the recorder was ended during this run"
CORES_USED: Final = "cores used"
STARTED_QUIET: Final = "started quiet"
ARMS_SWITCHED: Final = "arms switched"
FOCUS: Final = "focus"
VISIBLE: Final = "visible"
WINDOWS: Final = "windows that presented"
#: What a window that was not in front throughout says.
AWAY: Final = {FOCUS: "lost", VISIBLE: "no"}

# Measured beside a run.
OTHER_WORK_BEFORE: Final = "other work before"
OTHER_WORK: Final = "other work"
WALL_S: Final = "wall_s"
TEMPERATURE_C: Final = "temperature_c"
CLOCK_MHZ: Final = "clock_mhz"
POWER_W: Final = "power_w"
LOAD_AVERAGE: Final = "load average"
LIVE_VIEW_MS: Final = "live view ms a frame"
