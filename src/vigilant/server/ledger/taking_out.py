"""The lines of a view of the ledger, taken out: unrounded, in the order they were asked for."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from typing import Any

import orjson
from django.db.models import QuerySet

from vigilant.server.entries.models import Balance, Entry
from vigilant.server.spreadsheet import cell

from .lines import line_of

KINDS = {"csv": "text/csv", "json": "application/json"}
AT_A_TIME = 200
COLUMNS = (
    "number", "title", "labels", "scenario", "version", "rig", "target_fps", "recorded_at", "runs", "verdict", "remark", "credited",
    "mean_difference_ms", "ci_low_ms", "ci_high_ms", "decision", "decided_by", "decided_at", "why", "only_if", "stands_at_ms",
    "unaccounted_ms", "note",
)  # fmt: skip


def _row(entry: Entry, line: dict[str, Any]) -> dict[str, Any]:
    mean = line["mean"] or {}
    decision = line["decision"] or {}
    balance: Balance | None = getattr(entry, "balance", None)
    return {
        "number": entry.number,
        "title": entry.title,
        "labels": line["labels"],
        "scenario": line["scenario"],
        "version": line["version"],
        "rig": line["rig"],
        "target_fps": line["target_fps"],
        "recorded_at": entry.recorded_at.isoformat() if entry.recorded_at else None,
        "runs": line["runs"],
        "verdict": line["verdict"],
        "remark": line["remark"],
        "credited": line["credited"],
        "mean_difference_ms": mean.get("difference"),
        "ci_low_ms": mean.get("ci_low"),
        "ci_high_ms": mean.get("ci_high"),
        "decision": decision.get("choice"),
        "decided_by": decision.get("by"),
        "decided_at": decision["decided_at"].isoformat() if decision else None,
        "why": decision.get("why"),
        "only_if": decision.get("only_if"),
        "stands_at_ms": balance.mean_ms if balance else None,
        "unaccounted_ms": balance.unaccounted_ms if balance else None,
        "note": entry.note,
    }


def _rows(entries: QuerySet[Entry]) -> Iterator[dict[str, Any]]:
    for entry in entries.iterator(chunk_size=AT_A_TIME):
        yield _row(entry, line_of(entry))


def lines_of(entries: QuerySet[Entry], kind: str) -> Iterator[bytes]:
    """The text, some of it at a time."""
    if kind == "json":
        first = True
        yield b"["
        for row in _rows(entries):
            yield (b"\n" if first else b",\n") + orjson.dumps(row)
            first = False
        yield b"\n]\n"
        return
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\n")
    write.writerow(COLUMNS)
    for row in _rows(entries):
        write.writerow([cell(", ".join(v) if isinstance(v, list) else v) for v in (row[c] for c in COLUMNS)])
        yield out.getvalue().encode()
        out.seek(0)
        out.truncate()
    yield out.getvalue().encode()
