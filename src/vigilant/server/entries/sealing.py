"""What of entries, decisions and corrections is sealed."""

from __future__ import annotations

from typing import Any

from vigilant.server.seals.services import Kind, digest, sealed_kind

from .models import Correction, Decision, Entry


def _entry(entry: Entry) -> dict[str, Any]:
    made = entry.comparison
    return {
        "number": entry.number,
        "title": entry.title,
        "why": entry.why,
        "expected": entry.expected,
        "locked_at": entry.locked_at,
        "after_the_fact": entry.after_the_fact,
        "recorded_at": entry.recorded_at,
        "withdrawn_at": entry.withdrawn_at,
        "withdrawn_why": entry.withdrawn_why,
        "withdrawn_by": entry.withdrawn_by.username if entry.withdrawn_by else None,
        "comparison": None
        if made is None
        else {
            "verdict": made.verdict,
            "blank": made.blank,
            "order": made.order,
            "core_version": made.core_version,
            "fingerprint": made.fingerprint,
            "result": digest(made.result),
        },
    }


def _decision(decision: Decision) -> dict[str, Any]:
    return {
        "entry": decision.entry.number,
        "choice": decision.choice,
        "expectation": decision.expectation,
        "why": decision.why,
        "only_if": decision.only_if,
        "by": decision.decided_by.username,
        "at": decision.decided_at,
    }


def _correction(correction: Correction) -> dict[str, Any]:
    return {
        "entry": correction.entry.number,
        "title": correction.title,
        "why": correction.why,
        "expected": correction.expected,
        "by": correction.corrected_by.username,
        "at": correction.corrected_at,
    }


sealed_kind(Kind(Entry, "book", lambda e: f"entry {e.number}", _entry, ("book", "comparison", "withdrawn_by")))
sealed_kind(
    Kind(Decision, "entry__book", lambda d: f"decision {d.pk} of entry {d.entry.number}", _decision,
         ("entry__book", "decided_by"))
)  # fmt: skip
sealed_kind(
    Kind(Correction, "entry__book", lambda c: f"correction {c.pk} of entry {c.entry.number}", _correction,
         ("entry__book", "corrected_by"))
)  # fmt: skip
