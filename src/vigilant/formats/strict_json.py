"""The one reader of JSON that comes from outside: bodies, heads, records and stored documents.

RFC 8259 leaves open what happens to lone surrogates, numbers beyond a double, a key given twice
and nesting without end; all of these are refused here, so that whatever was read can be stored,
written out and read again.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import orjson

from . import limits


class JsonRefused(ValueError):
    """JSON that is malformed or goes beyond the limits; the message says what and where."""

    code = "json-refused"


def loads(data: bytes | str) -> Any:
    """The value of a JSON text. Whole numbers beyond 64 bits become floats. Raises :class:`JsonRefused`."""
    try:
        value = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise JsonRefused(str(error)) from None
    except UnicodeEncodeError:  # a str with lone surrogates of its own
        raise JsonRefused("it holds half of a surrogate pair") from None
    # A colon stands after every key: where there are no more of them than keys were read, none was given twice.
    if isinstance(value, (dict, list)) and _check(value) < _colons(data):
        json.loads(data, object_pairs_hook=_unique)
    return value


def _colons(data: bytes | str) -> int:
    return data.count(":") if isinstance(data, str) else data.count(b":")


def _check(value: dict[str, Any] | list[Any]) -> int:
    """Depth and keys, without recursion; how many keys there are. Raises :class:`JsonRefused`."""
    keys = 0
    level: Sequence[Any] = [value]
    depth = 0
    while level:
        depth += 1
        if depth > limits.JSON_DEPTH:
            raise JsonRefused(f"it is nested deeper than {limits.JSON_DEPTH} levels")
        below: list[Any] = []
        for container in level:
            if isinstance(container, dict):
                keys += len(container)
                for key in container:
                    if len(key) > limits.KEY:
                        raise JsonRefused(
                            f"the key {key[:40]!r}... has {len(key)} characters; {limits.KEY} are allowed"
                        )
                    if "\x00" in key:
                        raise JsonRefused(f"the key {key[:40]!r} holds a NUL")
                below += [v for v in container.values() if isinstance(v, (dict, list))]
            else:
                below += [v for v in container if isinstance(v, (dict, list))]
        level = below
    return keys


def _unique(pairs: list[tuple[str, Any]]) -> None:
    seen = set()
    for key, _ in pairs:
        if key in seen:
            raise JsonRefused(f"the key {key[:40]!r} is given twice")
        seen.add(key)
