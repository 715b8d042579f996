"""The stills of the demo: put beside runs as a recorder would, by the same service."""

from __future__ import annotations

import base64
import hashlib
import io
from collections.abc import Mapping

import numpy as np
from PIL import Image

from vigilant.server.runs.models import Run, Still
from vigilant.server.runs.stills import put_still
from vigilant.subjects.pictures import LANTERNS, SWING, overdraw, river, swinging

#: So many runs of each arm take pictures.
STILL_RUNS = 3
LEGS = {"bridge.png": "under the bridge", "bank.png": "market bank", "overdraw.png": "market bank"}


def take_stills(run: Run, arm: str, gone: Mapping[str, int], rng: np.random.Generator) -> None:
    """The pictures of one run; in those of ``gone`` a lantern is not lit after, and one swings less far. A picture of
    cost where one is named."""
    for name in LANTERNS:
        _put(run, name, river(name, gone.get(name) if arm == "after" else None, rng), Still.Shows.VIEW)
    if "overdraw.png" in gone:
        _put(run, "overdraw.png", overdraw(arm), Still.Shows.COST)
    wind = rng.spawn(1)[0]  # leaves the grain of the other pictures as it is
    for picture in range(SWING if gone else 0):
        reach_px = 24.0 if arm == "after" else 36.0
        _put(
            run, f"swing {picture + 1}.png", swinging(picture, reach_px, wind), Still.Shows.VIEW, "lantern in the wind"
        )


def _put(run: Run, name: str, picture: Image.Image, shows: Still.Shows, sequence: str = "") -> None:
    out = io.BytesIO()
    picture.save(out, "PNG")
    body = out.getvalue()
    digest = base64.b64encode(hashlib.sha256(body).digest()).decode()
    of = {"leg": LEGS.get(name, "market bank"), "frame": None, "shows": shows, "sequence": sequence}
    put_still(run, name, body, f"sha-256=:{digest}:", of)
