"""Stills of a run: kept as they came, none ever replaced."""

from __future__ import annotations

from typing import Any

from django.dispatch import Signal

from vigilant.formats import FormatError, limits
from vigilant.formats.pictures import looked_at
from vigilant.formats.run import fit_name
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable

from .batches import check_digest
from .models import Run, Still

#: Sent with ``run`` when a still was kept: what was said of the pictures no longer holds for all.
still_kept = Signal()


def put_still(run: Run, name: str, body: bytes, digest_header: str | None, of: dict[str, Any]) -> tuple[Still, bool]:
    """Keep a picture, committed before the answer; the same again is harmless, another under its name is refused.
    ``of`` says leg, frame and what it shows. Raises a problem."""
    if not fit_name(name):
        raise unprocessable("still-unfit", f"A still is called like a file in no folder, not {name[:60]!r}.")
    if len(body) > limits.STILL_BYTES:
        raise Problem(413, "still-too-large", f"The still has {len(body)} bytes; {limits.STILL_BYTES} are allowed.")
    digest = check_digest(digest_header, body)
    try:
        kind, width, height = looked_at(body, name)
    except FormatError as error:
        raise unprocessable(error.code, f"{name}: {error.message}.") from error
    still, made = _kept(
        run, name, {**of, "kind": kind, "width": width, "height": height, "digest": digest, "body": body}
    )
    if made:
        still_kept.send(sender=Still, run=run)
    return still, made


@in_transaction
def _kept(run: Run, name: str, values: dict[str, Any]) -> tuple[Still, bool]:
    Run.objects.select_for_update().only("pk").get(pk=run.pk)
    found = Still.objects.filter(run=run, name=name).defer("body").first()
    if found is not None:
        if found.digest != values["digest"]:
            raise conflict("still-differs", f"The run has another picture called {name}; pictures are not replaced.")
        return found, False
    if Still.objects.filter(run=run).count() >= limits.STILLS:
        raise unprocessable("stills-too-many", f"A run may have {limits.STILLS} stills.")
    return Still.objects.create(run=run, name=name, **values), True
