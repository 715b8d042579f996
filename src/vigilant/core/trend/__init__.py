"""The line over builds: steps, drifts, the newest build, breaks and bridges, and where to look for a step."""

from .alert import Alert, alert
from .bridge import Across, Bridge, across, bridge
from .events import Elsewhere, Event, elsewhere, events
from .following import called, held_to, is_worse, state_of
from .gate import Followed, Gated, GateRow, Judged, Primary, gate, judged
from .hunt import Where, hunted, where
from .line import Drift, Line, Step, line, line_of
from .noise import Measured, measured
from .stretches import Break, Joined, Point, Stretch, joined, moved, successions
from .values import FOLLOWED, RunValues, Scaled, scaled

__all__ = [
    "FOLLOWED", "Across", "Alert", "Break", "Bridge", "Drift", "Elsewhere", "Event", "Followed", "GateRow", "Gated", "Joined", "Judged",
    "Line", "Measured", "Point", "Primary", "RunValues", "Scaled", "Step", "Stretch", "Where", "across", "alert", "bridge", "called",
    "elsewhere", "events", "gate", "held_to", "hunted", "is_worse", "joined", "judged", "line", "line_of", "measured", "moved", "scaled", "state_of",
    "successions", "where",
]  # fmt: skip
