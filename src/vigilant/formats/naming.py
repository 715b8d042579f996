"""Which run a file beside runs is of, by its name."""

from __future__ import annotations

from pathlib import PurePath


def belongs(name: str, run_file: str) -> bool:
    """Whether a file beside runs is called after a file of runs: ``pond-3.power.csv`` after ``pond-3.csv``."""
    stem = PurePath(run_file).name.split(".")[0]
    rest = PurePath(name).name.removeprefix(stem)
    return rest != PurePath(name).name and not rest[:1].isalnum()
