"""Ideas are written down with the most they could bring, ranked, and ended with what became of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.shortcuts import get_object_or_404

from vigilant.core import CORE_VERSION
from vigilant.core.work import Gain
from vigilant.formats import limits
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.entries.models import Entry
from vigilant.server.evidence.free_leaf import Cheaper, together
from vigilant.server.goals import services as goals
from vigilant.server.goals.models import Goal
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.scenarios.models import Scenario
from vigilant.wording import free as wording

from .models import Idea

#: Figures a part's gain is computed in, and the goals' figures that are ranked by them.
BY = {
    "mean_ms": "mean_ms",
    "rate_fps": "mean_ms",
    "p99_ms": "p99_ms",
    "slowest_1pct_ms": "p99_ms",
    "late_share": "late",
}


def goals_figure(scenario: Scenario) -> str:
    """The gain that ideas are ranked by: in the figure of the scenario's oldest goal that has one, else of the mean."""
    for goal in goals.goals_of(scenario):
        if goal.figure in BY and goal.closing is None:
            return BY[goal.figure]
    return "mean_ms"


def gain_of(idea: Idea, by: str) -> Gain | None:
    found = (idea.most or {}).get(by)
    return Gain(found["value"], found["half"]) if found else None


def ranked(ideas: Sequence[Idea], by: str) -> list[tuple[int | None, Idea]]:
    """Open ideas first, those with the largest gain first, ties alike; without a bound they have no rank."""
    open_ = [idea for idea in ideas if idea.state == Idea.State.OPEN]
    known = sorted((i for i in open_ if gain_of(i, by)), key=lambda i: -(gain_of(i, by) or Gain(0.0, None)).value)
    ranks = wording.ranks([gain_of(i, by) for i in known])
    rest = [i for i in open_ if gain_of(i, by) is None]
    ended = [i for i in ideas if i.state != Idea.State.OPEN]
    return [*zip(ranks, known, strict=True), *((None, i) for i in [*rest, *ended])]


def write(book: Book, data: Mapping[str, Any], user: Any) -> Idea:
    """A new idea; the most it could bring is computed from the runs of its entry. Raises a problem."""
    if Idea.objects.filter(book=book).count() >= limits.IDEAS:
        raise conflict("ideas-too-many", f"The book holds {limits.IDEAS:,} ideas; drop or try some first.")
    entry = None
    most: dict[str, Any] | None = None
    if data["entry"] is not None:
        entry = get_object_or_404(Entry.objects.select_related("comparison__scenario_version__scenario"), book=book, number=data["entry"])  # fmt: skip
        if entry.comparison is None:
            raise conflict("nothing-recorded", f"Entry {entry.number} has no runs yet.")
        scenario = entry.comparison.scenario_version.scenario
        if data["parts"]:
            cheaper = [Cheaper((p["lane"], tuple(p["path"])), p["left"]) for p in data["parts"]]
            most = together(entry.comparison, data["arm"], cheaper)
            if most["refused"]:
                raise unprocessable("no-bound", most["sentence"])
    elif data["scenario"] is not None:
        scenario = get_object_or_404(Scenario, book=book, pk=data["scenario"])
    else:
        raise unprocessable("scenario-missing", "An idea is of a scenario: name it, or an entry of it.")
    if data["parts"] and entry is None:
        raise unprocessable("entry-missing", "What parts could give is told by the runs of an entry; name it.")
    return Idea.objects.create(
        book=book, scenario=scenario, entry=entry, title=data["title"], arm=data["arm"] if data["parts"] else "",
        parts=[dict(p) for p in data["parts"]], most=most, core_version=CORE_VERSION if most else "",
        effort=data["effort"], risk=data["risk"], why=data["why"], made_by=user,
    )  # fmt: skip


@in_transaction
def change(book: Book, key: int, data: Mapping[str, Any], user: Any) -> Idea:
    """Other words, or an end: what is tried or dropped says what became of it. Raises a problem."""
    idea = get_object_or_404(Idea.objects.select_for_update(), book=book, pk=key)
    state = data.get("state", idea.state)
    became = data.get("became", idea.became)
    if state != Idea.State.OPEN and not became.strip():
        raise unprocessable("reason-missing", "What became of it? Say so in a few words.")
    for name, value in data.items():
        setattr(idea, name, value)
    idea.changed_by = user
    idea.save()
    return idea


def what_is_left(scenario: Scenario) -> list[dict[str, Any]]:
    """The open ideas of a scenario by rank, as they are said when a goal is closed."""
    by = goals_figure(scenario)
    ideas = list(Idea.objects.filter(scenario=scenario, state=Idea.State.OPEN))
    return [{"title": idea.title, "most": wording.most(idea.most, by)} for _, idea in ranked(ideas, by)]


def close_goal(goal: Goal, why: str, user: Any) -> None:
    """Good enough for now: the goal is closed with what is left to try."""
    goals.close_goal(goal, why, what_is_left(goal.scenario), user)
