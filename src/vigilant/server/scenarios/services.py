"""Find or make scenarios, versions, rigs, sheets and builds."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from vigilant.server.books.models import Book

from .models import Build, Conditions, Rig, Scenario, ScenarioVersion


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


def rig(book: Book, alias: str, facts: Mapping[str, str]) -> Rig:
    digest = fingerprint([alias, dict(facts)])
    made, _ = Rig.objects.get_or_create(book=book, fingerprint=digest, defaults={"alias": alias, "facts": dict(facts)})
    return made


def conditions(book: Book, facts: Mapping[str, str]) -> Conditions:
    made, _ = Conditions.objects.get_or_create(
        book=book, fingerprint=fingerprint(dict(facts)), defaults={"facts": dict(facts)}
    )
    return made


def build(book: Book, label: str) -> Build:
    made, _ = Build.objects.get_or_create(book=book, label=label[:160], revision="")
    return made
