"""What next: the book's decision table held against what the leaves of an entry found."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any, cast

from vigilant.core.work.next_steps import SHIPPED, Facts, Late, Limit, Rule, proposals
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Comparison
from vigilant.server.evidence.leaves import leaf_of
from vigilant.server.problems import Problem
from vigilant.wording.change import number

from .models import DecisionTable

#: A part is what late frames have more of from this share on.
MOSTLY = 0.5
_LIMITS = {"balanced": "balanced", "paced": "paced", "none of the lanes explains it": "no lane"}


def rules_of(book: Book) -> tuple[list[Rule], bool]:
    """The book's table, and whether it is its own."""
    own = DecisionTable.objects.filter(book=book).first()
    return ([Rule(**rule) for rule in own.rules], True) if own else (list(SHIPPED), False)


def write_rules(book: Book, rules: Sequence[Mapping[str, Any]], user: Any) -> None:
    """The book's own table, as a whole."""
    kept = [asdict(Rule(**rule)) for rule in rules]
    DecisionTable.objects.update_or_create(book=book, defaults={"rules": kept, "changed_by": user})


def what_next(book: Book, comparison: Comparison, arm: str) -> dict[str, Any]:
    facts, evidence = _facts(comparison, arm)
    rules, own = rules_of(book)
    return {
        "arm": arm,
        "own": own,
        "rules": [asdict(rule) for rule in rules],
        "counters": sorted(facts.counters),
        "proposals": [
            {
                "title": one.title,
                "expected": one.expected,
                "ask": one.ask,
                "evidence": [_rests(name, rules[one.rule], facts, evidence) for name in one.rests_on],
            }
            for one in proposals(facts, rules)
        ],
    }


def _rests(name: str, rule: Rule, facts: Facts, evidence: Mapping[str, str]) -> dict[str, str]:
    if name == "counter":
        mean, side = facts.counters[rule.counter], "over" if rule.over else "under"
        return {
            "see": "counters",
            "said": f"{rule.counter} is {number(mean, 2)} in the mean frame, {side} {number(rule.value or 0.0, 2)}.",
        }
    return {"see": "late" if name == "late" else "", "said": evidence[name]}


def _facts(comparison: Comparison, arm: str) -> tuple[Facts, dict[str, str]]:
    """What the leaves found of an arm, and their sentences."""
    work = leaf_of(comparison, "work", {})
    shares = [(row[arm]["share"], row) for row in work["limits"] if row[arm]["share"] is not None]
    limit, lane, share = "", "", 0.0
    if shares:
        share, most = max(shares, key=lambda one: one[0])
        lane = most["name"] if most["lane"] else ""
        roles = {one["name"]: one["role"] for one in work["lanes"]}
        limit = roles.get(lane, "") if lane else _LIMITS.get(most["name"], "")
    late, part, leg, said = "", "", "", ""
    try:
        found = next(one for one in leaf_of(comparison, "late", {"of": "late"})["arms"] if one["arm"] == arm)
    except Problem:  # without a target there are no late frames
        found = None
    if found is not None:
        said = found["sentence"]
        parts = [row for row in found["rows"] if row["kind"] == "part" and row["depth"] == 0 and row["net"] >= MOSTLY]
        if found["refused"] == "by-level":
            late, leg = "level", found["legs"][0]["name"] if found["legs"] else ""
        elif parts:
            late, part = "a part", max(parts, key=lambda row: row["net"])["name"]
        elif found["refused"] == "too-few-late":
            late = "few"
    counters = {
        row["name"]: row["mean"]
        for row in leaf_of(comparison, "counters", {"arm": arm, "from": "0"})["rows"]
        if row["mean"] is not None
    }
    evidence = {"limit": f"{_named(limit, lane)} {number(100 * share, 0)} % of the frames {arm}.", "late": said}
    return Facts(cast(Limit, limit), lane, share, cast(Late, late), part, leg, counters), evidence


def _named(limit: str, lane: str) -> str:
    said = {"balanced": "Balanced are", "paced": "Paced, with time to spare, are", "no lane": "No lane explains"}
    return said.get(limit, f"{lane} limits")
