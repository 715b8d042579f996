"""The charts of a statement: black ink and one grey on paper, as SVG whose letters are outlines.

What they are made of stands in the document beside them; each returns "" where there is nothing to draw.
"""

from __future__ import annotations

import io
import re
import threading
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from matplotlib import rc_context
from matplotlib.axes import Axes
from matplotlib.backends.backend_svg import FigureCanvasSVG
from matplotlib.figure import Figure

from vigilant.core.evidence import share_axis
from vigilant.wording.goals import axis

GREY, FAINT = "0.45", "0.8"
_STYLE = {
    "font.family": "DejaVu Serif",
    "font.size": 6.5,
    "axes.linewidth": 0.5,
    "axes.spines.top": False,
    "axes.spines.right": False,
    "xtick.major.width": 0.5,
    "ytick.major.width": 0.5,
    "hatch.linewidth": 0.4,
    "hatch.color": GREY,
    "svg.fonttype": "path",
    # What is the same is drawn byte for byte the same.
    "svg.hashsalt": "statement",
}
_SIZE = (3.35, 1.62)  # inches: half of a page's text
_TICKS = (10, 25, 50, 90, 95, 99, 99.9)
#: Settings of the library are of the whole process.
_lock = threading.Lock()
_IDS = re.compile(r'(\bid="|url\(#|href="#)')


def _svg(figure: Figure, name: str) -> str:
    """The figure as an element for a page; its names are its own, since a page holds several."""
    out = io.StringIO()
    bare = dict.fromkeys(("Creator", "Date", "Format", "Type"))
    FigureCanvasSVG(figure).print_svg(out, metadata=bare)
    text = out.getvalue()
    return _IDS.sub(rf"\g<1>{name}-", text[text.index("<svg") :])


def _figure(rows: Sequence[float] = (1,)) -> tuple[Figure, list[Axes]]:
    figure = Figure(figsize=_SIZE)
    place = {"left": 0.14, "right": 0.965, "top": 0.97, "bottom": 0.22, "hspace": 0.18}
    axes = figure.subplots(len(rows), 1, sharex=True, squeeze=False, height_ratios=list(rows), gridspec_kw=place)[:, 0]
    return figure, list(axes)


def _numbers(values: Sequence[float | None]) -> Any:
    return np.array([np.nan if v is None else v for v in values], float)


def course_chart(course: Mapping[str, Any] | None) -> str:
    """Typical runs along the course, and under them the difference with its band."""
    if course is None or len(course["edges_s"]) < 3:
        return ""
    with _lock, rc_context(_STYLE):
        figure, (top, low) = _figure((3, 2))
        edges = _numbers(course["edges_s"])
        for arm, ink, dashes, width in (("before", GREY, (3, 1.5), 0.8), ("after", "black", (), 0.9)):
            values = _numbers(course[arm]["typical_ms"])
            top.stairs(values, edges, baseline=None, color=ink, linewidth=width, label=arm, **_dashed(dashes))
        budget = course["budget_ms"]
        if budget and top.get_ylim()[0] < budget * 1.3:
            top.axhline(budget, color="black", linewidth=0.5)
            top.annotate(
                "budget",
                (1, budget),
                xycoords=("axes fraction", "data"),
                ha="right",
                va="bottom",
                fontsize=5.5,
                bbox={"facecolor": "white", "linewidth": 0, "pad": 0.5},
            )
        top.set_ylabel("ms a frame")
        top.legend(loc="upper left", ncols=2, frameon=False, fontsize=5.5, handlelength=2.2, borderpad=0)
        top.margins(x=0, y=0.18)
        change = _numbers(course["difference_ms"])
        if course["band_low_ms"] is not None:
            band = [_numbers(course[key]) for key in ("band_low_ms", "band_high_ms")]
            low.stairs(band[1], edges, baseline=band[0], fill=True, facecolor="none", hatch="//////", linewidth=0)
        low.axhline(0, color="black", linewidth=0.5)
        low.stairs(change, edges, baseline=None, color="black", linewidth=0.9)
        low.set_ylabel("difference, ms")
        figure.align_ylabels((top, low))
        low.set_xlabel("seconds along the course")
        for section in course["sections"][1:]:
            for axes in (top, low):
                axes.axvline(section["from_s"], color=FAINT, linewidth=0.5, zorder=0)
        return _svg(figure, "course")


