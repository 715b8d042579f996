"""Find or make scenarios, versions, rigs, sheets and builds."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.utils import timezone

from vigilant.formats.errors import PlanError
from vigilant.plan import check_definition
from vigilant.plan.tables import ScenarioDefinition
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.problems import unprocessable

from .models import Build, Conditions, Rig, RigTiming, Scenario, ScenarioVersion

#: The keys of a plan's [scenario] that make a version.
DEFINED = set(ScenarioDefinition.model_fields)


def fingerprint(value: Any) -> str:
    return hashlib.sha256(json.dumps(_plain(value), sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def _plain(value: Any) -> Any:
    """With 120.0 as 120: a browser writes the one where TOML had the other, and both are the same length."""
    if isinstance(value, float) and value.is_integer():
        return int(value)
    if isinstance(value, Mapping):
        return {key: _plain(one) for key, one in value.items()}
    return [_plain(one) for one in value] if isinstance(value, (list, tuple)) else value


def scenario_version(book: Book, name: str, definition: Mapping[str, Any]) -> ScenarioVersion:
    """The version with this definition; a definition not seen before is the next version."""
    scenario, _ = Scenario.objects.select_for_update().get_or_create(book=book, name=name)
    digest = fingerprint(definition)
    found = scenario.versions.filter(fingerprint=digest).order_by("number").first()
    if found:
        return found
    newest = scenario.versions.order_by("-number").first()
    return ScenarioVersion.objects.create(
        scenario=scenario,
        number=1 if newest is None else newest.number + 1,
        target_fps=definition.get("target_fps"),
        definition=dict(definition),
        fingerprint=digest,
    )


@in_transaction
def write_scenario(book: Book, name: str, definition: Mapping[str, Any]) -> ScenarioVersion:
    """A new scenario or version. A version that nothing was recorded or planned with is changed in
    place; one that was used never changes. Raises a problem."""
    try:
        check_definition(name, definition)
    except PlanError as error:
        raise unprocessable("scenario-invalid", str(error).removeprefix("the scenario: "), places=error.told) from error
    kept = {k: v for k, v in definition.items() if v not in (None, [], "")}
    kept["policy"] = {k: v for k, v in definition.get("policy", {}).items() if v not in ([], {}, None)}
    scenario = Scenario.objects.filter(book=book, name=name).first()
    newest = scenario.versions.order_by("-number").first() if scenario else None
    if newest is not None and not newest.runs.exists() and not newest.recordings.exists():
        newest.definition, newest.fingerprint = kept, fingerprint(kept)
        newest.target_fps = kept.get("target_fps")
        newest.save(update_fields=["definition", "fingerprint", "target_fps"])
        return newest
    return scenario_version(book, name, kept)


def rig(
    book: Book,
    alias: str,
    facts: Mapping[str, str],
    speed: Mapping[str, Any] | None = None,
    timed_at: datetime | None = None,
) -> Rig:
    """The rig of this name and sheet; ``speed`` is its newest timing of the calibration load, taken at ``timed_at`` (now, unless said)."""
    digest = fingerprint([alias, dict(facts)])
    made, _ = Rig.objects.get_or_create(book=book, fingerprint=digest, defaults={"alias": alias, "facts": dict(facts)})
    if speed:
        made.speed = dict(speed)
        made.save(update_fields=["speed"])
        RigTiming.objects.create(
            rig=made, at=timed_at or timezone.now(), load=speed["load"], ms=speed["ms"], log_error=speed["log_error"]
        )
    return made


def conditions(book: Book, facts: Mapping[str, str]) -> Conditions:
    made, _ = Conditions.objects.get_or_create(
        book=book, fingerprint=fingerprint(dict(facts)), defaults={"facts": dict(facts)}
    )
    return made


def build(book: Book, label: str, revision: Mapping[str, str]) -> Build:
    """The build of an arm: its name, and the revision of its sources with whether they were clean."""
    made, _ = Build.objects.get_or_create(
        book=book,
        label=label[:160],
        revision=revision.get("revision", "")[:80],
        kind=revision.get("sources", "")[:40],
    )
    return made
