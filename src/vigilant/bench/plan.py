"""The recording plan: a TOML file (docs/formats.md)."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vigilant.core import CoreError, Policy

from .errors import PlanError

_TABLES: dict[str, set[str]] = {
    "scenario": {"name", "target_fps", "duration_s", "warm_up_s", "cool_down_s", "seed"},
    "recording": {"runs", "order_seed", "timeout_s", "order"},
    "policy": {"primaries", "margins", "late_tolerance", "must_match", "may_differ", "change"},
    "entry": {"number", "title", "why", "expected"},
    "rig": {"alias"},
    "server": {"url", "book"},
}
_ARM = {"name", "command", "env", "cwd"}


@dataclass(frozen=True)
class Arm:
    """How the subject of one arm is started; ``label`` is before or after."""

    label: str
    name: str
    command: tuple[str, ...]
    env: Mapping[str, str] = field(default_factory=dict)
    cwd: Path | None = None


@dataclass(frozen=True)
class Plan:
    """A checked plan; ``raw`` is the file as read. Times in seconds."""

    scenario: str
    arms: tuple[Arm, Arm]
    policy: Policy
    duration_s: float = 120.0
    warm_up_s: float = 0.0
    cool_down_s: float = 0.0
    seed: int = 0
    runs: int = 5
    order_seed: int | None = None
    order: str = "pairs"
    timeout_s: float = 0.0
    conditions: Mapping[str, str] = field(default_factory=dict)
    title: str = ""
    why: str = ""
    expected: str = ""
    rig_alias: str = ""
    server_url: str | None = None
    book: str | None = None
    raw: Mapping[str, Any] = field(default_factory=dict)


def load_plan(path: Path) -> Plan:
    """Read a plan file. Raises :class:`PlanError`."""
    try:
        raw = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise PlanError(f"{path}: not TOML: {error}") from error
    return parse_plan(raw, path.parent, str(path))


def parse_plan(raw: Mapping[str, Any], base: Path, where: str = "plan") -> Plan:
    """Check a plan. ``cwd`` of an arm is taken from ``base``. Raises :class:`PlanError`."""
    unknown = set(raw) - set(_TABLES) - {"arm", "conditions"}
    if unknown:
        raise PlanError(f"{where}: unknown table [{sorted(unknown)[0]}]")
    for table, keys in _TABLES.items():
        strange = set(_table(raw, table, where)) - keys
        if strange:
            raise PlanError(
                f"{where}: unknown key {sorted(strange)[0]!r} in [{table}]; known: {', '.join(sorted(keys))}"
            )
    scenario, recording = _table(raw, "scenario", where), _table(raw, "recording", where)
    entry, server = _table(raw, "entry", where), _table(raw, "server", where)
    arms = raw.get("arm")
    if not isinstance(arms, list) or len(arms) != 2:
        count = len(arms) if isinstance(arms, list) else 0
        raise PlanError(f"{where}: a plan needs two [[arm]] tables, before and after; there are {count}")
    name = scenario.get("name")
    if not isinstance(name, str) or not name:
        raise PlanError(f"{where}: [scenario] needs a name")
    warm_up = _number(scenario, "warm_up_s", 0.0, where, least=0.0)
    duration = _number(scenario, "duration_s", 120.0, where, least=0.1)
    runs = recording.get("runs", 5)
    if not isinstance(runs, int) or isinstance(runs, bool) or not 1 <= runs <= 1000:
        raise PlanError(f"{where}: [recording] runs must be a whole number from 1 to 1000, got {runs!r}")
    order = recording.get("order", "pairs")
    if order not in ("pairs", "mirrored"):
        raise PlanError(f'{where}: [recording] order must be "pairs" or "mirrored", got {order!r}')
    policy_table = dict(_table(raw, "policy", where))
    try:
        policy = Policy(target_fps=scenario.get("target_fps"), trim_s=warm_up, **policy_table)
    except (CoreError, TypeError) as error:
        raise PlanError(f"{where}: {error}") from error
    conditions = _table(raw, "conditions", where)
    return Plan(
        scenario=name,
        arms=(_arm(arms[0], "before", base, where), _arm(arms[1], "after", base, where)),
        policy=policy,
        duration_s=duration,
        warm_up_s=warm_up,
        cool_down_s=_number(scenario, "cool_down_s", 0.0, where, least=0.0),
        seed=int(scenario.get("seed", 0)),
        runs=runs,
        order_seed=recording.get("order_seed"),
        order=order,
        timeout_s=_number(recording, "timeout_s", 2.0 * (duration + warm_up) + 30.0, where, least=0.1),
        conditions={str(k): str(v) for k, v in conditions.items()},
        title=str(entry.get("title", "")) or f"{arms[1].get('name', 'after')} against {arms[0].get('name', 'before')}",
        why=str(entry.get("why", "")),
        expected=str(entry.get("expected", "")),
        rig_alias=str(_table(raw, "rig", where).get("alias", "")),
        server_url=server.get("url"),
        book=server.get("book"),
        raw=raw,
    )


def _table(raw: Mapping[str, Any], name: str, where: str) -> Mapping[str, Any]:
    table = raw.get(name, {})
    if not isinstance(table, Mapping):
        raise PlanError(f"{where}: [{name}] must be a table, got {table!r}")
    return table


def _number(table: Mapping[str, Any], key: str, default: float, where: str, least: float) -> float:
    value = table.get(key, default)
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not least <= value < 1e6:
        raise PlanError(f"{where}: {key} must be a number of at least {least}, got {value!r}")
    return float(value)


def _arm(raw: Any, label: str, base: Path, where: str) -> Arm:
    if not isinstance(raw, Mapping) or set(raw) - _ARM:
        strange = sorted(set(raw) - _ARM)[0] if isinstance(raw, Mapping) else raw
        raise PlanError(f"{where}: unknown key {strange!r} in [[arm]]; known: {', '.join(sorted(_ARM))}")
    command = raw.get("command")
    if not isinstance(command, list) or not command or not all(isinstance(c, str) for c in command):
        raise PlanError(f"{where}: the command of arm {label} must be a list of strings, got {command!r}")
    env = raw.get("env", {})
    if not isinstance(env, Mapping):
        raise PlanError(f"{where}: env of arm {label} must be a table, got {env!r}")
    return Arm(
        label=label,
        name=str(raw.get("name", label)),
        command=tuple(command),
        env={str(k): str(v) for k, v in env.items()},
        cwd=(base / raw["cwd"]) if "cwd" in raw else base,
    )
