"""All lines of a book in short. What each scenario's are is kept until anything that they are made of changes, by whichever process."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from itertools import count
from typing import Any

from django.db.models import Aggregate, Count, Max

from vigilant import __version__
from vigilant.core import CORE_VERSION
from vigilant.server.books.models import Book
from vigilant.server.scenarios.models import Scenario
from vigilant.wording import FIGURE_TEXTS
from vigilant.wording import trend as wording

from .alarms import open_alarms, rechecks
from .build_runs import MADE_OF
from .lines import figure_line
from .measurements import RigLine, gathered, watched
from .models import BuildRuns, ShortLines
from .ordering import places_of
from .page import alarm_row, build_names, names_of, recheck_row

#: So many of a line's newest measurements are drawn in a list of lines.
SMALL = 200


class BitXor(Aggregate):
    """Of numbers drawn by chance: another where any of them is."""

    function = "BIT_XOR"


def lines_of(book: Book, scenario: int | None = None) -> dict[str, Any]:
    """Every line of a book (or of one ``scenario``) in short, its open alarms, and what is to be recorded again."""
    scenarios = Scenario.objects.filter(book=book, versions__isnull=False).distinct().order_by("name")
    if scenario is not None:
        scenarios = scenarios.filter(pk=scenario)
    places = places_of(book.pk)
    return {
        "builds": len(places),
        "lines": [
            {"scenario": {"id": of.pk, "name": of.name}, **row}
            for of, rows in _kept(list(scenarios), places)
            for row in rows
        ],
        "alarms": [alarm_row(a) for a in open_alarms(book)],
        "rechecks": [recheck_row(one) for one in rechecks(book)],
    }


def _kept(scenarios: Sequence[Scenario], places: Mapping[str, int]) -> list[tuple[Scenario, list[dict[str, Any]]]]:
    """Each scenario's lines: as they were told when they were made of the same, else anew."""
    made_of = _made_of(scenarios, places)
    known = ShortLines.objects.in_bulk([of.pk for of in scenarios])
    found, anew = [], []
    for of in scenarios:
        one = known.get(of.pk)
        if one is None or one.made_of != made_of[of.pk]:
            one = ShortLines(scenario=of, made_of=made_of[of.pk], lines=_lines(of))
            anew.append(one)
        found.append((of, one.lines))
    ShortLines.objects.bulk_create(anew, update_conflicts=True, update_fields=["made_of", "lines"])
    return found


def _made_of(scenarios: Sequence[Scenario], places: Mapping[str, int]) -> dict[int, str]:
    """A digest of all that a scenario's lines are made of: the marks of its runs, its newest version, the order of builds, and what makes
    lines of them. Read before they are: what changes meanwhile is another digest at the next look."""
    by = "scenario_version__scenario"
    of_runs = BuildRuns.objects.filter(**{f"{by}__in": scenarios}).order_by().values(by)
    marks = {row.pop(by): row for row in of_runs.annotate(rows=Count("pk"), mark=BitXor("changed"))}
    versions = dict(
        Scenario.objects.filter(pk__in=[of.pk for of in scenarios])
        .annotate(newest=Max("versions"))
        .values_list("pk", "newest")
    )
    always = __version__, CORE_VERSION, MADE_OF, SMALL, sorted(places.items(), key=lambda one: one[1])
    return {
        of.pk: hashlib.blake2b(repr((*always, versions[of.pk], marks.get(of.pk))).encode(), digest_size=16).hexdigest()
        for of in scenarios
    }


def _lines(scenario: Scenario) -> list[dict[str, Any]]:
    found = gathered(scenario)
    figures, _ = watched(found.version)
    return [row for line in found.lines if (row := _short(line, figures)) is not None]


def _short(line: RigLine, figures: Sequence[str]) -> dict[str, Any] | None:
    of = figure_line(line, figures[0], len(figures)) if figures else None
    if of is None:
        return None
    names = build_names(line)
    made = of.joined
    mean = float(made.line.noise.m[made.points.index(of.newest)])
    return {
        "rig": str(line.rig),
        "rig_id": line.rig.pk,
        "chain": line.chain,
        "figure": FIGURE_TEXTS[of.figure].label,
        "builds": len(names),
        "newest": names[of.newest.build],
        "level": wording.value_said(of.scaled, mean),
        "sentence": wording.line_sentence(of.figure, made.line, names_of(of, names), wording.sizer(of.scaled, mean)),
        "steps": len(made.line.steps),
        "small": [
            {"x": p.build, "value": of.scaled.back(float(m) + made.stretch_of(i).shift), "stretch": p.setup}
            for i, p, m in list(zip(count(), made.points, made.line.noise.m))[-SMALL:]
        ],
    }
