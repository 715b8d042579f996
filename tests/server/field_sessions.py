"""Sessions as devices send them, for tests."""

import base64
import uuid

import numpy as np

from vigilant.core.field import histogram_of, packed

BUDGET_MS = 50.0 / 3.0
LIMIT_MS = BUDGET_MS * 1.05
TIER = {
    "level": 2,
    "name": "full lanterns",
    "settings": {"reflections": "full"},
    "set_by": "program",
    "budget_ms": BUDGET_MS,
}


def cell(frame_ms, place=0, tier=0, busiest=0, work_ms=None):
    """One cell of these frames; the late ones were busiest in the lane given."""
    x = np.asarray(frame_ms, dtype=float)
    found, late = histogram_of(x), x[x > LIMIT_MS]
    by = [0, 0, 0]
    by[busiest] = int(late.size)
    made = {
        **_histogram(found), "place": place, "tier": tier, "late": int(late.size), "late_by": by,
        "late_ms": float(late.sum()), "play_s": float(x.sum()) / 1000.0,
    }  # fmt: skip
    return made if work_ms is None else {**made, "work": _histogram(histogram_of(np.asarray(work_ms, dtype=float)))}


def _histogram(found):
    frames = base64.b64encode(packed(found.counts)).decode()
    return {"frames": frames, "sum_ms": found.sum_ms, "max_ms": found.max_ms}


def session(cells=None, **changes):
    """A whole session; ``changes`` replace its parts."""
    made = {
        "vigilant_field": 1,
        "edges": 1,
        "session": str(uuid.uuid4()),
        "seq": 1,
        "installation": uuid.uuid4().hex,
        "age_s": 120.0,
        "build": "river 41",
        "device": {"model": "Reed 5", "kind": "handheld", "memory_gib": 4.0},
        "held": {"told": "no"},
        "places": [{"name": "landing stage"}, {"name": "market bank"}, {"name": "loading", "play": False}],
        "tiers": [TIER],
        "cells": [cell([12.0] * 95 + [30.0] * 5)] if cells is None else cells,
        "ended": None,
    }
    return {**made, **changes}
