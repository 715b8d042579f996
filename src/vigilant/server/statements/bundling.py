"""The evidence of an entry as one signed file."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, BinaryIO

import orjson
from django.utils import timezone
from rest_framework.renderers import JSONRenderer

from vigilant import __version__
from vigilant.core import FrameSeries
from vigilant.formats import limits
from vigilant.formats.bundle import RunOut, write_bundle
from vigilant.server.entries import basis
from vigilant.server.entries.models import Entry
from vigilant.server.problems import conflict, unprocessable
from vigilant.server.runs.models import Run
from vigilant.server.seals.models import Chain, Link
from vigilant.server.signing import signing_key

from .content import Asked, statement_of


def bundle_of(entry: Entry) -> BinaryIO:
    """The bundle, open at its start; its file is gone already. Raises a problem where there is none to make."""
    if entry.comparison is None:
        raise conflict("nothing-recorded", f"Nothing was recorded for entry {entry.number}: there is no evidence yet.")
    stored, after = basis.of_comparison(entry.comparison)
    frames = sum(run.frames for runs in stored.arms.values() for run in runs)
    if frames > limits.BUNDLE_FRAMES:
        raise unprocessable(
            "bundle-too-large", f"The runs hold {frames:,} frames; a bundle holds {limits.BUNDLE_FRAMES:,} at most."
        )
    runs = {arm: list(_runs(stored.core.arms[arm], listed)) for arm, listed in stored.arms.items()}
    chain = Chain.objects.filter(book=entry.book).first()
    about = {
        "made_at": timezone.now().isoformat(),
        "tool": __version__,
        "book": {"slug": entry.book.slug, "name": entry.book.name},
        "entry": entry.number,
        "title": entry.title,
        "seal": {"length": chain.length, "head": chain.head} if chain else None,
    }
    with tempfile.TemporaryDirectory(prefix="vigilant-bundle-") as folder:
        path = Path(folder) / "bundle"
        write_bundle(
            path, stored.core, runs, after, entry.comparison.result, entry.comparison.core_version, _said(entry), about,
            signing_key(),
        )  # fmt: skip
        return path.open("rb")  # open, it outlives its name


def _runs(series: Sequence[FrameSeries], runs: Sequence[Run]) -> Iterator[RunOut]:
    for one, run in zip(series, runs, strict=True):
        sheet = {
            "run": str(run.pk),
            "rig": {"alias": run.rig.alias, "facts": run.rig.facts},
            "build": {"label": run.build.label, "revision": run.build.revision, "kind": run.build.kind},
            "conditions": run.conditions.facts,
            "outcome": run.outcome,
            "scenario": str(run.scenario_version),
        }
        yield RunOut(one, sheet, run.started_at.isoformat() if run.started_at else None)


def _said(entry: Entry) -> dict[str, Any]:
    """The statement of the entry, and the links of the chain that seal it and its decisions."""
    document = statement_of(entry.book, Asked(entries=str(entry.number)))
    subjects = [f"entry {entry.number}", *(f"decision {d.pk} of entry {entry.number}" for d in entry.decisions.all())]
    links = Link.objects.filter(book=entry.book, subject__in=subjects)
    said = {
        "statement": document,
        "seal": list(links.values("number", "what", "subject", "content", "at", "before", "hash")),
    }
    plain: dict[str, Any] = orjson.loads(orjson.dumps(said, default=JSONRenderer.encoder_class().default))
    return plain
