"""The recording plan: TOML in a file, the same tables as JSON on the server (docs/formats.md)."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vigilant.core import CoreError, Policy
from vigilant.core.looks import FIRST_LOOK, MOST_PAIRS

from .errors import PlanError

EMPTY = "empty"
BY_ITSELF, BY_HAND = "by itself", "by hand"
MOST_ARMS = 12

_TABLES: dict[str, set[str]] = {
    "scenario": {"name", "target_fps", "duration_s", "warm_up_s", "cool_down_s", "seed", "legs", "settle", "kind", "load"},
    "recording": {
        "runs", "order_seed", "timeout_s", "order", "retries", "quiet_share", "quiet_wait_s", "reset", "same_start",
        "start_counter", "files", "played",
        "switching", "discard_s", "load", "until_decided", "blank",
    },
    "policy": {"primaries", "margins", "late_tolerance", "must_match", "may_differ", "change", "witnesses", "guards"},
    "entry": {"number", "title", "why", "expected"},
    "rig": {"alias"},
    "server": {"url", "book"},
}  # fmt: skip
_ARM = {"name", "command", "subject", "arguments", "env", "cwd", "cores", "observers", "empty"}


@dataclass(frozen=True)
class Arm:
    """How the subject of one arm is started.

    ``label`` is "before" for the first arm, "after" for the second, "after 2" ... for further
    ones and "empty" for the empty arm. ``subject`` names a program that the recorder's machine
    knows; ``command`` is then empty until :func:`with_subjects` filled it in.
    """

    label: str
    name: str
    command: tuple[str, ...]
    subject: str = ""
    arguments: tuple[str, ...] = ()
    env: Mapping[str, str] = field(default_factory=dict)
    cwd: Path | None = None
    cores: tuple[int, ...] = ()
    observers: tuple[str, ...] = ()


@dataclass(frozen=True)
class Bench:
    """What the recorder sees to besides starting subjects. Shares are of one core."""

    retries: int = 0
    quiet_share: float | None = None
    quiet_wait_s: float = 60.0
    reset: tuple[str, ...] = ()
    same_start: tuple[str, ...] = ()
    start_counter: str = ""
    files: tuple[str, ...] = ()
    by_hand: bool = False
    switching: bool = False
    discard_s: float = 0.5
    until_decided: bool = False


@dataclass(frozen=True)
class Load:
    """How much the subject is given to do: ``value`` of ``knob``, one of the scenario's values."""

    knob: str
    value: float

    def __str__(self) -> str:
        return f"{self.value:g} {self.knob}"


@dataclass(frozen=True)
class Plan:
    """A checked plan; ``raw`` is the plan as read. Times in seconds."""

    scenario: str
    arms: tuple[Arm, ...]
    policy: Policy
    duration_s: float = 120.0
    warm_up_s: float = 0.0
    cool_down_s: float = 0.0
    seed: int = 0
    load: Load | None = None
    runs: int = 5
    order_seed: int | None = None
    order: str = "pairs"
    timeout_s: float = 0.0
    bench: Bench = Bench()
    conditions: Mapping[str, str] = field(default_factory=dict)
    title: str = ""
    why: str = ""
    expected: str = ""
    rig_alias: str = ""
    server_url: str | None = None
    book: str | None = None
    base: Path = Path()
    raw: Mapping[str, Any] = field(default_factory=dict)

    @property
    def run_s(self) -> float:
        """How long one run is meant to play, warm-up included."""
        return self.warm_up_s + self.duration_s


