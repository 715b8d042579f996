"""Where the time goes: each lane of both arms, what limits their frames, and what is left under the budget."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from vigilant.core.work import LanesFound, Limit, lane_changes, lanes_found, limit_moved
from vigilant.server.entries.models import Comparison
from vigilant.wording import lanes as wording

from .rested import columns_of, rested

#: What limits fewer frames of both arms has no row.
LEAST_SHARE = 0.0005


def work_leaf(comparison: Comparison, asked: Mapping[str, str]) -> dict[str, Any]:
    stand = rested(comparison, [name for name in columns_of(comparison) if name.startswith("lane:")])
    budget_ms = stand.policy.budget_ms
    arms = [lanes_found(views, budget_ms) for views in (stand.before, stand.after)]
    changes = lane_changes(stand.before, stand.after, stand.design)
    before, after = arms
    if before is None or after is None:
        said = {"sentence": wording.NO_LANES, "overlap": "", "notes": [], "limits": [], "headroom": [], "moved": False}
    else:
        moved = limit_moved(before, after) if stand.judged else None
        said = {
            "sentence": wording.limit_sentence(before, after, moved),
            "overlap": wording.overlap_sentence(before),
            "notes": wording.lanes_notes(before, after),
            "limits": _limits(before, after),
            "headroom": [
                {"arm": arm, "said": wording.headroom_sentence(found), **asdict(found.headroom)}
                for arm, found in (("before", before), ("after", after))
            ],
            "moved": moved is not None,
        }
    total = [float(sum(v.x.mean() for v in views) / len(views)) for views in (stand.before, stand.after)]
    return {
        "judged": stand.judged,
        "lanes": [
            {**asdict(c), "role": stand.views[0].series.lane_roles[c.name],
             "said": wording.lane_sentence(c) if stand.judged else "", "words": wording.lane_words(c)}
            for c in changes
        ],
        "frame": {"before_ms": total[0], "after_ms": total[1]},
        "budget_ms": budget_ms,
        **said,
    }  # fmt: skip


def _limits(before: LanesFound, after: LanesFound) -> list[dict[str, Any]]:
    """Each lane or code that limits frames of either arm, with its share and interval in both."""
    names = {limit.code: limit.name for arm in (after, before) for limit in arm.limits if limit.share >= LEAST_SHARE}
    order = sorted(names, key=lambda code: (code < 0, abs(code)))
    return [
        {"name": names[code], "lane": code >= 0, "before": _share(before, code), "after": _share(after, code)}
        for code in order
    ]


def _share(found: LanesFound, code: int) -> dict[str, Any]:
    limit = next((one for one in found.limits if one.code == code), Limit(code, "", 0.0, None, None))
    return {"share": limit.share, "low": limit.low, "high": limit.high, "words": wording.share_words(limit)}
