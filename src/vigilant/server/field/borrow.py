"""Which devices to borrow: models that hold most of what is late beyond the goal."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from django.db.models import Sum

from vigilant.core.field import session_variance, share_of_sums, shortlist, shrunk
from vigilant.core.field.borrow import FEW, TELLING_SESSIONS
from vigilant.core.field.shares import LEAST_INSTALLATIONS
from vigilant.wording import field as words

from .folding import installations_in
from .reading import Asked, goal_of, names, of_models

#: Sums over the sessions of a model.
SUMS = ("sessions", "frames", "late", "free_frames", "frames_squared", "frames_late", "late_squared", "play_s", "free_ms")  # fmt: skip
#: Models that are listed.
LISTED = 20


def models(asked: Asked, *by: str) -> list[dict[str, Any]]:
    """Sums of every model that was played, by its class too; ``by`` splits them further."""
    rows = of_models(asked).values("model", "sorted_as", *by).annotate(**{f"of_{name}": Sum(name) for name in SUMS})
    return [row for row in rows if row["of_frames"] > 0 and row["of_sessions"] > 0]


def share_of(row: dict[str, Any]) -> Any:
    return share_of_sums(*(float(row[f"of_{name}"]) for name in ("late", "frames", "frames_squared", "frames_late", "late_squared")), int(row["of_sessions"]))  # fmt: skip


def shrunk_models(rows: list[dict[str, Any]]) -> Any:
    """Their late shares shrunk towards all of them."""
    told = [
        (share_of(row), float(row["of_late"]), float(row["of_frames"]), float(row["of_frames_squared"]))
        for row in rows
        if row["of_sessions"] >= TELLING_SESSIONS
    ]
    late, frames, squares = ([float(row[f"of_{name}"]) for row in rows] for name in ("late", "frames", "frames_squared"))  # fmt: skip
    return shrunk(late, frames, squares, session_variance(told))


def page(asked: Asked) -> dict[str, Any]:
    goal = goal_of(asked.book)
    rows = models(asked)
    base = {"build": asked.build.name, "goal": goal, "models": len(rows)}
    if not rows:
        return {**base, "rows": [], "sentence": ""}
    bits: dict[int, list[bytes]] = defaultdict(list)
    for key, kept in of_models(asked).values_list("model", "installations"):
        bits[key].append(kept)
    listed = shortlist(shrunk_models(rows), [float(row["of_frames"]) for row in rows], goal)
    listed = listed[:LISTED]
    called = names(rows[one.model][kind] for one in listed for kind in ("model", "sorted_as"))
    found = []
    for one in listed:
        row = rows[one.model]
        if one.score <= 0:
            break
        known = installations_in(bits[row["model"]])
        named = asked.own or known >= LEAST_INSTALLATIONS
        found.append(
            {
                "id": row["model"] if named else None,
                "name": called[row["model"]] if named else f"a model of class {called[row['sorted_as']]}",
                "class_name": called[row["sorted_as"]], "sessions": int(row["of_sessions"]), "few": row["of_sessions"] < FEW,
                "play": one.play, "play_said": words.share(one.play), "share": one.p, "low": one.low, "high": one.high,
                "share_said": words.share(one.p), "interval_said": words.between(one.low, one.high), "score": one.score,
                "adds_said": words.share(one.score / listed[0].score * listed[0].cumulated) if listed[0].score else "",
                "cumulated": one.cumulated, "cumulated_said": words.share(one.cumulated),
            }
        )  # fmt: skip
    return {**base, "rows": found, "sentence": words.borrow([row["cumulated"] for row in found], goal)}
