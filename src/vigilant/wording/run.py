"""The figures of one run, or of a stretch of it, as rows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vigilant.core.sheet import CLOCK_MHZ, LIVE_VIEW_MS, OTHER_WORK, OTHER_WORK_BEFORE, POWER_W, TEMPERATURE_C, WALL_S

from .change import number
from .figures import FIGURE_TEXTS

_ROWS = (
    "mean_ms", "p50_ms", "p95_ms", "p99_ms", "slowest_1pct_ms", "worst_ms", "late_share", "stutters_per_min",
    "slowest_second_fps", "overrun_share", "freezes", "jitter_ms",
)  # fmt: skip


def run_rows(values: Mapping[str, Any]) -> list[dict[str, str]]:
    """Label, value, unit, what stands beside it and the definition; a figure without a value is left out."""
    rows = []
    for name in _ROWS:
        value = values.get(name)
        if value is None:
            continue
        if name == "freezes":
            text = FIGURE_TEXTS["freezes_per_min"]
            rows.append(
                {
                    "name": name,
                    "label": "Freezes",
                    "value": f"{value}",
                    "unit": "",
                    "note": "",
                    "definition": text.definition,
                }
            )
            continue
        text = FIGURE_TEXTS[name]
        rows.append(
            {
                "name": name,
                "label": text.label,
                "value": _value(name, value),
                "unit": "" if text.unit == "a minute" else text.unit,
                "note": _note(name, value, values),
                "definition": text.definition,
            }
        )
    return rows


def _value(name: str, value: float) -> str:
    if name.endswith("_share"):
        return number(value * 100.0, 2 if value < 0.1 else 1)
    if name == "slowest_second_fps" or name == "stutters_per_min":
        return number(value, 1)
    return number(value, 2 if value < 100 else 1)


def _note(name: str, value: float, values: Mapping[str, Any]) -> str:
    if name in ("mean_ms", "slowest_1pct_ms") and value > 0:
        return f"{number(1000.0 / value, 1)} fps"
    if name == "late_share" and "late_frames" in values:
        late = values["late_frames"]
        return f"{number(late, 0)} {'frame' if late == 1 else 'frames'}"
    if name == "stutters_per_min" and "stutters" in values:
        return f"{values['stutters']} in all{_regular(values.get('regular'))}"
    if f"{name}" in values.get("few_beyond", ()):
        return "rests on fewer than 10 frames"
    return ""


def _regular(found: Any) -> str:
    """Pauses that come at a period, from the core's result or as it is stored."""
    if not found:
        return ""
    kept = found if isinstance(found, Mapping) else found.__dict__
    every = f"{kept['period']:.0f} frames" if kept["unit"] == "frames" else f"{kept['period']:.2f} s"
    return f", every {every} in {100 * kept['strength']:.0f} % of gaps"


#: What a recorder measures beside a run: label, and its value in words.
_MEASURED: dict[str, tuple[str, str, float, int]] = {
    OTHER_WORK_BEFORE: ("Other work before", "% of a core", 100.0, 0),
    OTHER_WORK: ("Other work", "% of a core", 100.0, 0),
    WALL_S: ("By the recorder's clock", "s", 1.0, 1),
    TEMPERATURE_C: ("Temperature", "\u00b0C", 1.0, 0),
    CLOCK_MHZ: ("Clock", "MHz", 1.0, 0),
    POWER_W: ("Power of the processor", "W", 1.0, 1),
    LIVE_VIEW_MS: ("Live view", "ms of processor time a frame", 1.0, 3),
}


def measured_rows(measured: Mapping[str, float]) -> list[dict[str, str]]:
    """What was measured of the machine while a run was recorded; a name not known here is shown as it is."""
    rows = []
    for name, value in measured.items():
        label, unit, scale, decimals = _MEASURED.get(name, (name, "", 1.0, 2))
        rows.append({"label": label, "value": f"{number(value * scale, decimals)} {unit}".strip()})
    return rows