def _dashed(dashes: tuple[float, ...]) -> dict[str, Any]:
    return {"linestyle": (0, dashes)} if dashes else {}


def quantile_chart(band: Mapping[str, Any] | None) -> str:
    """The difference of every quantile with its simultaneous band."""
    if band is None or len(band["at"]) < 2:
        return ""
    with _lock, rc_context(_STYLE):
        figure, (axes,) = _figure()
        at = np.array(band["at"])
        least = 1.0 - float(at.max())
        share = share_axis(at, least)
        if band["low_ms"] is not None and band["high_ms"] is not None:
            axes.fill_between(
                share, band["low_ms"], band["high_ms"], facecolor="none", hatch="//////", edgecolor=GREY, linewidth=0
            )
        axes.axhline(0, color="black", linewidth=0.5)
        axes.plot(share, band["difference_ms"], color="black", linewidth=0.9)
        ticks = [tick for tick in _TICKS if tick <= 100.0 * at.max()]
        axes.set_xticks(share_axis(np.array(ticks) / 100.0, least), [f"{tick:g}" for tick in ticks])
        axes.set_xlabel("percentile of frame times, the tail stretched")
        axes.set_ylabel("difference, ms")
        axes.margins(x=0)
        return _svg(figure, "quantiles")


def runs_chart(dots: Sequence[Mapping[str, Any]], name: str = "mean_ms") -> str:
    """Every run in recorded order: hollow before, solid after."""
    known = [d for d in dots if d["figures"].get(name) is not None]
    if not known:
        return ""
    with _lock, rc_context(_STYLE):
        figure, (axes,) = _figure()
        for arm, face in (("before", "white"), ("after", "black")):
            own = [d for d in known if d["arm"] == arm]
            axes.plot(
                [d["position"] + 1 for d in own],
                [d["figures"][name] for d in own],
                "o",
                markersize=4,
                markerfacecolor=face,
                markeredgecolor="black",
                markeredgewidth=0.7,
                label=arm,
            )
        axes.set_xlabel("place in the session")
        axes.set_ylabel("mean frame of the run, ms")
        axes.legend(loc="best", frameon=False, fontsize=5.5, handletextpad=0.2)
        axes.xaxis.get_major_locator().set_params(integer=True)
        return _svg(figure, "runs")


