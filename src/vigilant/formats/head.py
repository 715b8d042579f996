"""The head of ``vigilant-frames``: what its columns are, and what a run says of its conditions."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

from vigilant.core.series import LANE_ROLES

from . import limits, strict_json
from .errors import FormatError
from .limits import LINE_BYTES
from .run import UNIT_MS

VERSION = 1


def parse_head(line: bytes, source: str = "") -> dict[str, Any]:
    """Read and check the first line of a stream. Raises :class:`FormatError`."""
    if len(line) > LINE_BYTES:
        raise FormatError("line-too-long", f"the head is over {LINE_BYTES} bytes", source, 1)
    try:
        head = strict_json.loads(line)
    except strict_json.JsonRefused as error:
        raise FormatError("head-unreadable", f"the head is not JSON: {error}", source, 1) from None
    return check_head(head, source)


def check_head(head: Any, source: str = "") -> dict[str, Any]:
    """Check a head that was read, and fill in what it leaves out. Raises :class:`FormatError`."""

    def fail(code: str, message: str) -> FormatError:
        return FormatError(code, message, source, 1)

    if not isinstance(head, dict) or "vigilant_frames" not in head:
        raise fail("head-missing", 'the first line must be a head with "vigilant_frames"')
    if head["vigilant_frames"] != VERSION:
        raise fail(
            "version-unknown", f"version {short(head['vigilant_frames'])} is not known; this reads version {VERSION}"
        )
    columns = head.get("columns")
    if not isinstance(columns, list) or not columns or not all(isinstance(c, str) for c in columns):
        raise fail("columns-unreadable", f'"columns" must be a list of names, got {short(columns)}')
    counters = head.setdefault("counters", [])
    lanes = head.setdefault("lanes", {})
    if not isinstance(counters, list) or not all(isinstance(c, str) for c in counters):
        raise fail("columns-unreadable", f'"counters" must be a list of names, got {short(counters)}')
    for name in columns + counters:
        if why := unfit_name(name):
            raise fail("columns-unreadable", f"a column's name {why}")
    for kind, count, most in (("lanes", len(columns) - 1, limits.LANES), ("counters", len(counters), limits.COUNTERS)):
        if count > most:
            raise fail("columns-too-many", f"{count} {kind}; {most} are allowed")
    if len(set(columns + counters)) != len(columns) + len(counters):
        raise fail("columns-unreadable", "a column is named twice")
    if columns[0] not in ("frame", "at"):
        raise fail("column-unknown", f'the first column must be "frame" or "at", got {short(columns[0])}')
    if not isinstance(lanes, dict) or set(lanes) - set(columns[1:]):
        raise fail("column-unknown", f'"lanes" names columns that are not there: {short(lanes)}')
    for lane, role in lanes.items():
        if role not in LANE_ROLES:
            raise fail("role-unknown", f"lane {lane!r} has the role {short(role)}; known: {', '.join(LANE_ROLES)}")
    _check_waits(head.get("waits", {}), lanes, fail)
    unit = head.setdefault("unit", "ms")
    if not isinstance(unit, str) or unit not in UNIT_MS:
        raise fail("unit-unknown", f"unit {short(unit)} is not known; use {', '.join(UNIT_MS)}")
    if not isinstance(head.setdefault("conditions", {}), dict):
        raise fail("head-unreadable", f'"conditions" must be an object, got {short(head["conditions"])}')
    sheet = head_conditions(head)
    if len(sheet) > limits.SHEET_KEYS:
        raise fail("conditions-too-many", f"{len(sheet)} conditions; {limits.SHEET_KEYS} are allowed")
    for key, value in sheet.items():
        if len(value) > limits.VALUE:
            raise fail(
                "condition-too-long", f"condition {key!r} has {len(value)} characters; {limits.VALUE} are allowed"
            )
    return head


def _check_waits(waits: Any, lanes: Mapping[str, str], fail: Callable[[str, str], FormatError]) -> None:
    """A busy lane, what it waits for, and the lane of the role *blocked* that says how long."""
    if not isinstance(waits, dict) or not all(isinstance(others, dict) for others in waits.values()):
        raise fail("waits-unreadable", f'"waits" maps lanes to what they wait for, got {short(waits)}')
    for lane, others in waits.items():
        for other, column in others.items():
            if lane not in lanes or other not in lanes or lane == other:
                raise fail("waits-unreadable", f"{lane!r} waits for {short(other)}: both must be lanes, and two")
            if not isinstance(column, str) or lanes.get(column) != "blocked":
                said = f"{lane!r} waits for {other!r} in {short(column)}: that must be a lane of the role blocked"
                raise fail("waits-unreadable", said)


def unfit_name(name: str) -> str:
    """Why a text cannot name a column, a leg, a part or a figure; "" where it can."""
    if not name:
        return "is empty"
    if len(name) > limits.NAME:
        return f"has {len(name)} characters; {limits.NAME} are allowed"
    if any(c < " " or c == "\x7f" for c in name):
        return f"holds a control character: {short(name)}"
    return ""


def finite(value: Any) -> float | None:
    """The value as float64, or None where it is no finite number (a whole number may be too large for one)."""
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return None
    try:
        number = float(value)
    except OverflowError:
        return None
    return number if math.isfinite(number) else None


def short(value: Any) -> str:
    text = repr(value)
    return text if len(text) <= 40 else f"{text[:37]}..."


def head_conditions(head: Mapping[str, Any]) -> dict[str, str]:
    """What a checked head says of the run's conditions: its sheet, and what else must match between arms."""
    sheet = {str(k): str(v) for k, v in head["conditions"].items()}
    for key in ("frame_is", "clock", "scenario", "seed"):
        if key in head:
            sheet.setdefault(key, str(head[key]))
    return sheet
