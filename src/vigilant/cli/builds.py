"""Runs of several builds, from folders."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence

import click
import numpy as np

from vigilant.core import FrameSeries, refuse_repeats
from vigilant.core.repeats import SAME_MS


def refuse_in_two_builds(series: Mapping[str, Sequence[FrameSeries]]) -> None:
    """Raises a usage error for a run that stands for two builds, or twice for one."""
    refuse_repeats(series)
    seen: dict[bytes, tuple[str, str]] = {}
    for build, runs in series.items():
        for run in runs:
            ticks = np.round(run.frame_ms / SAME_MS).astype(np.int64)
            other, source = seen.setdefault(hashlib.sha256(ticks.tobytes()).digest(), (build, run.source))
            if other != build:
                raise click.UsageError(f"one run stands for two builds, {other} and {build}: {source} and {run.source}")
