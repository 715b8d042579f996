"""A statement as a page, a PDF, Markdown or a table."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from typing import Any, Literal

from django.template.loader import render_to_string
from django.utils.safestring import mark_safe

from vigilant.server.books.models import Book
from vigilant.server.spreadsheet import cell

from .content import course_of, entries_of

Paper = Literal["a4", "letter"]
COLUMNS = (
    "entry", "title", "scenario", "rig", "verdict", "leg", "figure", "unit", "before", "after", "difference", "ci_low", "ci_high", "p_value",
    "call", "carries_verdict",
)  # fmt: skip

ACCOUNT_COLUMNS = ("figure", "table", "row", "column", "value")
GOAL_COLUMNS = ("title", "rig", "arm", "recorded_at", "state", "level", "interval", "distance", "value", "low", "high")


def html(book: Book, document: dict[str, Any], paper: Paper = "a4") -> str:
    """A page that holds all it needs: no script, nothing that is fetched."""
    from . import charts  # on a library that takes a second to load: only where something is drawn

    context: dict[str, Any] = {"statement": document, "paper": paper, "charts": [], "balances": []}
    for part in document.get("entries", ()):
        context["ladder"] = [(figure, _strip(figure)) for figure in part["figures"]]
        context["legs"] = [(row, _strip(row)) for row in part["legs"]["rows"]]
        course = course_of(entries_of(book).get(number=part["number"]))
        context["charts"] = [(mark_safe(svg), said) for svg, said in charts.charts_of(part, course)]
    for number, balance in enumerate(document.get("balance", ())):
        context["balances"].append((balance, mark_safe(charts.balance_chart(balance, number))))
    if "account" in document:
        first = document["account"]["figures"][0]
        context["levels"] = mark_safe(charts.level_chart(first["drawn"])) if first["drawn"] else ""
    if "goal" in document:
        context["goal_chart"] = mark_safe(charts.goal_chart(document["goal"]))
    return render_to_string("statements/statement.html", context)


def _strip(figure: dict[str, Any]) -> dict[str, float] | None:
    """Where the ends of an interval strip lie, 0 to 100, with nothing at 50; saved is to the left."""
    ends = [figure["ci_low"], figure["ci_high"]]
    if None in ends:
        return None
    sign = -1.0 if figure["higher_is_better"] else 1.0
    widest = max(abs(v) for v in (*ends, figure["difference"], figure["margin_low"], figure["margin_high"])) or 1.0
    at = {
        "low": ends[0],
        "high": ends[1],
        "middle": figure["difference"],
        "margin_low": figure["margin_low"],
        "margin_high": figure["margin_high"],
    }
    return {key: round(50.0 + sign * 48.0 * value / widest, 2) for key, value in at.items()}


def pdf(page: str) -> bytes:
    """The page for print, tagged, the same bytes for the same page."""
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    return bytes(HTML(string=page, url_fetcher=URLFetcher(allowed_protocols=["data"])).write_pdf(pdf_tags=True))


def markdown(document: dict[str, Any]) -> str:
    """For a merge request or a page of notes."""
    made = render_to_string("statements/statement.md", {"statement": document})
    return re.sub(r"\n{3,}", "\n\n", made).strip() + "\n"


def table(document: dict[str, Any]) -> str:
    """Every figure of every entry, whole and by leg, unrounded; of a goal every entry that was held against it; of an account every cell
    of its tables, a row each."""
    out = io.StringIO()
    write = csv.writer(out, lineterminator="\n")
    if document["kind"] == "goal":
        write.writerow(["entry", *GOAL_COLUMNS])
        for row in document["goal"]["rows"]:
            write.writerow([cell(row[key]) for key in ("number", *GOAL_COLUMNS)])
        return out.getvalue()
    if document["kind"] == "account":
        write.writerow(ACCOUNT_COLUMNS)
        for values in _cells(document["account"]):
            write.writerow([cell(value) for value in values])
        return out.getvalue()
    write.writerow(COLUMNS)
    for part in document.get("entries", ()):
        rows = [("", f) for f in part["figures"]] + [(leg["leg"], leg) for leg in part["legs"]["rows"]]
        for leg, figure in rows:
            write.writerow([cell(value) for value in _row(part, leg, figure)])
    for line in document.get("lines", ()):
        mean = line["mean"] or {}
        values = {"leg": "", "name": "mean_ms", "unit": "ms", **mean}
        write.writerow([cell(value) for value in _row(line, "", values)])
    return out.getvalue()


def _cells(account: dict[str, Any]) -> Iterator[tuple[Any, ...]]:
    for figure in account["figures"]:
        for made in figure["tables"]:
            for number, row in enumerate(made["rows"], start=1):
                for place, (name, value) in enumerate(zip(made["head"], row, strict=True)):
                    yield figure["figure"], made["title"], number, name or ("shown" if place else "what"), value


def _row(part: dict[str, Any], leg: str, figure: dict[str, Any]) -> list[Any]:
    own = [part["number"], part["title"], part["scenario"], part["rig"], part["verdict"], leg]
    keys = ("name", "unit", "before", "after", "difference", "ci_low", "ci_high", "p_value", "call", "primary")
    return own + [figure.get(key) for key in keys]