def load_plan(path: Path, recording: Mapping[str, Any] | None = None) -> Plan:
    """Read a plan file; ``recording`` replaces keys of that table. Raises :class:`PlanError`."""
    try:
        raw = tomllib.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise PlanError(f"{path}: not TOML: {error}") from error
    if recording:
        raw["recording"] = {**_table(raw, "recording", str(path)), **recording}
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
    arms = _arms(raw.get("arm"), base, where)
    starts = {(arm.command, arm.subject, arm.arguments, tuple(sorted(arm.env.items())), arm.cores) for arm in arms}
    one_way = len(starts) == 1 and not any(arm.label == EMPTY for arm in arms)
    if recording.get("switching") and not one_way:
        raise PlanError(
            f"{where}: a subject that switches arms is started one way for all of them, without an empty arm"
        )
    blank = bool(recording.get("blank", False))
    if blank and not (one_way and len(arms) == 2 and len({arm.observers for arm in arms}) == 1):
        raise PlanError(f"{where}: a blank test has two arms that are one build, started one way")
    if blank and (recording.get("switching") or recording.get("until_decided")):
        raise PlanError(f"{where}: a blank test has a fixed number of runs and starts its subject for each")
    made_of = f"Blank test, {arms[0].name} and {arms[1].name}" if blank else f"{arms[1].name} against {arms[0].name}"
    name = scenario.get("name")
    if not isinstance(name, str) or not name:
        raise PlanError(f"{where}: [scenario] needs a name")
    warm_up = _number(scenario, "warm_up_s", 0.0, where, least=0.0)
    duration = _number(scenario, "duration_s", 120.0, where, least=0.1)
    order = recording.get("order", "pairs")
    if order not in ("pairs", "mirrored"):
        raise PlanError(f'{where}: [recording] order must be "pairs" or "mirrored", got {order!r}')
    conditions = _table(raw, "conditions", where)
    return Plan(
        scenario=name,
        arms=arms,
        policy=plan_policy(scenario, _table(raw, "policy", where), where),
        duration_s=duration,
        warm_up_s=warm_up,
        cool_down_s=_number(scenario, "cool_down_s", 0.0, where, least=0.0),
        seed=_whole(scenario, "seed", 0, where, -(2**31), 2**31),
        load=_load(scenario, recording, where),
        runs=_runs(recording, arms, where),
        order_seed=_whole(recording, "order_seed", 0, where, 0, 2**63) if "order_seed" in recording else None,
        order=order,
        timeout_s=_number(recording, "timeout_s", _patience_s(recording, duration + warm_up), where, least=0.1),
        bench=_bench(recording, where),
        conditions={str(k): str(v) for k, v in conditions.items()},
        title=str(entry.get("title", "")) or made_of,
        why=str(entry.get("why", "")),
        expected=str(entry.get("expected", "")),
        rig_alias=str(_table(raw, "rig", where).get("alias", "")),
        server_url=server.get("url"),
        book=server.get("book"),
        base=base,
        raw=raw,
    )


def plan_policy(scenario: Mapping[str, Any], policy: Mapping[str, Any], where: str = "plan") -> Policy:
    """The policy that a scenario's and a policy's table make. Raises :class:`PlanError`."""
    try:
        return Policy(
            target_fps=scenario.get("target_fps"),
            trim_s=float(scenario.get("warm_up_s", 0.0)),
            settle=scenario.get("settle"),
            legs=scenario.get("legs", ()),
            **policy,
        )
    except (CoreError, TypeError, ValueError) as error:
        raise PlanError(f"{where}: {error}") from error


def with_subjects(plan: Plan, subjects: Mapping[str, tuple[str, ...]]) -> Plan:
    """The plan with every named subject's command filled in. Raises :class:`PlanError` for an unknown one."""
    arms = []
    for arm in plan.arms:
        if arm.subject and not arm.command:
            if arm.subject not in subjects:
                known = ", ".join(sorted(subjects)) or "none"
                raise PlanError(
                    f"subject {arm.subject!r} of arm {arm.name!r} is not known on this machine; known: {known}"
                )
            arm = Arm(**{**arm.__dict__, "command": (*subjects[arm.subject], *arm.arguments)})
        arms.append(arm)
    return Plan(**{**plan.__dict__, "arms": tuple(arms)})


def as_blank(plan: Plan) -> Plan:
    """The plan with its first arm as both arms: a blank test."""
    first = plan.arms[0]
    arms = (Arm(**{**first.__dict__, "name": "once"}), Arm(**{**first.__dict__, "label": "after", "name": "again"}))
    bench = Bench(**{**plan.bench.__dict__, "until_decided": False, "switching": False})
    return Plan(**{**plan.__dict__, "arms": arms, "bench": bench, "title": f"Blank test of {first.name}"})


def load_subjects(path: Path) -> dict[str, tuple[str, ...]]:
    """Read ``[subjects]``: a name and the command (a list) that starts it. Raises :class:`PlanError`."""
    try:
        raw = tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise PlanError(f"{path}: the subjects cannot be read: {error}") from error
    table = _table(raw, "subjects", str(path))
    return {str(name): _strings(table, name, str(path)) for name in table}


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


def _whole(table: Mapping[str, Any], key: str, default: int, where: str, least: int, most: int) -> int:
    value = table.get(key, default)
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
        raise PlanError(f"{where}: {key} must be a whole number from {least} to {most}, got {value!r}")
    return value


def _strings(table: Mapping[str, Any], key: str, where: str) -> tuple[str, ...]:
    value = table.get(key, [])
    if not isinstance(value, list) or not all(isinstance(c, str) for c in value):
        raise PlanError(f"{where}: {key} must be a list of strings, got {value!r}")
    return tuple(value)


def _runs(recording: Mapping[str, Any], arms: Sequence[Arm], where: str) -> int:
    """Runs an arm; the most of them where the recording ends once it is decided."""
    if not recording.get("until_decided"):
        return _whole(recording, "runs", 5, where, 1, 1000)
    if sum(arm.label != EMPTY for arm in arms) != 2:
        raise PlanError(f"{where}: until_decided is for two arms")
    return _whole(recording, "runs", MOST_PAIRS, where, FIRST_LOOK + 1, 60)


