"""Reading plan files and the subjects of a machine: TOML within the limits."""

from __future__ import annotations

import json
import math
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field, TypeAdapter, ValidationError

from vigilant.formats import limits
from vigilant.formats.errors import PlanError

from .tables import Arguments


def check_values(raw: Any, where: str) -> None:
    """Every text, list, key and number of a document within the limits, whatever it stands for, so that
    it can be stored, started and read again. Raises :class:`PlanError`."""
    level: list[tuple[str, Any]] = [("", raw)]
    for _ in range(limits.JSON_DEPTH):
        below: list[tuple[str, Any]] = []
        for name, value in level:
            if isinstance(value, Mapping):
                below += [(f"{name}.{key}".lstrip("."), v) for key, v in value.items()]
                for key in value:
                    if not isinstance(key, str) or len(key) > limits.KEY or "\x00" in key:
                        raise PlanError(f"{where}: {str(key)[:40]!r} cannot be a key of {name or 'a plan'}")
            elif isinstance(value, (list, tuple)):
                if len(value) > limits.ARGUMENTS:
                    raise PlanError(f"{where}: {name} has {len(value)} values; {limits.ARGUMENTS} are allowed")
                below += [(name, v) for v in value]
            else:
                _check_value(name, value, where)
        if not below:
            break
        level = below
    else:
        raise PlanError(f"{where}: nested deeper than {limits.JSON_DEPTH} levels")
    if (size := len(json.dumps(raw))) > limits.PLAN_BYTES:
        raise PlanError(f"{where}: {size} bytes; {limits.PLAN_BYTES} are allowed")


def _check_value(name: str, value: Any, where: str) -> None:
    if isinstance(value, str):
        if len(value) > limits.ARGUMENT:
            raise PlanError(f"{where}: {name} has {len(value)} characters; {limits.ARGUMENT} are allowed")
        if "\x00" in value:
            raise PlanError(f"{where}: {name} holds a NUL, which no program can be given")
        try:
            value.encode()
        except UnicodeEncodeError:
            raise PlanError(f"{where}: {name} holds half of a surrogate pair") from None
    elif isinstance(value, int):
        if not -(2**63) <= value < 2**63:
            raise PlanError(f"{where}: {name} is beyond 64 bits")
    elif isinstance(value, float):
        if not math.isfinite(value):
            raise PlanError(f"{where}: {name} must be finite, got {value!r}")
    elif value is not None:
        raise PlanError(f"{where}: {name} is a {type(value).__name__}; texts, numbers and lists are known")


def read_toml(path: Path) -> dict[str, Any]:
    """Raises :class:`PlanError`."""
    try:
        with path.open("rb") as file:
            content = file.read(limits.PLAN_BYTES + 1)
        if len(content) > limits.PLAN_BYTES:
            raise PlanError(f"{path}: over {limits.PLAN_BYTES} bytes")
        return tomllib.loads(content.decode())
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise PlanError(f"{path}: not TOML: {error}") from error


_SUBJECTS: TypeAdapter[dict[str, list[str]]] = TypeAdapter(
    dict[Annotated[str, Field(max_length=limits.ALIAS)], Annotated[Arguments, Field(min_length=1)]]
)


def load_subjects(path: Path) -> dict[str, tuple[str, ...]]:
    """Read ``[subjects]``: a name and the command (a list) that starts it. Raises :class:`PlanError`."""
    raw = read_toml(path)
    check_values(raw, str(path))
    table = raw.get("subjects", {})
    if not isinstance(table, dict):
        raise PlanError(f"{path}: [subjects] must be a table, got {table!r}")
    if len(table) > limits.SUBJECTS or any(len(name) > limits.ALIAS for name in table):
        raise PlanError(f"{path}: at most {limits.SUBJECTS} subjects with names of at most {limits.ALIAS} characters")
    try:
        return {name: tuple(command) for name, command in _SUBJECTS.validate_python(table, strict=True).items()}
    except ValidationError as error:
        name = error.errors()[0]["loc"][0]
        raise PlanError(f"{path}: {name} must be a list of strings, got {table.get(str(name))!r}") from None
