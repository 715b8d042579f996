"""The recording plan: TOML in a file, the same tables as JSON on the server (docs/formats.md)."""

from __future__ import annotations

import json
import math
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from vigilant.core import CoreError, Policy
from vigilant.core.looks import FIRST_LOOK, MOST_PAIRS

from . import limits
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
    raw = _read_toml(path)
    if recording:
        raw["recording"] = {**_table(raw, "recording", str(path)), **recording}
    return parse_plan(raw, path.parent, str(path))


def parse_plan(raw: Mapping[str, Any], base: Path, where: str = "plan") -> Plan:
    """Check a plan. ``cwd`` of an arm is taken from ``base``. Raises :class:`PlanError`."""
    check_values(raw, where)
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
    switching, until_decided = (_true(recording, key, where) for key in ("switching", "until_decided"))
    if switching and not one_way:
        raise PlanError(
            f"{where}: a subject that switches arms is started one way for all of them, without an empty arm"
        )
    blank = _true(recording, "blank", where)
    if blank and not (one_way and len(arms) == 2 and len({arm.observers for arm in arms}) == 1):
        raise PlanError(f"{where}: a blank test has two arms that are one build, started one way")
    if blank and (switching or until_decided):
        raise PlanError(f"{where}: a blank test has a fixed number of runs and starts its subject for each")
    made_of = f"Blank test, {arms[0].name} and {arms[1].name}" if blank else f"{arms[1].name} against {arms[0].name}"
    name = _text(scenario, "name", where, limits.LABEL)
    if not name:
        raise PlanError(f"{where}: [scenario] needs a name")
    number = entry.get("number")
    if number is not None and (isinstance(number, bool) or not isinstance(number, int) or not 0 < number < 2**31):
        raise PlanError(f"{where}: the number of an entry must be a whole number from 1, got {number!r}")
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
        conditions=_sheet(conditions, where),
        title=_text(entry, "title", where, limits.TITLE) or made_of[: limits.TITLE],
        why=_text(entry, "why", where, limits.REASON),
        expected=_text(entry, "expected", where, limits.EXPECTED),
        rig_alias=_text(_table(raw, "rig", where), "alias", where, limits.ALIAS),
        server_url=_text(server, "url", where, limits.ARGUMENT) or None,
        book=_text(server, "book", where, limits.LABEL) or None,
        base=base,
        raw=raw,
    )


def plan_policy(scenario: Mapping[str, Any], policy: Mapping[str, Any], where: str = "plan") -> Policy:
    """The policy that a scenario's and a policy's table make. Raises :class:`PlanError`."""
    try:
        return Policy(
            target_fps=scenario.get("target_fps"),
            trim_s=scenario.get("warm_up_s", 0.0),
            settle=scenario.get("settle"),
            legs=scenario.get("legs", ()),
            **policy,
        )
    except (CoreError, TypeError) as error:
        raise PlanError(f"{where}: {error}") from error


def check_values(raw: Any, where: str) -> None:
    """Every text, list, key and number of a document within the limits, whatever it stands for, so that
    it can be stored, started and read again. Raises :class:`PlanError`."""
    level: list[tuple[str, Any]] = [("", raw)]
    for _ in range(limits.JSON_DEPTH):
        below: list[tuple[str, Any]] = []
        for name, value in level:
            if isinstance(value, Mapping):
                below += [(f"{name}.{key}".lstrip("."), v) for key, v in value.items()]
                for key in value:
                    if not isinstance(key, str) or len(key) > limits.KEY or "\x00" in key:
                        raise PlanError(f"{where}: {str(key)[:40]!r} cannot be a key of {name or 'a plan'}")
            elif isinstance(value, (list, tuple)):
                if len(value) > limits.ARGUMENTS:
                    raise PlanError(f"{where}: {name} has {len(value)} values; {limits.ARGUMENTS} are allowed")
                below += [(name, v) for v in value]
            else:
                _check_value(name, value, where)
        if not below:
            break
        level = below
    else:
        raise PlanError(f"{where}: nested deeper than {limits.JSON_DEPTH} levels")
    if (size := len(json.dumps(raw))) > limits.PLAN_BYTES:
        raise PlanError(f"{where}: {size} bytes; {limits.PLAN_BYTES} are allowed")


def _check_value(name: str, value: Any, where: str) -> None:
    if isinstance(value, str):
        if len(value) > limits.ARGUMENT:
            raise PlanError(f"{where}: {name} has {len(value)} characters; {limits.ARGUMENT} are allowed")
        if "\x00" in value:
            raise PlanError(f"{where}: {name} holds a NUL, which no program can be given")
        try:
            value.encode()
        except UnicodeEncodeError:
            raise PlanError(f"{where}: {name} holds half of a surrogate pair") from None
    elif isinstance(value, int):
        if not -(2**63) <= value < 2**63:
            raise PlanError(f"{where}: {name} is beyond 64 bits")
    elif isinstance(value, float):
        if not math.isfinite(value):
            raise PlanError(f"{where}: {name} must be finite, got {value!r}")
    elif value is not None:
        raise PlanError(f"{where}: {name} is a {type(value).__name__}; texts, numbers and lists are known")


