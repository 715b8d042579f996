"""In which order files were recorded, as far as it is known."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

from vigilant.server.problems import unprocessable

T = TypeVar("T")
_NUMBER = re.compile(r"\d+")
BY = ("unknown", "number", "recorded", "listed")


@dataclass(frozen=True)
class Placed:
    """A run to be put in order: its arm, the name of its file, and when it says it was recorded ("" where it does not)."""

    arm: str
    name: str
    started: str = ""


def number_in(name: str) -> int | None:
    """The last number in a file's name, without what follows the first dot of its end."""
    stem = re.sub(r"(\.[A-Za-z]\w*)+$", "", name)
    found = _NUMBER.findall(stem)
    return int(found[-1]) if found else None


def ordered(runs: Mapping[T, Placed], by: str) -> tuple[list[T], list[str | None] | None]:
    """Keys in order and the arm of each slot; the order is None where it is unknown. Raises a problem where it
    cannot be told in the way asked for."""
    keys = list(runs)
    if by == "unknown":
        return keys, None
    if by == "recorded":
        if without := [r.name for r in runs.values() if not r.started]:
            raise unprocessable("order-unknown", f"{without[0]} does not say when it was recorded.")
        keys.sort(key=lambda key: runs[key].started)
        _unlike([runs[key].started for key in keys], "were recorded at the same time")
    if by == "number":
        numbers = {key: number_in(run.name) for key, run in runs.items()}
        if without := [runs[key].name for key, number in numbers.items() if number is None]:
            raise unprocessable("order-unknown", f"There is no number in the name {without[0]}.")
        keys.sort(key=lambda key: numbers[key] or 0)
        _unlike([numbers[key] for key in keys], "have the same number, so which came first cannot be told")
    return keys, [runs[key].arm for key in keys]


def _unlike(values: Sequence[object], said: str) -> None:
    if len(set(values)) < len(values):
        raise unprocessable("order-unknown", f"Two of the files {said}.")
