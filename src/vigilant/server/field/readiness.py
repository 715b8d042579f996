"""Is a build ready to be sent out, by what the team's own devices sent of it?"""

from __future__ import annotations

from typing import Any

import orjson

from vigilant.formats.field_ready import Uploads, checked, ready
from vigilant.server.books.models import Book
from vigilant.server.runs.models import Run
from vigilant.server.scenarios.models import Scenario
from vigilant.wording.field_ready import CHECKS, CONSENT, SAID

from .keeping import body_of, snapshot_of
from .models import Session, Term

#: How a check stands.
STATES = ("ok", "missing", "wrong")
#: The newest sessions that are looked through.
LOOKED_THROUGH = 200
#: What the server sees to itself: an upload that shrinks, or differs under one number, is not kept; one that comes twice changes nothing.
SEEN_TO = ("rising", "again", "readable")


def page(book: Book, build: Term, scenario: Scenario | None) -> dict[str, Any]:
    kept = list(Session.objects.filter(book=book, own=True, build=build).order_by("-pk").values_list("sent", flat=True)[:LOOKED_THROUGH])  # fmt: skip
    uploads = Uploads([snapshot_of(sent) for sent in kept], [orjson.dumps(body_of(sent)) for sent in kept])
    checks = [one for one in checked(uploads, legs_of(scenario)) if one.name not in SEEN_TO]
    state = ready(checks)
    return {
        "build": build.name,
        "scenario": scenario.pk if scenario else None,
        "scenarios": list(Scenario.objects.filter(book=book).order_by("name").values("id", "name")),
        "sessions": len(kept),
        "state": state,
        "sentence": SAID[state],
        "consent": CONSENT,
        "checks": [
            {"name": one.name, "state": one.state, "asks": CHECKS[one.name][0], "seen": one.seen, "remedy": "" if one.state == "ok" else CHECKS[one.name][1]}
            for one in checks
        ],
    }  # fmt: skip


def legs_of(scenario: Scenario | None) -> list[str]:
    """Legs of its newest version that are play; where none are stated, those that its newest run was judged by."""
    version = scenario.versions.order_by("-number").first() if scenario else None
    if version is None:
        return []
    if stated := version.definition.get("legs"):
        return [leg["name"] for leg in stated if leg.get("play", True)]
    run = (
        Run.objects.filter(scenario_version__scenario=scenario, state=Run.State.COMPLETE)
        .order_by("-started_at")
        .first()
    )
    return sorted(set(run.figure_values.exclude(leg="").values_list("leg", flat=True))) if run else []
