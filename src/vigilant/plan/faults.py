"""What does not fit, in words: every fault of a document with the place it stands at."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel, ValidationError

from vigilant.formats.errors import PlanError

#: So many faults are named at once.
MOST = 10
_MEANT = {
    "string_type": "must be a text",
    "float_type": "must be a number",
    "int_type": "must be a whole number",
    "bool_type": "must be true or false",
    "list_type": "must be a list",
    "dict_type": "must be a table",
    "model_type": "must be a table",
    "finite_number": "must be finite",
    "greater_than_equal": "must be from {ge} on",
    "greater_than": "must be above {gt}",
    "less_than_equal": "must be at most {le}",
    "less_than": "must be below {lt}",
    "literal_error": "must be {expected}",
}


def refused(error: ValidationError, model: type[BaseModel], where: str = "", whole: str = "") -> PlanError:
    """One sentence a fault with its place, in the order of the document. ``where`` names the document, ``whole`` one
    that has keys where a plan has tables."""
    found = [(".".join(map(str, f["loc"])), _fault(dict(f), model, whole)) for f in error.errors(include_url=False)]
    message = _said([sentence for _, sentence in found])
    return PlanError(f"{where}: {message}" if where else message, found[:MOST])


def _said(found: Sequence[str]) -> str:
    more = f"; and {len(found) - MOST} more" if len(found) > MOST else ""
    return "; ".join(found[:MOST]) + more


def _fault(found: dict[str, Any], model: type[BaseModel], whole: str) -> str:
    path = found["loc"]
    table, kind, given = _table(path[:-1], whole), found["type"], found["input"]
    if kind == "extra_forbidden":
        if len(path) == 1:
            return f"{whole} has no {_short(path[0])}" if whole else f"unknown table [{path[0]}]"
        known = ", ".join(sorted(_keys(model, path[:-1])))
        return f"unknown key {_short(path[-1])} in {table}; known: {known}"
    if kind == "missing":
        return (
            f"{table} needs {'a' if path[-1] == 'name' else 'its'} {path[-1]}"
            if len(path) > 1
            else f"[{path[0]}] is missing"
        )
    where = _table(path, whole) if len(path) == 1 or isinstance(path[-1], int) else f"{table} {str(path[-1])[:60]}"
    context = {k: v.replace("'", '"') if k == "expected" else v for k, v in (found.get("ctx") or {}).items()}
    if kind in ("string_too_long", "string_too_short", "too_long", "too_short"):
        unit = "characters" if kind.startswith("string") else "values"
        if kind.endswith("short"):
            return f"{where} is empty"
        return f"{where} has {len(given)} {unit}; {context['max_length']} are allowed"
    meant = _MEANT.get(kind)
    text = meant.format(**context) if meant else str(context.get("error") or found["msg"])
    return f"{where} {text}, got {_short(given)}"


def _short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 60 else f"{text[:57]}..."


def _table(path: Sequence[str | int], whole: str) -> str:
    """ "[scenario] legs 2" of ("scenario", "legs", 1); "arm 1" of ("arm", 0)."""
    words: list[str] = []
    for i, part in enumerate(path):
        if isinstance(part, int):
            words[-1] = f"{words[-1]} {part + 1}"
        else:
            words.append(f"[{part}]" if i == 0 and part != "arm" and not whole else str(part)[:60])
    return " ".join(words) or "the plan"


def _keys(model: type[BaseModel], path: Sequence[str | int]) -> list[str]:
    """The keys that are known at a place."""
    at: Any = model
    for part in path:
        if isinstance(part, str) and isinstance(at, type) and issubclass(at, BaseModel):
            at = _model_in(at.model_fields[part].annotation)
    return list(at.model_fields) if isinstance(at, type) and issubclass(at, BaseModel) else []


def _model_in(annotation: Any) -> Any:
    """The model that an annotation is of, through lists, options and annotations."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    found = (_model_in(inner) for inner in getattr(annotation, "__args__", ()))
    return next((inner for inner in found if inner is not None), None)
