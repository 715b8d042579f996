"""A comparison on a terminal and as one JSON object."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any

from rich.console import Console
from rich.table import Table
from rich.text import Text

from vigilant.core import ComparisonResult, Net, Several
from vigilant.wording import (
    FIGURE_TEXTS,
    STAMPS,
    amount,
    comparison_document,
    figure_change,
    finding_remedy,
    finding_sentence,
    verdict_sentence,
)

#: Rows of the table beside the primaries.
SHOWN = ("p50_ms", "p95_ms", "p99_ms", "slowest_second_fps", "jitter_ms")
#: A terminal this wide has room for a column of margins; a narrower one gets them as a line.
WIDE = 96
_STAMP_STYLE = {"gain": "green", "regression": "red", "trade-off": "magenta", "void": "dim"}


def print_json(comparison: ComparisonResult, extra: dict[str, Any] | None = None) -> None:
    print(
        json.dumps({**comparison_document(comparison), **(extra or {})}, indent=1, ensure_ascii=False, allow_nan=False)
    )


def print_comparison(console: Console, comparison: ComparisonResult) -> None:
    """Stamp, sentence, figures and findings."""
    stamp = STAMPS[comparison.verdict]
    console.print()
    console.print(Text(f" {stamp} ", style=f"bold reverse {_STAMP_STYLE.get(comparison.verdict, 'blue')}"))
    console.print(verdict_sentence(comparison), highlight=False)
    wide = console.width >= WIDE
    console.print(_figures(comparison, wide))
    if not wide:
        console.print(f"Margins: {_margins(comparison)}.", highlight=False, style="dim")
    console.print(
        f"Rows marked * carry the verdict. {comparison.runs[0]} runs before, {comparison.runs[1]} after;"
        f" {comparison.frames[0]:,} and {comparison.frames[1]:,} frames. Design: {comparison.design}.",
        highlight=False,
        style="dim",
    )
    shown = [FIGURE_TEXTS[n].label for n in comparison.unstable if n in (*comparison.primaries, *SHOWN)]
    if shown:
        said = f"Unstable here, between the body of the frames and the pauses: {', '.join(shown)}."
        console.print(f"{said} See the slowest 1 %.", highlight=False, style="dim")
    for finding in comparison.findings:
        mark = {"void": "x", "warn": "!", "note": "-"}[finding.severity]
        console.print(f"{mark} {finding_sentence(finding)} {finding_remedy(finding)}", highlight=False)


def print_several(console: Console, several: Several) -> None:
    """A line for each pair, the places of the arms, and what is left net of the empty one."""
    names = {n: n for n in several.names}
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    table.add_column("Before")
    table.add_column("After")
    table.add_column("Verdict", no_wrap=True)
    table.add_column("Mean frame")
    for (before, after), comparison in several.pairs.items():
        stamp = Text(STAMPS[comparison.verdict], style=_STAMP_STYLE.get(comparison.verdict, "blue"))
        table.add_row(before, after, stamp, figure_change(comparison.figures["mean_ms"], comparison.target_fps))
    console.print(table)
    said = dict.fromkeys(
        (f"{'x' if f.severity == 'void' else '!'} {finding_sentence(f)} {finding_remedy(f)}", f"{a} and {b}")
        for (a, b), comparison in several.pairs.items()
        for f in comparison.findings
        if f.severity != "note"
    )
    for sentence in dict.fromkeys(sentence for sentence, _ in said):
        pairs = [pair for other, pair in said if other == sentence]
        of = "" if len(pairs) == len(several.pairs) else f" ({'; '.join(pairs)})"
        console.print(sentence + of, highlight=False)
    if several.ranks:
        print_places(console, several, names)
    if several.net:
        print_net(console, several.net, names, several.reference)


def print_places(console: Console, several: Several, names: Mapping[str, str]) -> None:
    """The places that significant differences leave each arm, per primary."""
    console.print("\nPlaces among the arms, 1 the best", style="bold", highlight=False)
    for figure in next(iter(several.pairs.values())).primaries:
        if figure in several.ranks:
            places = (
                f"{names[arm]} {best if best == worst else f'{best} to {worst}'}"
                for arm, (best, worst) in several.ranks[figure].items()
            )
            console.print(f"{FIGURE_TEXTS[figure].label}: {', '.join(places)}", highlight=False)


def print_net(console: Console, net: Sequence[Net], names: Mapping[str, str], reference: str = "before") -> None:
    """What each arm's work itself takes: its mean frame less the empty arm's."""
    console.print("\nNet of the empty arm", style="bold", highlight=False)
    for n in net:
        interval = "" if n.low is None else f" (95 % interval {n.low:.3f} to {n.high:.3f})"
        ratio = "" if n.ratio is None or n.ratio_low is None else f", {n.ratio:.3f} of {names[reference]}'s"
        console.print(f"{names[n.arm]}: {n.ms:.3f} ms a frame{interval}{ratio}", highlight=False)


def _margins(comparison: ComparisonResult) -> str:
    """The margin of each figure that carries the verdict."""
    said = []
    for name in comparison.primaries:
        margin = amount(comparison.figures[name]).margin if name in comparison.figures else ""
        text = FIGURE_TEXTS[name]
        unit = {"%": " points", "a minute": ""}.get(text.unit, f" {text.unit}")
        said += [f"{text.label} {margin}{unit}"] if margin else []
    return ", ".join(said)


def _figures(comparison: ComparisonResult, margins: bool) -> Table:
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 1, 0, 0))
    table.add_column("Figure", no_wrap=True)
    for name in ("Before", "After", "Saved", "Spent"):
        table.add_column(name, justify="right", no_wrap=True)
    table.add_column("95 % interval", justify="right", no_wrap=True)
    if margins:
        table.add_column("Margin", justify="right", no_wrap=True)
    table.add_column(" Shown", overflow="fold")
    names = [*comparison.primaries, *(n for n in SHOWN if n not in comparison.primaries)]
    for name in names:
        if name not in comparison.figures:
            continue
        result = comparison.figures[name]
        text = FIGURE_TEXTS[name]
        row = amount(result)
        unit = {"a minute": "", "%": " %"}.get(text.unit, f" {text.unit}")
        table.add_row(
            f"{text.label}{' *' if result.primary else ''}",
            row.before + unit,
            row.after + unit,
            row.difference if row.column == "saved" else "",
            row.difference if row.column == "spent" else "",
            # On a narrow terminal an interval that names its sides takes two lines.
            row.interval if margins else re.sub(r"(saved|better) to ", r"\1\nto ", row.interval),
            *([row.margin] if margins else []),
            f" {result.call}",
        )
    return table