def _load(scenario: Mapping[str, Any], recording: Mapping[str, Any], where: str) -> Load | None:
    """The load of a recording: what it asks for, else the first of the scenario's values."""
    table = _table(scenario, "load", where)
    if not table:
        if "load" in recording:
            raise PlanError(f"{where}: the scenario has no load, so [recording] cannot choose one")
        return None
    knob, values = table.get("knob"), table.get("values")
    if set(table) != {"knob", "values"} or not isinstance(knob, str) or not knob:
        raise PlanError(f"{where}: load needs a knob (its name) and values, got {dict(table)!r}")
    if not isinstance(values, list) or not values:
        raise PlanError(f"{where}: the values of load {knob!r} must be a list of numbers, got {values!r}")
    known = [_number({"values of load": v}, "values of load", 0.0, where, least=0.0) for v in values]
    value = _number(recording, "load", known[0], where, least=0.0)
    if value not in known:
        said = ", ".join(f"{v:g}" for v in known)
        raise PlanError(f"{where}: load {value:g} is none of the scenario's; it has {said}")
    return Load(knob, value)


def _patience_s(recording: Mapping[str, Any], run_s: float) -> float:
    """How long a run may take where the plan does not say: a person may play for an hour."""
    return 3600.0 if recording.get("played") == BY_HAND else 2.0 * run_s + 30.0


def _bench(recording: Mapping[str, Any], where: str) -> Bench:
    played = recording.get("played", BY_ITSELF)
    if played not in (BY_ITSELF, BY_HAND):
        raise PlanError(f'{where}: [recording] played must be "{BY_ITSELF}" or "{BY_HAND}", got {played!r}')
    return Bench(
        retries=_whole(recording, "retries", 0, where, 0, 10),
        quiet_share=_number(recording, "quiet_share", 0.0, where, least=0.0) if "quiet_share" in recording else None,
        quiet_wait_s=_number(recording, "quiet_wait_s", 60.0, where, least=0.0),
        reset=_strings(recording, "reset", where),
        same_start=_strings(recording, "same_start", where),
        start_counter=str(recording.get("start_counter", "")),
        files=_strings(recording, "files", where),
        by_hand=played == BY_HAND,
        switching=bool(recording.get("switching", False)),
        until_decided=bool(recording.get("until_decided", False)),
        discard_s=_number(recording, "discard_s", 0.5, where, least=0.0),
    )


def _arms(raw: Any, base: Path, where: str) -> tuple[Arm, ...]:
    tables = raw if isinstance(raw, list) else []
    played = [a for a in tables if not (isinstance(a, Mapping) and a.get("empty"))]
    if len(played) < 2:
        raise PlanError(f"{where}: a plan needs two [[arm]] tables, before and after; there are {len(played)}")
    if len(tables) - len(played) > 1 or len(tables) > MOST_ARMS:
        raise PlanError(f"{where}: a plan has one empty arm at most and {MOST_ARMS} arms; there are {len(tables)}")
    labels = ["before", "after", *(f"after {i}" for i in range(2, len(played)))]
    arms = [_arm(table, label, base, where) for table, label in zip(played, labels, strict=True)]
    arms += [_arm(table, EMPTY, base, where) for table in tables if table not in played]
    names = [arm.name for arm in arms]
    if len(set(names)) != len(names):
        raise PlanError(f"{where}: two arms have one name: {', '.join(names)}")
    return tuple(arms)


def _arm(raw: Any, label: str, base: Path, where: str) -> Arm:
    if not isinstance(raw, Mapping) or set(raw) - _ARM:
        strange = sorted(set(raw) - _ARM)[0] if isinstance(raw, Mapping) else raw
        raise PlanError(f"{where}: unknown key {strange!r} in [[arm]]; known: {', '.join(sorted(_ARM))}")
    subject = str(raw.get("subject", ""))
    command = raw.get("command")
    if bool(command) == bool(subject):
        raise PlanError(f"{where}: arm {label} needs a command or a subject, one of them")
    if command and (not isinstance(command, list) or not all(isinstance(c, str) for c in command)):
        raise PlanError(f"{where}: the command of arm {label} must be a list of strings, got {command!r}")
    env = raw.get("env", {})
    if not isinstance(env, Mapping):
        raise PlanError(f"{where}: env of arm {label} must be a table, got {env!r}")
    cores = raw.get("cores", [])
    if not isinstance(cores, list) or not all(isinstance(c, int) and 0 <= c < 4096 for c in cores):
        raise PlanError(f"{where}: cores of arm {label} must be a list of core numbers, got {cores!r}")
    return Arm(
        label=label,
        name=str(raw.get("name", label)),
        command=tuple(command or ()),
        subject=subject,
        arguments=_strings(raw, "arguments", where),
        env={str(k): str(v) for k, v in env.items()},
        cwd=(base / str(raw["cwd"])) if "cwd" in raw else base,
        cores=tuple(cores),
        observers=_strings(raw, "observers", where),
    )
