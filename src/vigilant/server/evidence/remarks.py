"""What leaves find that a reader of the entry should know: said under its sentence, each with its leaf."""

from __future__ import annotations

from typing import Any

from vigilant.core import CORE_VERSION
from vigilant.server.entries.models import Comparison
from vigilant.server.problems import Problem

from . import stills
from .leaves import keep, leaf_of
from .models import Found

#: So many comparisons are looked into after one sweep.
AT_A_TIME = 20
#: So many of one leaf are said.
MOST = 3


def find(comparison_id: int) -> None:
    """Look into every leaf of a comparison; one that cannot be made has no remarks."""
    comparison = Comparison.objects.select_related("scenario_version", "book").get(pk=comparison_id)
    found: list[dict[str, str]] = []
    stills.compare(comparison)
    found += [{"leaf": "stills", "said": f"{said[0].upper()}{said[1:]}."} for said in stills.remarks(comparison)[:MOST]]
    if comparison.verdict != Comparison.Verdict.VOID:
        for leaf, look in (("course", _of_course), ("stutters", _of_stutters), ("work", _of_work)):
            try:
                said = look(leaf_of(comparison, leaf, {}))
            except Problem:
                continue
            found += [{"leaf": leaf, "said": f"{text[0].upper()}{text[1:]}."} for text in said[:MOST]]
    keep(comparison, "remarks", "", {"remarks": found})


def unlooked() -> list[Comparison]:
    """Comparisons of this core that nobody looked into yet, a few at a time."""
    looked = Found.objects.filter(leaf="remarks", core_version=CORE_VERSION).values("comparison")
    found = Comparison.objects.filter(core_version=CORE_VERSION, entry__isnull=False).exclude(pk__in=looked)
    return list(found.select_related("book").order_by("pk")[:AT_A_TIME])


def _of_course(document: dict[str, Any]) -> list[str]:
    """Legs in which a figure that carries the verdict got worse."""
    found = []
    for leg in document["legs"]:
        worse = [f for f in leg["figures"].values() if f["primary"] and f["call"].startswith("worse")]
        if worse:
            found.append(f"worse in {leg['name']}: {'; '.join(_told(f['words']) for f in worse)}")
    return found


def _told(words: dict[str, Any]) -> str:
    label = words["label"]
    unit = "" if words["unit"] == "a minute" else f" {words['unit']}"
    return f"{label[0].lower()}{label[1:]} {words['before']} to {words['after']}{unit}".rstrip()


def _of_stutters(document: dict[str, Any]) -> list[str]:
    """Places whose stutter one arm has and the other has not."""
    return [place["said"] for place in document["places"] if place["differs"]]


def _of_work(document: dict[str, Any]) -> list[str]:
    """That another lane limits the frames now."""
    return [document["sentence"].rstrip(".")] if document["moved"] else []


def of(comparison: Comparison | None) -> list[dict[str, str]]:
    """The remarks on a comparison, as they were found; none while they are looked for."""
    if comparison is None:
        return []
    kept = Found.objects.filter(comparison=comparison, leaf="remarks", core_version=CORE_VERSION).first()
    return list(kept.document["remarks"]) if kept and kept.fingerprint == comparison.fingerprint else []
