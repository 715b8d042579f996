"""What a statement says of an account: of each figure its sentence, what is said beside it, tables, and what is drawn."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from vigilant.server.runs.models import Recording
from vigilant.server.vary.accounts import account_of
from vigilant.wording.change import number, percent
from vigilant.wording.ramp import load

Account = Mapping[str, Any]
#: Over the title: what kind of account it is.
KINDS = {
    "switched": "Features switched off one at a time",
    "untangled": "Changes in combinations",
    "mixture": "Loads alone and together",
    "ramp": "A ramp",
    "trade": "A load at several richnesses",
    "knob": "A knob over its values",
    "cores": "The same work on more cores",
    "matrix": "One change over many conditions",
    "hunt": "A hunt for the build that did it",
}


def account_part(recording: Recording) -> dict[str, Any]:
    """Everything a page says of an account. Raises a problem where there is none."""
    found = account_of(recording)
    version = recording.scenario_version
    target = version.target_fps
    runs = recording.slots.filter(run__isnull=False, run__state="complete", run__excluded_at=None).count()
    return {
        "recording": str(recording.pk),
        "kind": recording.account,
        "called": KINDS[recording.account],
        "title": found.get("title") or recording.title or KINDS[recording.account],
        "scenario": version.scenario.name,
        "version": version.number,
        "rig": "" if recording.rig is None else str(recording.rig),
        "target_fps": target,
        "budget_ms": 1000.0 / target if target else None,
        "recorded_at": recording.created_at,
        "runs": runs,
        "figures": [
            {"figure": f["figure"], "name": f["name"], **_PARTS[recording.account](found, f)} for f in _figures(found)
        ],
    }


def _figures(found: Account) -> Sequence[Account]:
    """Of a knob the figures are those of its arms."""
    figures: Sequence[Account] = found["figures"] if "figures" in found else found["arms"][0]["figures"]
    return figures


# -- tables: a column is its name and how its values are written, None of a text

Column = tuple[str, Callable[[Any], str] | None]


def _ms(value: Any) -> str:
    return "" if value is None else number(float(value), 3)


def _load(value: Any) -> str:
    return load(None if value is None else float(value))


def _share(value: Any) -> str:
    return "" if value is None else percent(float(value))


def _shown(value: Any) -> str:
    return "shown" if value else "not shown"


def _table(title: str, columns: Sequence[Column], rows: Sequence[Sequence[Any]]) -> dict[str, Any]:
    """``rows`` as they are, for files; ``said`` as they are printed."""
    return {
        "title": title,
        "head": [name for name, _ in columns],
        "numbers": [write is not None and write is not _shown for _, write in columns],
        "rows": [list(row) for row in rows],
        "said": [
            [str(value) if write is None else write(value) for (_, write), value in zip(columns, row, strict=True)]
            for row in rows
        ],
    }


def _part(
    sentence: str, tables: Sequence[dict[str, Any]], said: Sequence[str] = (), notes: Sequence[str] = (),
    drawn: dict[str, Any] | None = None,
) -> dict[str, Any]:  # fmt: skip
    return {
        "sentence": sentence,
        "said": [one for one in said if one],
        "tables": [table for table in tables if table["rows"]],
        "notes": list(notes),
        "drawn": drawn,
    }


def _drawn(arms: Sequence[tuple[str, Sequence[Account]]], name: str, budget_ms: float | None) -> dict[str, Any]:
    return {"arms": [{"name": n, "points": list(points)} for n, points in arms], "name": name, "budget_ms": budget_ms}


# -- each kind


def _ramp(found: Account, figure: Account) -> dict[str, Any]:
    arms, two = figure["arms"], figure["two"]
    named = len(arms) > 1
    levels = [
        [*([arm["name"]] if named else []), point["value"], point["asked"], point["ms"], len(point["runs"])]
        for arm in arms for point in arm["points"]
    ]  # fmt: skip
    unit = found["unit"]
    columns: list[Column] = [(unit, _load), ("asked for", _load), ("ms", _ms), ("runs", str)]
    tables = [_table("Levels", [("arm", None), *columns] if named else columns, levels)]
    if two is not None:
        columns = [(unit, _load), ("ms more", _ms), ("low", _ms), ("high", _ms), ("", _shown)]
        rows = [[row["load"], row["ms"], row["low_ms"], row["high_ms"], row["shown"]] for row in two["equal"]]
        tables.append(_table("At equal load", columns, rows))
    said = [
        f"{arm['name']}: {one}" if named else one
        for arm in arms for one in (arm["paper"], *arm["costs"], arm["growth"]) if one
    ]  # fmt: skip
    if two is not None:
        said.append(two["unit"])
    return _part(
        figure["sentence"],
        tables,
        said,
        _notes(arms),
        _drawn([(arm["name"], arm["points"]) for arm in arms], unit, figure["budget_ms"]),
    )


def _notes(arms: Sequence[Account]) -> list[str]:
    return [f"{arm['name']}: {note}" if arm["name"] else note for arm in arms for note in arm["notes"]]


def _trade(found: Account, figure: Account) -> dict[str, Any]:
    rows = [
        [arm["richness"], arm["capacity"]["value"], arm["capacity"]["low"], arm["capacity"]["high"]]
        for arm in figure["arms"]
    ]
    carried = _table(
        "What the budget carries", [(found["richness"], _load), (found["unit"], _load), ("low", _load), ("high", _load)], rows
    )  # fmt: skip
    return _part(
        figure["sentence"],
        [carried],
        [figure["factor"], figure["note"]],
        _notes(figure["arms"]),
        _drawn([(arm["name"], arm["points"]) for arm in figure["arms"]], found["unit"], figure["budget_ms"]),
    )


def _knob(found: Account, figure: Account) -> dict[str, Any]:
    own = [(arm["name"], next(f for f in arm["figures"] if f["figure"] == figure["figure"])) for arm in found["arms"]]
    crossing = next((c["sentence"] for c in found["crossings"] if c["figure"] == figure["figure"]), "")
    columns: list[Column] = [(found["name"], _load), ("ms", _ms), ("best", _yes), ("loses at most", None)]
    tables = [
        _table(
            name or "Values",
            columns,
            [
                [point["value"], point["ms"], inside, lost]
                for point, inside, lost in zip(one["points"], one["inside"], one["lost"], strict=True)
            ],
        )
        for name, one in own
    ]
    return _part(
        found["sentence"],
        tables,
        [crossing],
        found["notes"],
        _drawn([(name, one["points"]) for name, one in own], found["name"], None),
    )


def _yes(value: Any) -> str:
    return "cannot be told from the best" if value else ""


def _cores(found: Account, figure: Account) -> dict[str, Any]:
    columns: list[Column] = [
        ("cores", str), ("ms", _ms), ("times as fast", None), ("of each core", None), ("core-ms a frame", _ms),
        ("clock, MHz", _load), ("power, W", _ms), ("order of the work", None),
    ]  # fmt: skip
    keys = ("cores", "ms", "said", "efficiency", "core_ms", "clock_mhz", "power_w", "schedule")
    rows = [[row[key] for key in keys] for row in figure["rows"]]
    return _part(
        figure["sentence"],
        [_table("Cores", columns, rows)],
        [figure["law"], figure["chain"]],
        [*figure["notes"], *found["notes"]],
        _drawn([("", figure["points"])], "cores", None),
    )


_SAVED: list[Column] = [("", None), ("ms saved", _ms), ("low", _ms), ("high", _ms), ("", _shown)]


def _switched(found: Account, figure: Account) -> dict[str, Any]:
    tables = [
        _table(title, _SAVED, [[r["name"], r["saved_ms"], r["low_ms"], r["high_ms"], r["shown"]] for r in figure[key]])
        for title, key in (("While it alone is off", "switches"), ("Cures, net of their price", "cures"))
    ]
    return _part(figure["sentence"], tables, [figure["gap"]], figure["notes"])


def _untangled(found: Account, figure: Account) -> dict[str, Any]:
    columns: list[Column] = [("", None), ("ms", _ms), ("low", _ms), ("high", _ms), ("", _shown)]
    tables = [
        _table(title, columns, [[r["name"], r["ms"], r["low_ms"], r["high_ms"], r["shown"]] for r in figure[key]])
        for title, key in (("Credit (less than nothing is saved)", "credits"), ("What they do together", "interactions"))
    ]  # fmt: skip
    configurations = [[one["name"], one["ms"]] for one in figure["configurations"]]
    tables.append(_table("Every configuration", [("", None), ("ms", _ms)], configurations))
    return _part(figure["sentence"], tables, [figure["gap"]], figure["notes"])


def _mixture(found: Account, figure: Account) -> dict[str, Any]:
    rows = [
        ["nothing of them", figure["empty_ms"], figure["empty_ms"]],
        *([f"{part['name']} alone", part["ms"], part["net_ms"]] for part in figure["parts"]),
        ["the sum of them", None, figure["sum_ms"]],
        ["all together", figure["together_ms"], figure["beyond_ms"]],
    ]
    return _part(
        figure["sentence"],
        [_table("The sum", [("scene", None), ("ms", _ms), ("adds, ms", _ms)], rows)],
        notes=figure["notes"],
    )


def _matrix(found: Account, figure: Account) -> dict[str, Any]:
    columns: list[Column] = [
        ("window", None), ("tier", None), ("rig", None), ("change", _share), ("low", _share), ("high", _share),
        ("", _shown), ("why not", None),
    ]  # fmt: skip
    rows = [
        [c["window"], c["tier"], c["rig"], c["share"], c["low"], c["high"], c["called"], c["why"]]
        for c in figure["cells"]
    ]
    return _part(figure["sentence"], [_table("Cells", columns, rows)], [figure["worst"]], figure["notes"])


def _hunt(found: Account, figure: Account) -> dict[str, Any]:
    columns: list[Column] = [("build", None), ("ms", _ms), ("runs", str), ("lies after the step", _chance)]
    rows = [[one["build"], one["ms"], len(one["runs"]), one["after"]] for one in figure["recorded"]]
    return _part(figure["sentence"], [_table("Builds that were recorded", columns, rows)], notes=figure["notes"])


def _chance(value: Any) -> str:
    return f"{number(100.0 * float(value), 1)} %"


_PARTS: Mapping[str, Callable[[Account, Account], dict[str, Any]]] = {
    "switched": _switched,
    "untangled": _untangled,
    "mixture": _mixture,
    "ramp": _ramp,
    "trade": _trade,
    "knob": _knob,
    "cores": _cores,
    "matrix": _matrix,
    "hunt": _hunt,
}
