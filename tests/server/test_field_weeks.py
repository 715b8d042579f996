"""For how many weeks in a row a class was over the goal: as a plain reading of every week says, however far back it is looked."""

from datetime import date, timedelta

import pytest

from vigilant.server.field import moves
from vigilant.server.field.models import Played, Term
from vigilant.server.field.reading import Asked, OfClass

pytestmark = pytest.mark.django_db
GOAL, NEWEST = 0.02, date(2026, 6, 1)
#: Of each class the weeks from the newest on: over the goal, under it, or (None) not played.
WEEKS = {
    "always": [True] * 20,
    "never": [False] * 20,
    "since a week": [True, False, True, True],
    "since two": [True, True, False, True],
    "since five": [True] * 5 + [False, True],
    "thirteen": [True] * 13 + [False],
    "with a gap": [None, True, None, True, False],
    "long gone": [None] * 15 + [True] * 3,
    "away at first": [None, None, None, True, True, False],
}
SAID = {
    "always": 13, "never": 0, "since a week": 1, "since two": 2, "since five": 5, "thirteen": 13, "with a gap": 2, "long gone": 0,
    "away at first": 2,
}  # fmt: skip


@pytest.fixture
def played(book):
    def term(kind, name):
        return Term.objects.create(book=book, kind=kind, name=name, digest=f"{kind} {name}")

    build, place, tier = term("build", "river 41"), term("place", "fireworks"), term("tier", "full lanterns")
    classes = {name: term("class", name) for name in WEEKS}
    rows = []
    for name, weeks in WEEKS.items():
        for i, over in enumerate(weeks):
            if over is None:
                continue
            for group in range(2):  # one of them under it, both together over it
                late = (70 if group else 0) if over else 10
                rows.append(
                    Played(
                        key=f"{name} {i} {group}", book=book, own=False, week=NEWEST - timedelta(weeks=i), build=build,
                        sorted_as=classes[name], tier=tier, place=place, group=group, frames=1000, late=late,
                    )
                )  # fmt: skip
    Played.objects.bulk_create(rows)
    return Asked(book, build), [OfClass(one) for one in classes.values()]


def test_weeks_in_a_row_are_counted_from_the_newest_back(played):
    asked, classes = played
    found = moves._late_weeks(asked, classes, GOAL)
    assert {one.sorted_as.name: found.get(one.sorted_as.pk, 0) for one in classes} == SAID


def test_only_the_classes_that_are_shown_are_looked_at(played):
    asked, classes = played
    some = [one for one in classes if one.sorted_as.name in ("always", "since two")]
    assert sorted(moves._late_weeks(asked, some, GOAL).values()) == [2, 13]


def test_nothing_was_played(book):
    build = Term.objects.create(book=book, kind="build", name="river 1", digest="river 1")
    assert moves._late_weeks(Asked(book, build), [], GOAL) == {}
