"""An inventory from a file: a table with a column of kinds, one of counts, and what a piece weighs in further columns."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from vigilant.core.errors import CoreError
from vigilant.core.work.inventory import Item, merged

from . import limits
from .errors import FormatError
from .head import unfit_name
from .opening import open_bytes
from .tables import Block, open_table
from .tables.table import is_gap

#: Names of the two columns that an inventory must have, as people write them.
KINDS = ("kind", "item", "name", "type")
COUNTS = ("count", "pieces", "number", "instances")


def read_inventory(path: Path, source: str = "") -> list[Item]:
    """One item a kind, in the order of the file; columns of texts are passed over, a cell that holds no number is not told. Raises
    :class:`FormatError` for a file that is no table, lacks a column, or holds what is no amount, with its line."""
    source = source or path.name
    with open_bytes(path) as stream:
        start = stream.read(4096)
    table = open_table(path, start)
    kinds, counts = (_column(table.names, names, source) for names in (KINDS, COUNTS))
    weights = [name for name in table.names if name not in (kinds, counts)]
    items: list[Item] = []
    for block in table.blocks(table.names, numeric=[counts]):
        items += _items(block, kinds, counts, weights, source, table.lines_of)
        if len(items) > limits.ITEMS:
            raise FormatError("items-too-many", f"more than {limits.ITEMS} lines of items", source)
    if not items:
        raise FormatError("empty", "the file holds no item", source)
    units = dict.fromkeys(name for item in items for name in item.weights)
    if len(units) > limits.WEIGHTS:
        raise FormatError("weights-too-many", f"{len(units)} columns of numbers; {limits.WEIGHTS} are allowed", source)
    try:
        return merged(items)
    except CoreError as error:
        raise FormatError("item-unfit", str(error), source) from error


def _column(names: list[str], wanted: tuple[str, ...], source: str) -> str:
    plain = {name.strip().lower(): name for name in reversed(names)}
    found = next((plain[name] for name in wanted if name in plain), None)
    if found is None:
        said = ", ".join(names[:10])
        raise FormatError("column-missing", f"an inventory needs a column {wanted[0]}; there are {said}", source)
    return found


def _items(block: Block, kinds: str, counts: str, weights: list[str], source: str, lines_of) -> list[Item]:  # type: ignore[no-untyped-def]
    names = block.cells[kinds].texts()
    numbers = block.cells[counts].numbers()
    columns = {name: block.cells[name].numbers() for name in weights}
    told = {name: c.values for name, c in columns.items() if np.isfinite(c.values).any()}
    found = []
    for i, name in enumerate(names):
        line = lines_of([block.first + i])[0] if unfit_name(name) or not _amount(numbers.values[i]) else 0
        if why := unfit_name(name):
            raise FormatError("item-unfit", f"a kind's name {why}", source, line)
        if not _amount(numbers.values[i]):
            said = numbers.unread.get(i, f"{numbers.values[i]:g}")
            raise FormatError(
                "item-unfit", f"{name!r} has the count {said!r}; a number from 0 on is wanted", source, line
            )
        own = {unit: float(values[i]) for unit, values in told.items() if np.isfinite(values[i])}
        strange = next((u for u, c in columns.items() if u in told and i in c.unread and not is_gap(c.unread[i])), None)
        if strange is not None:
            said = columns[strange].unread[i]
            line = lines_of([block.first + i])[0]
            raise FormatError("item-unfit", f"{strange} of {name!r} is {said!r}; a number is wanted", source, line)
        if bad := [unit for unit, value in own.items() if not _amount(value)]:
            line = lines_of([block.first + i])[0]
            raise FormatError(
                "item-unfit", f"{bad[0]} of {name!r} is {own[bad[0]]:g}; 0 or more is wanted", source, line
            )
        found.append(Item(str(name), float(numbers.values[i]), own))
    return found


def _amount(value: float) -> bool:
    return bool(0 <= value <= limits.COUNT)
