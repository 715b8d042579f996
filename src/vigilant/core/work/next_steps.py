"""What to try next: a decision table that is held against what is known of an arm.

A rule proposes a test, or whom to ask, where all it asks for holds. It says nothing of causes: the test does.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, get_args

Limit = Literal["", "processor", "graphics", "balanced", "paced", "no lane"]
Late = Literal["", "a part", "level", "few"]
LIMITS: tuple[str, ...] = get_args(Limit)
LATES: tuple[str, ...] = get_args(Late)


@dataclass(frozen=True)
class Facts:
    """Of one arm: what limits most frames (its role, or what else they are), which lane, and of what share; what late
    frames are (mostly a part more, by level, or few), which part or leg; the mean of each counter."""

    limit: Limit = ""
    lane: str = ""
    share: float = 0.0
    late: Late = ""
    part: str = ""
    leg: str = ""
    counters: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Rule:
    """What must hold ("" or None: anything), and what is proposed then: a test by its ``title`` and what is ``expected`` of
    it, or whom to ``ask``. In them {lane}, {part} and {leg} stand for what was found."""

    title: str
    expected: str = ""
    ask: str = ""
    limit: str = ""
    late: str = ""
    counter: str = ""
    over: bool = True
    value: float | None = None


@dataclass(frozen=True)
class Proposal:
    """A rule that holds, its words filled in, and on which of its conditions it rests."""

    rule: int
    title: str
    expected: str
    ask: str
    rests_on: tuple[Literal["limit", "late", "counter"], ...]


def proposals(facts: Facts, rules: Sequence[Rule]) -> list[Proposal]:
    """Every rule that holds, in the table's order. A rule without any condition proposes nothing."""
    found = []
    for number, rule in enumerate(rules):
        rests = _rests_on(facts, rule)
        if rests:
            title, expected, ask = (_filled(text, facts) for text in (rule.title, rule.expected, rule.ask))
            found.append(Proposal(number, title, expected, ask, rests))
    return found


def _rests_on(facts: Facts, rule: Rule) -> tuple[Literal["limit", "late", "counter"], ...]:
    """The conditions of a rule, if all hold; else none."""
    rests: list[Literal["limit", "late", "counter"]] = []
    if rule.limit:
        if rule.limit != facts.limit:
            return ()
        rests.append("limit")
    if rule.late:
        if rule.late != facts.late:
            return ()
        rests.append("late")
    if rule.counter:
        mean = facts.counters.get(rule.counter)
        if mean is None or rule.value is None or mean == rule.value or (mean > rule.value) != rule.over:
            return ()
        rests.append("counter")
    return tuple(rests)


def _filled(text: str, facts: Facts) -> str:
    for name, value in (("{lane}", facts.lane), ("{part}", facts.part), ("{leg}", facts.leg)):
        text = text.replace(name, value or "it")
    return text


#: The table a book begins with.
SHIPPED = (
    Rule("Draw at half the width and height", "If {lane} limits, a quarter of the picture makes frames clearly shorter; if not, something else does.", limit="graphics"),
    Rule("Which passes fill the picture?", ask="who draws: what covers the picture more than once in {lane}, and what is drawn that nobody sees?", limit="graphics"),
    Rule("Half of what {lane} works on", "If {lane} limits, half of its load makes frames clearly shorter, and a smaller picture does not.", limit="processor"),
    Rule("The dearest part of each lane, both at once", "Lanes balance: one alone brings next to nothing, two together may.", limit="balanced"),
    Rule("The same course without the cap", "What frames would take if nothing held them.", limit="paced"),
    Rule("Which lane is not reported?", ask="who wrote the program's frame: what runs between the lanes that report their time?", limit="no lane"),
    Rule("The course without {part}", "Late frames go with {part}: most of them are gone without it, or it was not the cause.", late="a part"),
    Rule("Whose is {part}?", ask="who wrote {part}: must it be done all at once, and in this frame?", late="a part"),
    Rule("{leg} at half the load", "Its frames are late by their level: half the load brings them under the budget.", late="level"),
)  # fmt: skip
