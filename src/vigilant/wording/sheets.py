"""Sheets in words: a scenario's definition as rows, and two of them set side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from vigilant.core.policy import DEFAULT_PRIMARIES

from .change import number
from .figures import FIGURE_TEXTS

_LABELS = {
    "target_fps": "Target",
    "duration_s": "Length of a run",
    "warm_up_s": "Warm-up",
    "cool_down_s": "Cool-down",
    "seed": "Seed",
    "kind": "Kind",
    "load": "Load",
    "settle": "Settled when",
    "legs": "Legs",
    "policy.primaries": "Carry the verdict",
    "policy.margins": "Margins",
    "policy.witnesses": "Witnesses",
    "policy.guards": "Guards",
    "policy.late_tolerance": "Late tolerance",
    "policy.must_match": "Must match",
    "policy.may_differ": "May differ",
    "policy.change": "The change itself",
}


def _plain(value: float) -> str:
    return f"{value:,.6g}"


def _leg(leg: Mapping[str, Any]) -> str:
    at = "" if leg.get("from_s") is None else f" from {_plain(leg['from_s'])} s"
    return f"{leg['name']}{at}{'' if leg.get('play', True) else ' (not play)'}"


def _figure(name: str) -> str:
    return FIGURE_TEXTS[name].label if name in FIGURE_TEXTS else name


def _margin(name: str, value: float) -> str:
    if name.endswith("_per_min"):
        return f"{_figure(name)} {_plain(value)} a minute"
    points = "points" if name.endswith("_share") else "%"
    return f"{_figure(name)} {_plain(100.0 * value)} {points}"


def _guard(guard: Any) -> str:
    if not isinstance(guard, Mapping):
        return _figure(str(guard))
    more = "" if guard.get("margin") is None else f" within {_plain(100.0 * guard['margin'])} %"
    return f"{_figure(guard['name'])}{more}{', more is better' if guard.get('higher_is_better') else ''}"


def _value(key: str, value: Any) -> str:
    if key == "target_fps":
        return "none" if value is None else f"{_plain(value)} fps = {number(1000.0 / value, 2)} ms"
    if key.endswith("_s") and isinstance(value, (int, float)):
        return f"{_plain(value)} s"
    if key == "settle" and isinstance(value, Mapping):
        within, seconds = 100.0 * value.get("within", 0.01), value.get("for_s", 2.0)
        return f"{value['counter']} changes by less than {_plain(within)} % for {_plain(seconds)} s"
    if key == "load" and isinstance(value, Mapping):
        return f"{', '.join(map(_plain, value['values']))} {value['knob']}"
    if key == "legs":
        return ", ".join(map(_leg, value))
    if key == "policy.margins" and isinstance(value, Mapping):
        return ", ".join(_margin(n, v) for n, v in value.items())
    if key == "policy.guards":
        return ", ".join(_guard(g) for g in value)
    if key == "policy.primaries":
        return ", ".join(map(_figure, value))
    if key == "policy.late_tolerance":
        return f"{_plain(100.0 * value)} %"
    if isinstance(value, Sequence) and not isinstance(value, str):
        return ", ".join(map(str, value))
    return str(value)


def flat(definition: Mapping[str, Any]) -> dict[str, Any]:
    """A definition with the policy's keys beside the others; empty lists say nothing and are left out."""
    keys = {k: v for k, v in definition.items() if k != "policy"}
    keys |= {f"policy.{k}": v for k, v in definition.get("policy", {}).items()}
    return {k: v for k, v in keys.items() if v not in ([], {}, None, "") or k == "target_fps"}


def rows_of(definition: Mapping[str, Any]) -> list[dict[str, str]]:
    """One row a key, in a fixed order; what carries the verdict is said even where it is the usual."""
    known = {"policy.primaries": DEFAULT_PRIMARIES, **flat(definition)}
    keys = [k for k in _LABELS if k in known] + sorted(set(known) - set(_LABELS))
    return [{"key": k, "label": _LABELS.get(k, k), "value": _value(k, known[k])} for k in keys]


def differences(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[dict[str, str]]:
    """What differs between two definitions or two sheets; a key on one side only reads "not stated"."""
    old, new = flat(before), flat(after)
    keys = [k for k in _LABELS if k in old or k in new] + sorted((set(old) | set(new)) - set(_LABELS))

    def side(sheet: Mapping[str, Any], key: str) -> str:
        return _value(key, sheet[key]) if key in sheet else "not stated"

    return [
        {"key": k, "label": _LABELS.get(k, k), "before": side(old, k), "after": side(new, k)}
        for k in keys
        if old.get(k) != new.get(k)
    ]
