"""Numbers and texts of a statement as its pages write them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from django import template
from django.utils.safestring import SafeString, mark_safe

from vigilant.wording.change import number

register = template.Library()
#: What Markdown would read as its own; letters of a name stay letters.
_MARKS = re.compile(r"([\\`*_{}\[\]<>#|~!])")
_BEGINS = re.compile(r"^(\d*)([-+.)])(?=\s)")


@register.filter
def decimals(value: float, places: int) -> str:
    return number(value, places)


@register.filter
def at(values: Sequence[Any], place: int) -> Any:
    return values[place]


@register.filter
def plain(value: float) -> str:
    return f"{value:g}"


@register.filter
def least(strip: Mapping[str, float], keys: str) -> float:
    return min(strip[key] for key in keys.split(","))


@register.filter
def span(strip: Mapping[str, float], keys: str) -> float:
    ends = [strip[key] for key in keys.split(",")]
    return round(max(ends) - min(ends), 2)


@register.filter
def changed(figure: Mapping[str, Any]) -> str:
    """ "1.38 saved", "34.2 better": saved and spent are for time."""
    words = figure["words"]
    said = {"saved": "saved", "spent": "spent"} if words["unit"] == "ms" else {"saved": "better", "spent": "worse"}
    return f"{words['difference']} {said.get(words['column'], '')}".rstrip()


@register.filter
def credited(figure: Mapping[str, Any], side: str) -> str:
    """The amount in its column; in brackets where its runs do not show it."""
    words = figure["words"]
    if words["column"] != side:
        return ""
    return str(words["difference"]) if figure["call"].startswith(("better", "worse")) else f"({words['difference']})"


@register.filter
def of_line(line: Mapping[str, Any], side: str) -> str:
    return f"({line[side]})" if line[side] and not line["credited"] else str(line[side])


@register.filter
def below(line: Mapping[str, Any]) -> str:
    """Under a title: where it was recorded, and what there is to remark."""
    return "; ".join(filter(None, (", ".join(filter(None, (line["scenario"], line["rig"]))), line["remark"])))


@register.filter
def room(budget: float, level: float) -> str:
    """ "0.42 ms under the budget"."""
    gap = budget - level
    return f"{number(abs(gap), 2)} ms {'under' if gap >= 0 else 'over'} the budget"


@register.filter
def column(ms: float) -> str:
    return f"{number(abs(ms), 2)} ms {'spent' if ms > 0 else 'saved'}"


@register.filter
def by_rule(rows: Sequence[Mapping[str, Any]]) -> list[tuple[str, list[Mapping[str, Any]]]]:
    """Conditions by what was asked of them: the change, what was held, what may differ."""
    said = {"the change itself": "The change", "must match": "Held the same", "may differ": "Allowed to differ"}
    found = [(word, [row for row in rows if row["rule"] == rule]) for rule, word in said.items()]
    return [(word, own) for word, own in found if own]


@register.filter
def md(text: Any) -> SafeString:
    """A text inside Markdown, read as nothing but a text; on one line."""
    line = " ".join(str(text).split())
    return mark_safe(_BEGINS.sub(r"\1\\\2", _MARKS.sub(r"\\\1", line)))