def balance_chart(balance: Mapping[str, Any], number: int) -> str:
    """Where the typical and the slow frame stood after each entry, against the budget."""
    points = balance["points"]
    if len(points) < 2:
        return ""
    with _lock, rc_context(_STYLE):
        figure, (axes,) = _figure()
        x = range(len(points))
        axes.step(x, [p["mean_ms"] for p in points], where="post", color="black", linewidth=0.9, label="mean frame")
        slow = _numbers([p["slowest_1pct_ms"] for p in points])
        if np.isfinite(slow).any():
            axes.step(x, slow, where="post", color=GREY, linewidth=0.8, linestyle=(0, (3, 1.5)), label="slowest 1 %")
        if balance["budget_ms"]:
            axes.axhline(balance["budget_ms"], color="black", linewidth=0.5)
            axes.annotate("budget", (1, balance["budget_ms"]), xycoords=("axes fraction", "data"), ha="right", va="bottom", fontsize=5.5)  # fmt: skip
        step = max(1, len(points) // 12)
        axes.set_xticks(list(x)[::step], [f"no. {p['entry']}" for p in points][::step])
        axes.set_ylabel("ms")
        axes.legend(loc="best", frameon=False, fontsize=5.5)
        return _svg(figure, f"balance{number}")


def level_chart(drawn: Mapping[str, Any]) -> str:
    """What frames take over what was set: runs as dots, the fitted level as a line, the budget."""
    arms = [arm for arm in drawn["arms"] if arm["points"]]
    if not arms:
        return ""
    with _lock, rc_context(_STYLE):
        figure, (axes,) = _figure()
        for i, arm in enumerate(arms):
            ink, dashes = (GREY, (3, 1.5)) if i % 2 == 0 and len(arms) > 1 else ("black", ())
            at = [point["value"] for point in arm["points"]]
            axes.plot(at, [point["ms"] for point in arm["points"]], color=ink, linewidth=0.9, **_dashed(dashes))
            runs = [(point["value"], run["ms"]) for point in arm["points"] for run in point["runs"]]
            axes.plot(*zip(*runs, strict=True), "o", color=ink, markersize=1.8, markeredgewidth=0)
            if arm["name"]:
                axes.annotate(arm["name"], (at[-1], arm["points"][-1]["ms"]), ha="right", va="bottom", fontsize=5.5)
        if drawn["budget_ms"]:
            axes.axhline(drawn["budget_ms"], color="black", linewidth=0.5)
            axes.annotate("budget", (0, drawn["budget_ms"]), xycoords=("axes fraction", "data"), ha="left", va="bottom", fontsize=5.5)  # fmt: skip
        axes.set_ylim(bottom=0)
        axes.margins(y=0.12)
        axes.set_xlabel(drawn["name"])
        axes.set_ylabel("ms a frame")
        return _svg(figure, "levels")


def goal_chart(goal: Mapping[str, Any]) -> str:
    """The level of every entry held against the goal, the oldest first, and the goal: what stood before it fainter."""
    rows = [row for row in reversed(goal["rows"]) if row["value"] is not None]
    if not rows:
        return ""
    label, scale = axis(goal["figure"])
    with _lock, rc_context(_STYLE):
        figure, (axes,) = _figure()
        for at, row in enumerate(rows):
            if row["low"] is not None and row["high"] is not None:
                axes.plot([at, at], [scale * row["low"], scale * row["high"]], color=GREY, linewidth=0.8)
            carried = row["state"] in ("extrapolated", "other rig")
            axes.plot(
                [at],
                [scale * row["value"]],
                "o",
                markersize=4,
                markerfacecolor="white" if carried else "black",
                markeredgecolor="black",
                markeredgewidth=0.7,
            )
        now, *earlier = [scale * move["threshold"] for move in goal["moves"]]
        for level in earlier:
            axes.axhline(level, color=GREY, linewidth=0.5, linestyle=(0, (3, 1.5)))
        axes.axhline(now, color="black", linewidth=0.7)
        axes.annotate("goal", (1, now), xycoords=("axes fraction", "data"), ha="right", va="bottom", fontsize=5.5)
        step = max(1, len(rows) // 12)
        axes.set_xticks(range(0, len(rows), step), [f"no. {row['number']}" for row in rows][::step])
        axes.set_xlim(-0.5, len(rows) - 0.5)
        axes.margins(y=0.15)
        axes.set_ylabel(label)
        return _svg(figure, "goal")


def charts_of(entry: Mapping[str, Any], course: Mapping[str, Any] | None) -> list[tuple[str, str]]:
    """The two charts that say most of an entry, each with its caption: what was not judged shows its runs."""
    made = []
    if course is not None and course["judged"]:
        made.append(
            (course_chart(course), "Typical run of each arm along the course; hatched: 95 % band of the difference.")
        )
        made.append((quantile_chart(entry["band"]), "Difference by percentile; hatched: 95 % band over all of them."))
    made.append((runs_chart(entry["dots"]), "Mean frame of every run, in the order recorded."))
    return [(svg, caption) for svg, caption in made if svg][:2]
