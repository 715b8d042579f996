"""One class of devices, or one model: its places and tiers, how long its frames are, its models, and memory and load time beside."""

from __future__ import annotations

import base64
from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from django.db.models import Sum

from vigilant.core.field import (
    BUCKETS,
    Histogram,
    Share,
    percentile,
    quantile,
    share_of_groups,
    share_of_sums,
    shown,
    unpacked,
)
from vigilant.core.field.shares import LEAST_GROUPS, LEAST_INSTALLATIONS
from vigilant.wording import field as words

from .folding import GROUPS, counts_of, installations_in
from .keeping import body_of
from .models import OfModel, Played, Seen, Session, Term
from .reading import Asked, OfClass, classes, names, of_models, seen_terms, tier_name

PERCENTILES = (0.5, 0.95, 0.99)
#: The newest sessions that are looked into for what they say of themselves as a whole.
LOOKED_INTO = 1_000
#: Models that are listed by name.
MODELS = 40


def page(asked: Asked, of: Term) -> dict[str, Any] | None:
    """None where nothing of the class may be shown."""
    one = next((found for found in classes(asked) if found.sorted_as.pk == of.pk), None)
    if one is None:
        return None
    why = one.hidden(asked.own)
    base = {"id": of.pk, "name": of.name, "build": asked.build.name, "sessions": one.sessions, "hidden": why}
    if why:
        return {**base, "percentiles": [], "cells": [], "models": [], "figures": [], "rest": ""}
    models, rest = _models(asked, of)
    return {
        **base,
        "percentiles": _percentiles(asked, one),
        "cells": _cells(asked, of),
        "models": models,
        "rest": rest,
        "figures": _figures([body_of(kept) for kept in _newest(asked, sorted_as=of)], asked.own),
    }


def model_page(asked: Asked, of: Term) -> dict[str, Any] | None:
    """The same of one model, from sums over its sessions and the newest of them. None where nothing of it was played."""
    rows = list(of_models(asked, model=of).select_related("sorted_as"))
    sessions = sum(row.sessions for row in rows)
    if not sessions:
        return None
    known = installations_in(row.installations for row in rows)
    why = "" if asked.own else shown(sessions, known)
    base = {
        "id": of.pk,
        "name": of.name,
        "build": asked.build.name,
        "sessions": sessions,
        "hidden": why,
        "models": [],
        "rest": "",
    }
    if why:
        return {**base, "percentiles": [], "cells": [], "figures": []}
    bodies = [body_of(kept) for kept in _newest(asked, model=of)]
    counts = np.array([sum((unpacked(base64.b64decode(cell["frames"])) for cell in body["cells"]), _NONE) for body in bodies if body["cells"]])  # fmt: skip
    longest = max((cell["max_ms"] for body in bodies for cell in body["cells"]), default=0.0)
    return {
        **base,
        "percentiles": _percentiles_of(counts, longest, sessions, known, asked.own),
        "cells": _model_cells(asked, of),
        "figures": _figures(bodies, asked.own),
    }


_NONE = np.zeros(BUCKETS, dtype=np.int64)


def _model_cells(asked: Asked, of: Term) -> list[dict[str, Any]]:
    terms = {term.pk: term for kind in ("tier", "place") for term in seen_terms(asked, kind)}
    sums: dict[tuple[int, int], Any] = defaultdict(lambda: np.zeros(6))
    bits: dict[tuple[int, int], list[bytes]] = defaultdict(list)
    for row in asked.within(OfModel, model=of).exclude(place=None):
        key = row.tier_id, row.place_id
        sums[key] += (row.late, row.frames, row.frames_squared, row.frames_late, row.late_squared, row.sessions)
        bits[key].append(row.installations)
    rows = []
    for (tier, place), own in sums.items():
        late, frames, squares, cross, lates, sessions = own.tolist()
        why = "" if asked.own else shown(int(sessions), installations_in(bits[tier, place]))
        found = share_of_sums(late, frames, squares, cross, lates, int(sessions)) if not why and sessions >= 2 and frames else None  # fmt: skip
        told = {
            "sessions": int(sessions), "why": why if why or found else "fewer than 2", "share": found.p if found else None,
            "low": found.low if found else None, "high": found.high if found else None,
            "share_said": words.share(found.p) if found else "", "interval_said": words.between(found.low, found.high) if found else "",
            "late_minutes": None,
        }  # fmt: skip
        rows.append({**_at(terms[tier], terms[place]), **told})
    return sorted(rows, key=lambda row: (-(row["share"] or 0.0), row["place"], row["tier"]))


def _at(tier: Term, place: Term) -> dict[str, Any]:
    facts = tier.facts
    return {
        "tier": tier_name(tier), "place": place.name, "settings": facts.get("settings", {}),
        "target_fps": 1000.0 / facts.get("budget_ms", 50.0 / 3.0),
    }  # fmt: skip


def _percentiles(asked: Asked, one: OfClass) -> list[dict[str, Any]]:
    """From the buckets of the groups of installations."""
    counts, longest = np.zeros((GROUPS, BUCKETS), dtype=np.int64), 0.0
    for row in asked.within(Played, sorted_as=one.sorted_as).only("group", "buckets", "max_ms"):
        counts[row.group] += counts_of(row.buckets)
        longest = max(longest, row.max_ms)
    return _percentiles_of(counts, longest, one.sessions, one.installations, asked.own)


