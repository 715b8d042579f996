"""One class of devices: its course over places and tiers, how long its frames are, its models, and memory and load time beside."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

import numpy as np
from django.db.models import Sum

from vigilant.core.field import BUCKETS, Histogram, Share, percentile, quantile, share_of_groups, shown
from vigilant.core.field.shares import LEAST_GROUPS, LEAST_INSTALLATIONS
from vigilant.wording import field as words

from .folding import GROUPS, counts_of, installations_in
from .models import Played, Seen, Session, Term
from .reading import Asked, OfClass, classes, of_models, seen_terms, tier_name
from .receiving import body_of

PERCENTILES = (0.5, 0.95, 0.99)
#: The newest sessions that are looked into for what they say of themselves as a whole.
LOOKED_INTO = 2_000
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
        "figures": _figures(asked, of),
    }


def _percentiles(asked: Asked, one: OfClass) -> list[dict[str, Any]]:
    """Each with the value read off all frames, its bucket's half width, and between which edges it lies for all such sessions."""
    counts, longest, sums = np.zeros((GROUPS, BUCKETS), dtype=np.int64), 0.0, 0.0
    for row in asked.within(Played, sorted_as=one.sorted_as).only("group", "buckets", "max_ms", "sum_ms"):
        counts[row.group] += counts_of(row.buckets)
        longest, sums = max(longest, row.max_ms), sums + row.sum_ms
    used = counts[counts.sum(axis=1) > 0]
    whole = Histogram(counts.sum(axis=0), sums, longest)
    rows = []
    for p in PERCENTILES:
        if not asked.own and shown(one.sessions, one.installations, p):
            continue
        told = quantile(whole, p)
        low, high = percentile(used.tolist(), p) if len(used) >= 2 else (told.low, told.high)
        rows.append({"p": p, "said": words.read_off(p, told.value, told.low, told.high), "low": low, "high": min(high, longest), "between": words.edges(low, min(high, longest))})  # fmt: skip
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
        facts = terms[tier].facts
        rows.append({"settings": facts.get("settings", {}), "target_fps": 1000.0 / facts.get("budget_ms", 50.0 / 3.0), "tier": tier_name(terms[tier]), "place": terms[place].name, "late_minutes": float(ms.sum()) / 60_000.0, **told})  # fmt: skip
    return sorted(rows, key=lambda row: -row["late_minutes"])


def _models(asked: Asked, of: Term) -> tuple[list[dict[str, Any]], str]:
    """Models by their late minutes; those of few installations together, as models of the class."""
    sums = (
        of_models(asked, sorted_as=of)
        .values("model", "model__name")
        .annotate(n=Sum("frames"), c=Sum("late"), s=Sum("play_s"), m=Sum("sessions"))
    )
    bits: dict[int, list[bytes]] = defaultdict(list)
    for key, kept in of_models(asked, sorted_as=of).values_list("model", "installations"):
        bits[key].append(kept)
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
                "name": row["model__name"], "installations": known, "play_said": words.minutes(row["s"] / 60.0),
                "share_said": words.share(row["c"] / row["n"]), "late_frames": int(row["c"]),
            }
        )  # fmt: skip
    total = sum(row["n"] for row in sums)
    return rows, words.other_models(few[0], few[1] / total) if few[0] and total else ""


def _figures(asked: Asked, of: Term) -> list[dict[str, Any]]:
    """What sessions say of themselves as a whole, such as memory and load time: the middle and the highest tenth, over the newest ones."""
    found = Session.objects.filter(book=asked.book, own=asked.own, build=asked.build, sorted_as=of).order_by("-pk")[
        :LOOKED_INTO
    ]
    told: dict[str, list[float]] = defaultdict(list)
    for kept in found.values_list("sent", flat=True):
        for name, value in body_of(kept).get("figures", {}).items():
            told[name].append(value)
    rows = []
    for name, values in sorted(told.items()):
        if asked.own or len(values) >= LEAST_INSTALLATIONS:
            middle, high = np.quantile(values, [0.5, 0.9])
            rows.append({"name": name, "sessions": len(values), "median": float(middle), "highest_tenth": float(high)})
    return rows
