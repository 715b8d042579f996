"""The ledger's lines: what each entry says in one row."""

from __future__ import annotations

from typing import Any

from django.db.models import Prefetch

from vigilant.core.stored import figure_result
from vigilant.core.verdict import CHANGED
from vigilant.server.books.models import Book, name_of
from vigilant.server.entries.models import Balance, Comparison, Decision, Entry, EntryReference
from vigilant.wording import STAMPS, amount
from vigilant.wording.change import number

from .shapes import StripSerializer

#: Of every amount in the ledger.
_DECIMALS = 2
_STRIP = tuple(StripSerializer().fields)
#: Verdicts that credit a line with nothing.
_NOTHING = (Comparison.Verdict.UNDECIDED, Comparison.Verdict.VOID)


#: What supersedes an entry, and its labels, as plain lists: most lines have neither, and a manager a line takes longer than asking.
_SUPERSEDING = Prefetch(
    "referred_by",
    EntryReference.objects.filter(relation=EntryReference.Relation.SUPERSEDES).select_related("entry"),
    to_attr="superseding",
)
_LABELS = Prefetch("labels", to_attr="labelled")


def entries_of(book: Book) -> Any:
    """Entries with all that a ledger line shows, without a query per row or the whole results."""
    return (
        Entry.objects.filter(book=book)
        .select_related("comparison", "balance__decision")
        .defer("comparison__result", "comparison__order")
        # Few versions, rigs and people stand behind many entries: each is made once.
        .prefetch_related(
            "comparison__scenario_version__scenario",
            "comparison__rig",
            "balance__decision__decided_by",
            _LABELS,
            _SUPERSEDING,
        )
    )


def whole_entries_of(book: Book) -> Any:
    """Entries as :func:`entry.entry_of` tells one: a few joins are quicker than a query for each of its neighbours."""
    return (
        Entry.objects.filter(book=book)
        .select_related(
            "comparison__scenario_version__scenario", "comparison__rig", "balance__decision__decided_by", "withdrawn_by"
        )
        .prefetch_related(Prefetch("decisions", Decision.objects.select_related("decided_by")), _LABELS, _SUPERSEDING)
    )


def runs_said(comparison: Comparison) -> str:
    """ "8+8": runs of both arms."""
    runs = comparison.ledger_line["runs"]
    return f"{runs['before']}+{runs['after']}"


def remark(entry: Any) -> str:
    """A few words behind the title of one of :func:`entries_of`: why it is void, or that a run did not complete."""
    comparison = entry.comparison
    if entry.withdrawn_at is not None:
        return "withdrawn"
    if over := [one.entry.number for one in entry.superseding]:
        return f"superseded by no. {max(over)}"
    if comparison is None:
        return "nothing recorded yet"
    kept = comparison.ledger_line
    if comparison.verdict == Comparison.Verdict.VOID:
        return {"cap-one-side": "one arm was capped", "caps-differ": "two different caps"}.get(kept["void"], "not comparable")  # fmt: skip
    if comparison.blank:
        return "blank test: a false alarm" if comparison.verdict in CHANGED else "blank test"
    return "a run did not complete" if kept["failed"] else "compared after the fact" if entry.after_the_fact else ""


def unaccounted_sentence(line: Balance) -> str:
    """The ledger's line for a gap."""
    if line.unaccounted_ms is None:
        return ""
    word = "spent" if line.unaccounted_ms > 0 else "saved"
    size = number(abs(line.unaccounted_ms), 2)
    return f'Unaccounted since no. {line.unaccounted_since}: {size} ms {word} between its level and this "before"'


def decision_of(decision: Decision) -> dict[str, Any]:
    return {
        "choice": decision.choice, "why": decision.why, "only_if": decision.only_if, "by": name_of(decision.decided_by),
        "decided_at": decision.decided_at, "expectation": decision.expectation,
    }  # fmt: skip


def _compared(entry: Entry, comparison: Comparison) -> dict[str, Any]:
    """What a line says of its comparison."""
    version, verdict = comparison.scenario_version, comparison.verdict
    kept = comparison.ledger_line["mean"]
    figure = figure_result("mean_ms", kept) if kept else None
    mean = amount(figure, _DECIMALS) if figure else None
    return {
        "scenario": version.scenario.name,
        "version": version.number,
        "rig": str(comparison.rig),
        "target_fps": version.target_fps,
        "runs": runs_said(comparison),
        "verdict": verdict,
        "stamp": STAMPS[verdict],
        "mean": {key: kept.get(key) for key in _STRIP} if kept else None,
        "saved": mean.difference if mean and mean.column == "saved" else "",
        "spent": mean.difference if mean and mean.column == "spent" else "",
        "interval": mean.interval if mean else "",
        "credited": not comparison.blank and verdict not in _NOTHING and entry.withdrawn_at is None,
        "blank": comparison.blank,
    }


#: What a line says where nothing was compared.
_NOT_COMPARED: dict[str, Any] = {
    "scenario": "", "version": None, "rig": "", "target_fps": None, "runs": "", "verdict": None, "stamp": "", "mean": None, "saved": "",
    "spent": "", "interval": "", "credited": False, "blank": False,
}  # fmt: skip


def line_of(entry: Any) -> dict[str, Any]:
    """The line of one of :func:`entries_of`."""
    balance = getattr(entry, "balance", None)
    return {
        "number": entry.number,
        "title": entry.title,
        "recorded_at": entry.recorded_at,
        "after_the_fact": entry.after_the_fact,
        **(_compared(entry, entry.comparison) if entry.comparison else _NOT_COMPARED),
        "remark": remark(entry),
        "decision": decision_of(balance.decision) if balance and balance.decision else None,
        "withdrawn": entry.withdrawn_at is not None,
        "standing_ms": number(balance.mean_ms, 2) if balance and balance.mean_ms is not None else "",
        "unaccounted": unaccounted_sentence(balance) if balance else "",
        "labels": [label.name for label in entry.labelled],
    }