def _read_toml(path: Path) -> dict[str, Any]:
    """Raises :class:`PlanError`."""
    try:
        with path.open("rb") as file:
            content = file.read(limits.PLAN_BYTES + 1)
        if len(content) > limits.PLAN_BYTES:
            raise PlanError(f"{path}: over {limits.PLAN_BYTES} bytes")
        return tomllib.loads(content.decode())
    except OSError as error:
        raise PlanError(f"{path}: cannot be read: {error.strerror}") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise PlanError(f"{path}: not TOML: {error}") from error


def _text(table: Mapping[str, Any], key: str, where: str, most: int) -> str:
    value = table.get(key, "")
    if not isinstance(value, str):
        raise PlanError(f"{where}: {key} must be a text, got {value!r}")
    if len(value) > most:
        raise PlanError(f"{where}: {key} has {len(value)} characters; {most} are allowed")
    return value


def _sheet(table: Mapping[str, Any], where: str) -> dict[str, str]:
    if len(table) > limits.SHEET_KEYS:
        raise PlanError(f"{where}: {len(table)} conditions; {limits.SHEET_KEYS} are allowed")
    sheet = {str(k): str(v) for k, v in table.items()}
    for key, value in sheet.items():
        if len(value) > limits.VALUE:
            raise PlanError(f"{where}: condition {key!r} has {len(value)} characters; {limits.VALUE} are allowed")
    return sheet


def _true(table: Mapping[str, Any], key: str, where: str) -> bool:
    value = table.get(key, False)
    if not isinstance(value, bool):
        raise PlanError(f"{where}: {key} must be true or false, got {value!r}")
    return value


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
    raw = _read_toml(path)
    check_values(raw, str(path))
    table = _table(raw, "subjects", str(path))
    if len(table) > limits.SUBJECTS or any(len(name) > limits.ALIAS for name in table):
        raise PlanError(f"{path}: at most {limits.SUBJECTS} subjects with names of at most {limits.ALIAS} characters")
    return {str(name): _strings(table, name, str(path)) for name in table}


def _table(raw: Mapping[str, Any], name: str, where: str) -> Mapping[str, Any]:
    table = raw.get(name, {})
    if not isinstance(table, Mapping):
        raise PlanError(f"{where}: [{name}] must be a table, got {table!r}")
    return table


def _number(table: Mapping[str, Any], key: str, default: float, where: str, least: float) -> float:
    value = table.get(key, default)
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not least <= value < limits.SECONDS:
        raise PlanError(f"{where}: {key} must be a number from {least:g} to below {limits.SECONDS:,.0f}, got {value!r}")
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
    if set(table) != {"knob", "values"} or not isinstance(knob, str) or not 0 < len(knob) <= 30:
        raise PlanError(f"{where}: load needs a knob (a name of up to 30 characters) and values, got {dict(table)!r}")
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
        start_counter=_text(recording, "start_counter", where, limits.NAME),
        files=_strings(recording, "files", where),
        by_hand=played == BY_HAND,
        switching=_true(recording, "switching", where),
        until_decided=_true(recording, "until_decided", where),
        discard_s=_number(recording, "discard_s", 0.5, where, least=0.0),
    )


def _arms(raw: Any, base: Path, where: str) -> tuple[Arm, ...]:
    tables = raw if isinstance(raw, list) else []
    for table in tables:
        if not isinstance(table, Mapping):
            raise PlanError(f"{where}: an [[arm]] must be a table, got {table!r}")
    played = [a for a in tables if not _true(a, "empty", where)]
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


def _arm(raw: Mapping[str, Any], label: str, base: Path, where: str) -> Arm:
    if set(raw) - _ARM:
        raise PlanError(
            f"{where}: unknown key {sorted(set(raw) - _ARM)[0]!r} in [[arm]]; known: {', '.join(sorted(_ARM))}"
        )
    subject = _text(raw, "subject", where, limits.ALIAS)
    command = raw.get("command")
    if bool(command) == bool(subject):
        raise PlanError(f"{where}: arm {label} needs a command or a subject, one of them")
    if command and (not isinstance(command, list) or not all(isinstance(c, str) for c in command)):
        raise PlanError(f"{where}: the command of arm {label} must be a list of strings, got {command!r}")
    env = raw.get("env", {})
    if not isinstance(env, Mapping):
        raise PlanError(f"{where}: env of arm {label} must be a table, got {env!r}")
    if odd := [k for k in env if not k or "=" in k]:
        raise PlanError(f"{where}: env of arm {label} cannot hold a variable named {odd[0]!r}")
    cores = raw.get("cores", [])
    if not isinstance(cores, list) or not all(type(c) is int and 0 <= c < 4096 for c in cores):
        raise PlanError(f"{where}: cores of arm {label} must be a list of core numbers, got {cores!r}")
    return Arm(
        label=label,
        name=_text(raw, "name", where, limits.LABEL) or label,
        command=tuple(command or ()),
        subject=subject,
        arguments=_strings(raw, "arguments", where),
        env={str(k): str(v) for k, v in env.items()},
        cwd=base / _text(raw, "cwd", where, limits.ARGUMENT),
        cores=tuple(cores),
        observers=_strings(raw, "observers", where),
    )
