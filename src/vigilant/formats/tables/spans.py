"""Spans in OTLP's JSON form (opentelemetry-proto trace.proto): one document, or a document a line; a row a span."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import islice
from pathlib import Path
from typing import Any

from ..errors import FormatError
from ..file_reading import ColumnReading, FileReading
from ..reading import Holds, Kind
from .json_rows import ARRAY_BYTES, JsonTable

#: Begins the list of spans, near the start of the file.
MARK = b'"resourceSpans"'
#: Attributes that name the lane, the first that is there.
_LANES = ("thread.name", "thread.id")
_WHY = "OTLP says so"
_OWN = {
    "name": ColumnReading(Kind.PART, why=_WHY),
    "startTimeUnixNano": ColumnReading(Kind.STAMPS, "ns", why=_WHY),
    "endTimeUnixNano": ColumnReading(Kind.END, "ns", why=_WHY),
    "spanId": ColumnReading(Kind.ID, why=_WHY),
    "parentSpanId": ColumnReading(Kind.INSIDE, why=_WHY),
}
#: Spans whose attributes are looked at for columns.
_LOOKED_AT = 1000


class SpanTable(JsonTable):
    """Columns are the span's own and its attributes, by their keys; what a span lacks is empty."""

    line_bytes = ARRAY_BYTES

    def __init__(self, path: Path) -> None:
        super().__init__(path, parse=False)
        attributes: dict[str, None] = {}
        for _, row in islice(self._rows(), _LOOKED_AT):
            attributes.update(dict.fromkeys(k for k in row if k not in _OWN))
        self.names, self.named = [*_OWN, *attributes], True
        lane = next((k for k in _LANES if k in attributes), None)
        columns = {n: _OWN.get(n, ColumnReading(Kind.LEFT_OUT, why="an attribute")) for n in self.names}
        if lane is not None:
            columns[lane] = ColumnReading(Kind.LANE_NAME, why=_WHY)
        self.own = FileReading(columns, holds=Holds.WORK)
        self.made = ["OTLP spans"]

    def _within(self, whole: Any) -> list[Any]:
        return [whole]

    def _rows(self) -> Iterator[tuple[int, Any]]:
        found = False
        for line, document in super()._rows():
            for row in _flat(document, self.source, line):
                found = True
                yield line, row
        if not found:
            raise FormatError("empty", "the file holds no span", self.source)

    def _like_the_first(self, row: Any, number: int, wanted: Any) -> None:
        """A span need not have what another has."""

    def _at(self, row: Any, name: str) -> Any:
        return row.get(name)


def _flat(document: Any, source: str, line: int) -> Iterator[dict[str, Any]]:
    def wrong(what: str) -> FormatError:
        return FormatError("spans-unreadable", f"{what} is not as OTLP has it", source, line)

    def several(value: Any, key: str) -> list[Any]:
        found = value.get(key, []) if isinstance(value, Mapping) else None
        if not isinstance(found, list):
            raise wrong(key)
        return found

    for resource in several(document, "resourceSpans"):
        for scope in several(resource, "scopeSpans"):
            for span in several(scope, "spans"):
                if not isinstance(span, Mapping):
                    raise wrong("a span")
                row: dict[str, Any] = {name: span.get(name) for name in _OWN}
                for key in ("startTimeUnixNano", "endTimeUnixNano"):  # 64-bit numbers stand as text in JSON
                    try:
                        row[key] = int(row[key])
                    except (TypeError, ValueError):
                        raise wrong(key) from None
                for attribute in several(span, "attributes"):
                    if isinstance(attribute, Mapping) and isinstance(attribute.get("key"), str):
                        row.setdefault(attribute["key"], _value(attribute.get("value")))
                yield row


def _value(value: Any) -> Any:
    if not isinstance(value, Mapping) or not value:
        return None
    kind, held = next(iter(value.items()))
    if kind == "intValue" and isinstance(held, str) and held.lstrip("-").isdigit():
        return int(held)
    return held if isinstance(held, (str, int, float)) else None
