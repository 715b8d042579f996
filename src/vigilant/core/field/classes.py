"""Classes of devices: a table of rules, of which the first that fits names the class."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase

#: The class of a device that no rule fits, and that names none of its own.
OTHER = "other"


@dataclass(frozen=True)
class Rule:
    """All that is stated must fit: one of the patterns of a model and of its graphics (``*`` stands for anything, case does not matter), and
    memory from (inclusive) and below, GiB. What a device does not tell fits nothing."""

    name: str
    models: tuple[str, ...] = ()
    graphics: tuple[str, ...] = ()
    memory_from_gib: float | None = None
    memory_below_gib: float | None = None

    def fits(self, model: str, graphics: str | None, memory_gib: float | None) -> bool:
        return (
            _one_of(self.models, model)
            and _one_of(self.graphics, graphics)
            and (self.memory_from_gib is None or (memory_gib is not None and memory_gib >= self.memory_from_gib))
            and (self.memory_below_gib is None or (memory_gib is not None and memory_gib < self.memory_below_gib))
        )


def _one_of(patterns: Sequence[str], told: str | None) -> bool:
    return not patterns or (told is not None and any(fnmatchcase(told.casefold(), p.casefold()) for p in patterns))


def class_of(
    rules: Sequence[Rule], model: str, graphics: str | None = None, memory_gib: float | None = None, named: str | None = None
) -> str:  # fmt: skip
    """The class of a device: by the first rule that fits, else the one its program names, else *other*."""
    for rule in rules:
        if rule.fits(model, graphics, memory_gib):
            return rule.name
    return named or OTHER
