"""The line over builds: steps, drifts, the newest build, breaks and bridges, and where to look for a step."""

from .alert import Alert, alert
from .bridge import Across, Bridge, across, bridge
from .events import Elsewhere, Event, elsewhere, events
from .gate import Gated, GateRow, Primary, gate
from .hunt import Where, where
from .line import Drift, Line, Step, line, line_of
from .noise import Measured, measured

__all__ = [
    "Across", "Alert", "Bridge", "Drift", "Elsewhere", "Event", "GateRow", "Gated", "Line", "Measured", "Primary", "Step", "Where",
    "across", "alert", "bridge", "elsewhere", "events", "gate", "line", "line_of", "measured", "where",
]  # fmt: skip