def _percentiles_of(counts: Any, longest: float, sessions: int, installations: int, own: bool) -> list[dict[str, Any]]:
    """Each with the value read off all frames, its bucket's half width, and between which edges it lies for all such sessions."""
    used = counts[counts.sum(axis=1) > 0] if len(counts) else counts
    if not len(used):
        return []
    whole = Histogram(used.sum(axis=0), 0.0, longest)
    rows = []
    for p in PERCENTILES:
        if not own and shown(sessions, installations, p):
            continue
        told = quantile(whole, p)
        low, high = percentile(used.tolist(), p) if len(used) >= 2 else (told.low, told.high)
        said = words.read_off(p, told.value, told.low, told.high)
        high = min(high, longest)
        rows.append({"p": p, "said": said, "low": low, "high": high, "between": words.edges(low, high)})
    return rows


def _share_row(late: Any, frames: Any, sessions: int, own: bool, installations: int) -> dict[str, Any]:
    """A late share with its interval where it may be shown."""
    if not own and (why := shown(sessions, installations)):
        return {
            "sessions": sessions,
            "share_said": "",
            "interval_said": "",
            "why": why,
            "share": None,
            "low": None,
            "high": None,
        }
    used = frames > 0
    found: Share | None = share_of_groups(late, frames) if int(used.sum()) >= LEAST_GROUPS else None
    p = float(late.sum() / frames.sum())
    low, high = (found.low, found.high) if found else (None, None)
    return {
        "sessions": sessions, "share_said": words.share(p), "interval_said": words.between(low, high), "why": "", "share": p,
        "low": low, "high": high,
    }  # fmt: skip


def _cells(asked: Asked, of: Term) -> list[dict[str, Any]]:
    """Every place at every tier."""
    sums = asked.within(Played, sorted_as=of).values("tier", "place", "group").annotate(n=Sum("frames"), c=Sum("late"), ms=Sum("late_ms"))  # fmt: skip
    late: dict[tuple[int, int], Any] = defaultdict(lambda: np.zeros((3, GROUPS)))
    for row in sums:
        late[row["tier"], row["place"]][:, row["group"]] += (float(row["c"]), float(row["n"]), float(row["ms"]))
    seen: dict[tuple[int, int], list[Any]] = defaultdict(list)
    for row in asked.within(Seen, sorted_as=of).exclude(tier=None).exclude(place=None):
        seen[row.tier_id, row.place_id].append(row)
    terms = {term.pk: term for kind in ("tier", "place") for term in seen_terms(asked, kind)}
    rows = []
    for (tier, place), (c, n, ms) in late.items():
        if not n.sum():
            continue
        own = seen[tier, place]
        told = _share_row(c, n, sum(r.sessions for r in own), asked.own, installations_in(r.installations for r in own))
        rows.append({**_at(terms[tier], terms[place]), "late_minutes": float(ms.sum()) / 60_000.0, **told})
    return sorted(rows, key=lambda row: -row["late_minutes"])


def _models(asked: Asked, of: Term) -> tuple[list[dict[str, Any]], str]:
    """Models by their late minutes; those of few installations together, as models of the class."""
    sums = (
        of_models(asked, sorted_as=of)
        .values("model")
        .annotate(n=Sum("frames"), c=Sum("late"), s=Sum("play_s"), m=Sum("sessions"))
    )
    bits: dict[int, list[bytes]] = defaultdict(list)
    for key, kept in of_models(asked, sorted_as=of).values_list("model", "installations"):
        bits[key].append(kept)
    called = names(bits)
    rows, few = [], [0, 0]
    for row in sorted(sums, key=lambda row: -row["c"]):
        if not row["n"]:
            continue
        known = installations_in(bits[row["model"]])
        if (not asked.own and known < LEAST_INSTALLATIONS) or len(rows) >= MODELS:
            few[0], few[1] = few[0] + 1, few[1] + int(row["n"])
            continue
        rows.append(
            {
                "id": row["model"], "name": called[row["model"]], "installations": known, "play_said": words.minutes(row["s"] / 60.0),
                "share_said": words.share(row["c"] / row["n"]), "late_frames": int(row["c"]),
            }
        )  # fmt: skip
    total = sum(row["n"] for row in sums)
    return rows, words.other_models(few[0], few[1] / total) if few[0] and total else ""


def _newest(asked: Asked, **of: Term) -> list[bytes]:
    """The newest sessions of a class or a model, as they are kept."""
    found = Session.objects.filter(book=asked.book, own=asked.own, build=asked.build, **of).order_by("-pk")
    return list(found.values_list("sent", flat=True)[:LOOKED_INTO])


def _figures(bodies: Sequence[Mapping[str, Any]], own: bool) -> list[dict[str, Any]]:
    """What sessions say of themselves as a whole, such as memory and load time: the middle and the highest tenth, over the newest ones."""
    told: dict[str, list[float]] = defaultdict(list)
    for body in bodies:
        for name, value in body.get("figures", {}).items():
            told[name].append(value)
    rows = []
    for name, values in sorted(told.items()):
        if own or len(values) >= LEAST_INSTALLATIONS:
            middle, high = np.quantile(values, [0.5, 0.9])
            rows.append({"name": name, "sessions": len(values), "median": float(middle), "highest_tenth": float(high)})
    return rows
