"""The balance: where each line (a scenario on a rig) stands after each of its entries, kept as rows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence

from django.db.models import Prefetch, Q

from vigilant.server.scenarios.models import Scenario

from .models import Balance, Comparison, Decision, Entry

#: A gap between one entry's after and the next one's before is written from this share of the level on.
UNACCOUNTED_SHARE = 0.005
LEVELS = ("mean_ms", "slowest_1pct_ms", "late_share", "stutters_per_min")
_KEPT = (
    "book_id",
    "scenario_id",
    "rig_id",
    "recorded_at",
    "shown",
    "decision_id",
    "stands_id",
    *LEVELS,
    "unaccounted_ms",
    "unaccounted_since",
)


def balance(entries: Sequence[Entry], before: Balance | None = None) -> list[Balance]:
    """Rows for the recorded entries of one line in the order they were recorded; ``before`` is the row of the entry before them.

    A decided entry moves the standing to its after level if kept, to its before level if
    dropped; a void or withdrawn entry and a blank test move nothing. The gap between the standing and an entry's before
    level is *unaccounted*.
    """
    rows = []
    stands: Entry | None = before.stands if before else None
    level: dict[str, float | None] = {name: getattr(before, name) if before else None for name in LEVELS}
    for entry in entries:
        comparison = entry.comparison
        gap = since = None
        decisions = list(entry.decisions.all())
        moves = comparison.verdict != Comparison.Verdict.VOID and not comparison.blank
        if moves and entry.withdrawn_at is None:
            old, before = level["mean_ms"], comparison.ledger_line["levels"]["before"]["mean_ms"]
            if stands is not None and old and abs(before - old) >= UNACCOUNTED_SHARE * old:
                gap, since = before - old, stands.number
            choice = decisions[0].choice if decisions else None
            if choice in (Decision.Choice.KEPT, Decision.Choice.DROPPED):
                side = "after" if choice == Decision.Choice.KEPT else "before"
                stands, level = entry, comparison.ledger_line["levels"][side]
        rows.append(
            Balance(
                entry=entry,
                book_id=entry.book_id,
                recorded_at=entry.recorded_at,
                shown=not comparison.blank and entry.withdrawn_at is None,
                decision=decisions[0] if decisions else None,
                scenario_id=comparison.scenario_version.scenario_id,
                rig_id=comparison.rig_id,
                stands=stands,
                **{name: level.get(name) for name in LEVELS},
                unaccounted_ms=gap,
                unaccounted_since=since,
            )
        )
    return rows


def rebalance(comparisons: Iterable[Comparison], whole: bool = False) -> None:
    """Write the rows of the lines that these comparisons are of, from the earliest of their entries on, or ``whole`` lines: so where an
    entry went. Within the transaction that changed them."""
    lines: dict[tuple[int, int], list[int]] = defaultdict(list)
    for comparison in comparisons:
        lines[comparison.scenario_version.scenario_id, comparison.rig_id].append(comparison.pk)
    for (scenario, rig), own in lines.items():
        # One writer a line at a time: two that decide at once each see what the other wrote.
        Scenario.objects.select_for_update().get(pk=scenario)
        there = Balance.objects.filter(scenario=scenario, rig=rig).order_by("recorded_at", "pk")
        of_line = Entry.objects.filter(comparison__scenario_version__scenario=scenario, comparison__rig=rig)
        before = None
        if not whole:
            first = Entry.objects.filter(comparison__in=own).order_by("recorded_at", "pk").first()
            if first is None:
                continue
            from_it = Q(recorded_at__gt=first.recorded_at) | Q(recorded_at=first.recorded_at, pk__gte=first.pk)
            before = there.exclude(from_it).select_related("stands").last()
            there = there.filter(from_it)
            of_line = Entry.objects.filter(Q(pk__in=list(there.values_list("pk", flat=True))) | Q(comparison__in=own))
        entries = (
            of_line.select_related("comparison__scenario_version")
            .defer("comparison__result", "comparison__order")
            .prefetch_related(Prefetch("decisions", Decision.objects.order_by("-id")))
            .order_by("recorded_at", "pk")
        )
        rows = balance(list(entries), before)
        kept = {row.pk: row for row in there}
        new = [row for row in rows if row.pk not in kept]
        moved = [row for row in rows if row.pk in kept and _values(row) != _values(kept[row.pk])]
        Balance.objects.filter(pk__in=set(kept) - {row.pk for row in rows}).delete()
        Balance.objects.bulk_create(new)
        Balance.objects.bulk_update(moved, [name.removesuffix("_id") for name in _KEPT], batch_size=200)


def _values(row: Balance) -> tuple[object, ...]:
    return tuple(getattr(row, name) for name in _KEPT)
