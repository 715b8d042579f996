"""Find or make scenarios, versions, rigs, sheets and builds."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from vigilant.formats.errors import PlanError
from vigilant.formats.plan import parse_plan
from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.problems import unprocessable

from .models import Build, Conditions, Rig, Scenario, ScenarioVersion

DEFINED = {"target_fps", "duration_s", "warm_up_s", "cool_down_s", "seed", "legs", "settle", "kind", "load"}


def fingerprint(value: Any) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True, ensure_ascii=False).encode()).hexdigest()


def scenario_version(book: Book, name: str, definition: Mapping[str, Any]) -> ScenarioVersion:
    """The version with this definition; a definition not seen before is the next version."""
    scenario, _ = Scenario.objects.select_for_update().get_or_create(book=book, name=name)
    digest = fingerprint(definition)
    found = scenario.versions.filter(fingerprint=digest).first()
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


def check_definition(name: str, definition: Mapping[str, Any]) -> None:
    """Refuse what the recorder could not follow. Raises a problem."""
    strange = set(definition) - DEFINED - {"policy"}
    if strange:
        raise unprocessable("scenario-invalid", f"A scenario has no {sorted(strange)[0]!r}.")
    keys = {k: v for k, v in definition.items() if k != "policy" and v is not None}
    arms = [{"name": "before", "subject": "any"}, {"name": "after", "subject": "any"}]
    try:
        parse_plan({"scenario": {"name": name, **keys}, "policy": definition.get("policy", {}), "arm": arms}, Path())
    except PlanError as error:
        raise unprocessable("scenario-invalid", str(error).removeprefix("plan: ")) from error


@in_transaction
def write_scenario(book: Book, name: str, definition: Mapping[str, Any]) -> ScenarioVersion:
    """A new scenario or version. A version that nothing was recorded or planned with is changed in
    place; one that was used never changes. Raises a problem."""
    check_definition(name, definition)
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


def rig(book: Book, alias: str, facts: Mapping[str, str], speed: Mapping[str, Any] | None = None) -> Rig:
    digest = fingerprint([alias, dict(facts)])
    made, _ = Rig.objects.get_or_create(book=book, fingerprint=digest, defaults={"alias": alias, "facts": dict(facts)})
    if speed:
        made.speed = dict(speed)
        made.save(update_fields=["speed"])
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
