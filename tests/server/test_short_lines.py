"""All lines of a book in short: kept while nothing of them changes, and told anew as soon as something does."""

import pytest

from server.lines import builds, followed, line_plan, ordered, record
from vigilant.server.books.models import Book
from vigilant.server.runs.aside import set_aside
from vigilant.server.runs.models import Run
from vigilant.server.trend import short
from vigilant.server.trend.models import BuildPlace, ShortLines
from vigilant.server.trend.ordering import move

pytestmark = pytest.mark.django_db


@pytest.fixture
def line(editor, book):
    """A dozen builds of which all but two have a place."""
    followed(editor, book, [12.0] * 6 + [12.6] * 6)
    BuildPlace.objects.filter(book=book, name__in=("b11", "b12")).delete()
    return book


def told(book):
    return short.lines_of(book)["lines"]


def told_anew(book):
    ShortLines.objects.all().delete()
    return told(book)


@pytest.fixture
def gatherings(monkeypatch):
    """The scenarios whose lines were made anew."""
    made, gathered = [], short.gathered
    monkeypatch.setattr(short, "gathered", lambda of: made.append(of.name) or gathered(of))
    return made


def test_what_stands_is_not_made_anew(line, editor, gatherings):
    other = Book.objects.create(slug="other", name="Other")
    first = editor.get(f"/api/books/{line.slug}/trend/").json()["lines"]
    assert (len(first), first[0]["builds"], gatherings) == (1, 10, ["River course"])
    record(other, "b01", 12.0, seed=5)
    assert editor.get(f"/api/books/{line.slug}/trend/").json()["lines"] == first
    assert gatherings == ["River course"]


def _aside(book, editor):
    set_aside(book, [Run.objects.filter(build__label="b10").first().pk], True, "a fan stood still", None)


def _recorded(book, editor):
    record(book, "b10", 13.0, seed=77, day=20)


def _ordered(book, editor):
    ordered(editor, book, [*builds(10), "b11"])


def _moved(book, editor):
    move(book, "b10", "", None)


def _other_version(book, editor):
    record(book, "b10", 12.0, seed=78, day=21, plan=line_plan("b10", target_fps=30))


def _left_unordered(book, editor):
    BuildPlace.objects.filter(book=book, name="b10").delete()


@pytest.mark.parametrize("change", [_aside, _recorded, _ordered, _moved, _other_version, _left_unordered])
def test_what_changes_is_told_at_once(line, editor, change):
    before = told(line)
    change(line, editor)
    after = told(line)
    assert after != before
    assert after == told_anew(line)


def test_a_scenario_is_named_as_it_is_called_now(line):
    told(line)
    scenario = ShortLines.objects.get().scenario
    scenario.name = "River course, by night"
    scenario.save()
    assert told(line)[0]["scenario"]["name"] == "River course, by night"


def test_another_version_of_the_program_tells_it_anew(line, monkeypatch, gatherings):
    told(line)
    monkeypatch.setattr(short, "__version__", "another")
    told(line)
    assert gatherings == ["River course"] * 2


def test_what_changes_while_it_is_told_is_told_at_the_next_look(line, editor, monkeypatch):
    gathered = short.gathered

    def overtaken(of):
        found = gathered(of)
        _aside(line, editor)
        monkeypatch.setattr(short, "gathered", gathered)
        return found

    monkeypatch.setattr(short, "gathered", overtaken)
    before = told(line)
    after = told(line)
    assert after != before
    assert after == told_anew(line)
