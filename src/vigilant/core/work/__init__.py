"""Where the time goes: the amount of work, and the lanes it is done in (docs/statistics.md, *Where the time goes*).

None of it moves the verdict.
"""

from .amounts import WorkAmount, WorkShare, split, work_shares
from .lanes import (
    BALANCED,
    NONE,
    NOT_TOLD,
    PACED,
    Headroom,
    LaneChange,
    LanesFound,
    Limit,
    Overlap,
    RunLanes,
    lag_frames,
    lane_changes,
    lanes_found,
    limit_moved,
    limiting,
    overlap,
    run_lanes,
    share_of_frames,
)
from .parts import PartChange, PartOfArm, PartsOfRun, part_changes, parts_of_run

__all__ = [
    "BALANCED",
    "NONE",
    "NOT_TOLD",
    "PACED",
    "Headroom",
    "LaneChange",
    "LanesFound",
    "Limit",
    "Overlap",
    "PartChange",
    "PartOfArm",
    "PartsOfRun",
    "RunLanes",
    "WorkAmount",
    "WorkShare",
    "lag_frames",
    "lane_changes",
    "lanes_found",
    "limit_moved",
    "limiting",
    "overlap",
    "part_changes",
    "parts_of_run",
    "run_lanes",
    "share_of_frames",
    "split",
    "work_shares",
]
