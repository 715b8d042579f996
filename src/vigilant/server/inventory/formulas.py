"""What a piece of a kind weighs by a formula of the book's own: plain arithmetic over its units."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable, Mapping, Sequence

import simpleeval

from vigilant.core.work.inventory import Item
from vigilant.formats import limits
from vigilant.server.problems import unprocessable

#: What a formula may call.
FUNCTIONS: Mapping[str, Callable[..., float]] = {
    "min": min, "max": max, "ceil": math.ceil, "floor": math.floor, "sqrt": math.sqrt, "log2": math.log2, "round": round,
}  # fmt: skip
#: A formula is computed once a kind, of which there may be thousands.
MOST_CHARACTERS = 300
#: The number of pieces of the kind itself.
PIECES = "pieces"


def plain(unit: str) -> str:
    """A unit's name as a formula writes it: "texture MiB" is texture_MiB."""
    return "".join(c if c.isalnum() or c == "_" else "_" for c in unit)


def weights(formula: str, items: Sequence[Item]) -> list[float | None]:
    """What a piece of each item weighs; None where a unit that the formula names is not told. Raises a problem for a formula that
    cannot be read, names what no item has, or gives what is no amount."""
    known = {plain(unit) for item in items for unit in item.weights} | {PIECES}
    evaluator = simpleeval.SimpleEval(functions=dict(FUNCTIONS), operators=_operators())
    if len(formula) > MOST_CHARACTERS:
        raise unprocessable(
            "formula-unreadable", f"A formula has at most {MOST_CHARACTERS} characters, got {len(formula)}."
        )
    if any(sign in formula for sign in ";\n"):
        raise unprocessable("formula-unreadable", f"{formula!r} is more than one formula.")
    try:
        parsed = evaluator.parse(formula)
    except (SyntaxError, simpleeval.InvalidExpression, ValueError, RecursionError, MemoryError) as error:
        raise unprocessable("formula-unreadable", f"{formula!r} cannot be read: {error}.") from error
    asked = _names(formula, parsed)
    if strange := sorted(asked - known):
        raise unprocessable(
            "formula-unknown", f"No kind has {strange[0]!r}; there are {', '.join(sorted(known)[:20])}."
        )
    found: list[float | None] = []
    for item in items:
        names = {plain(unit): value for unit, value in item.weights.items()} | {PIECES: item.count}
        if asked - names.keys():
            found.append(None)
            continue
        evaluator.names = names
        try:
            value = float(evaluator.eval(formula, previously_parsed=parsed))
        except (simpleeval.InvalidExpression, ArithmeticError, ValueError, TypeError, RecursionError) as error:
            raise unprocessable("formula-fails", f"{formula!r} of {item.kind!r}: {error}.") from error
        except KeyError as error:  # what stands in no table of operators
            raise unprocessable("formula-fails", f"{formula!r} holds a sign that is no arithmetic.") from error
        if not 0 <= value <= limits.COUNT:
            raise unprocessable(
                "formula-fails", f"{formula!r} of {item.kind!r} is {value:g}; an amount of 0 or more is wanted."
            )
        found.append(value)
    return found


def _operators() -> dict[type, Callable[..., object]]:
    """Arithmetic alone: no comparisons, no bits, no texts."""
    own = simpleeval.DEFAULT_OPERATORS
    kinds = (ast.Add, ast.Sub, ast.Mult, ast.Div, ast.FloorDiv, ast.Mod, ast.USub, ast.UAdd)
    # A power of floats overflows at once, where one of whole numbers is computed to its last digit.
    return {kind: own.get(kind, operator.pos) for kind in kinds} | {ast.Pow: lambda a, b: float(a) ** float(b)}


def _names(formula: str, parsed: object) -> set[str]:
    assert isinstance(parsed, ast.AST)
    called = {id(node.func) for node in ast.walk(parsed) if isinstance(node, ast.Call)}
    for node in ast.walk(parsed):
        if isinstance(node, ast.Constant) and not isinstance(node.value, (int, float)):
            raise unprocessable("formula-unreadable", f"{formula!r} holds what is no number: {node.value!r}.")
    return {node.id for node in ast.walk(parsed) if isinstance(node, ast.Name) and id(node) not in called}
