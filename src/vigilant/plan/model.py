"""A plan as the recorder follows it: checked, its defaults filled in, what its tables mean together."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from pydantic import ValidationError

from vigilant.core import CoreError, Policy
from vigilant.core.looks import FIRST_LOOK, MOST_PAIRS
from vigilant.core.sheet import BY_HAND
from vigilant.core.trend.hunt import FIRST
from vigilant.core.vary.choose import FIRST_PASSES, MOST_RUNS
from vigilant.formats import limits
from vigilant.formats.errors import PlanError

from .armref import EMPTY, ArmRef
from .faults import refused
from .read import check_values, read_toml
from .sweeps import check_swept, line_of
from .switches import Account, account_of, check_combined, check_screening, with_arms
from .tables import MOST_ARMS, TOGETHER, ArmTable, Definition, PlanTables, RecordingTable

#: Runs an arm where nothing is said.
RUNS = 5
MOST_LOOKED_AT = 60
TITLES = {
    "switched": "Switched off one at a time",
    "untangled": "Which of them helped?",
    "mixture": "Do the loads add up?",
    "ramp": "How much does it carry?",
    "trade": "Few rich, or many simple?",
    "knob": "Which value is best?",
    "cores": "What do more cores bring?",
    "hunt": "Which build did it?",
    "line": "One build more on its line",
    "matrix": "Does it hold everywhere?",
}


@dataclass(frozen=True)
class Arm:
    """How the subject of one arm is started.

    ``label`` is "before" for the first arm, "after" for the second, "after 2" ... for further
    ones and "empty" for the empty arm. ``tap`` records it as it is; ``page`` is opened in a visitor's browser; with ``listen``
    its frames come over the network, and without a command a person starts it. ``off`` and ``cures`` are the switch that it tries. ``subject`` names a program that the recorder's machine
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
    tap: bool = False
    page: str = ""
    listen: bool = False
    off: str = ""
    cures: str = ""
    on: tuple[str, ...] | None = None
    value: float | None = None
    side: str = ""
    richness: float | None = None

    @property
    def line(self) -> str:
        """Which line of swept values it belongs to."""
        return line_of(self.side, self.richness)


@dataclass(frozen=True)
class Bench:
    """What the recorder sees to besides starting subjects. Shares are of one core."""

    retries: int
    quiet_share: float | None
    quiet_wait_s: float
    reset: tuple[str, ...]
    same_start: tuple[str, ...]
    start_counter: str
    files: tuple[str, ...]
    by_hand: bool
    switching: bool
    discard_s: float
    until_decided: bool


@dataclass(frozen=True)
class Load:
    """How much the subject is given to do: ``value`` of ``knob``, one of the scenario's values."""

    knob: str
    value: float

    def __str__(self) -> str:
        return f"{self.value:g} {self.knob}"


@dataclass(frozen=True)
class Choosing:
    """Levels of a ramp are chosen one after the other until half of the capacity's interval is within ``wish_pct`` per cent, or
    ``most_runs`` are recorded; none is over ``most_load``."""

    wish_pct: float
    most_runs: int
    most_load: float


@dataclass(frozen=True)
class Plan:
    """A checked plan; ``raw`` is the plan as read. Times in seconds."""

    scenario: str
    arms: tuple[Arm, ...]
    policy: Policy
    duration_s: float
    warm_up_s: float
    cool_down_s: float
    seed: int
    load: Load | None
    runs: int
    order_seed: int | None
    order: str
    timeout_s: float
    bench: Bench
    conditions: Mapping[str, str]
    title: str
    why: str
    expected: str
    rig_alias: str
    server_url: str | None
    book: str | None
    base: Path
    raw: Mapping[str, Any]
    choosing: Choosing | None = None

    @property
    def run_s(self) -> float:
        """How long one run is meant to play, warm-up included."""
        return self.warm_up_s + self.duration_s

    @property
    def account(self) -> Account:
        """What comes of it where that is no entry: an account of features switched off one at a time, or of changes untangled."""
        return account_of(self.raw)

    @property
    def in_one_run(self) -> tuple[float, ...]:
        """The loads that every run of it plays, each in a leg; none of any other plan."""
        sweep = self.raw.get("sweep") or {}
        return tuple(map(float, sweep["values"])) if sweep.get("in_one_run") else ()

    @property
    def visited(self) -> bool:
        """Whether its arms are pages that a visitor's own browser plays."""
        return any(arm.page for arm in self.arms)


def load_plan(path: Path, recording: Mapping[str, Any] | None = None, build: str | None = None) -> Plan:
    """Read a plan file; ``recording`` replaces keys of that table, and with a ``build`` it is recorded for its line. Raises
    :class:`PlanError`."""
    raw = read_toml(path)
    if build is not None:
        raw["line"] = {"build": build}
    if recording:
        own = raw.get("recording", {})
        raw["recording"] = {**own, **recording} if isinstance(own, Mapping) else own
    return parse_plan(raw, path.parent, str(path))


def parse_plan(raw: Any, base: Path, where: str = "plan") -> Plan:
    """Check a plan: every fault of its tables is named, then what they mean together. ``cwd`` of an arm is taken
    from ``base``. Raises :class:`PlanError`."""
    check_values(raw, where)
    try:
        tables = PlanTables.model_validate(raw)
        raw = with_arms(raw, where)
        tables = PlanTables.model_validate(raw)
    except ValidationError as error:
        raise refused(error, PlanTables, where) from None
    scenario, recording, entry = tables.scenario, tables.recording, tables.entry
    arms = _arms(tables.arm, base, where, 1 if tables.line or (tables.sweep and tables.sweep.in_one_run) else 2)
    _check_starts(recording, arms, tables.cell is not None, where)
    made_of = (
        f"Blank test, {arms[0].name} and {arms[1].name}"
        if recording.blank
        else TITLES[account_of(raw)]
        if account_of(raw)
        else f"{arms[1].name} against {arms[0].name}"
    )
    run_s = scenario.duration_s + scenario.warm_up_s
    return Plan(
        scenario=scenario.name,
        arms=arms,
        policy=plan_policy(raw["scenario"], raw.get("policy", {}), where),
        duration_s=scenario.duration_s,
        warm_up_s=scenario.warm_up_s,
        cool_down_s=scenario.cool_down_s,
        seed=scenario.seed,
        load=_load(tables, where),
        runs=_first_runs(tables, arms, where),
        order_seed=recording.order_seed,
        order=recording.order,
        timeout_s=recording.timeout_s or _patience_s(recording, run_s),
        bench=_bench(recording),
        conditions=_sheet(tables.conditions, where),
        title=entry.title or made_of[: limits.TITLE],
        why=entry.why,
        expected=entry.expected,
        rig_alias=tables.rig.alias,
        server_url=tables.server.url or None,
        book=tables.server.book or None,
        base=base,
        raw=raw,
        choosing=_choosing(tables, where),
    )


def check_definition(name: str, definition: Mapping[str, Any]) -> None:
    """A scenario's definition, as a plan of it would be checked. Raises :class:`PlanError`."""
    stated = {k: v for k, v in definition.items() if v is not None}
    check_values(stated, "the scenario")
    try:
        Definition.model_validate(stated)
    except ValidationError as error:
        raise refused(error, Definition, whole="a scenario") from None
    scenario = {"name": name, **{k: v for k, v in stated.items() if k != "policy"}}
    arms = [{"name": arm, "subject": "any"} for arm in ("before", "after")]
    parse_plan({"scenario": scenario, "policy": stated.get("policy", {}), "arm": arms}, Path(), "the scenario")


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


def _check_starts(recording: RecordingTable, arms: Sequence[Arm], cell: bool, where: str) -> None:
    """What the ways of recording ask of the arms."""
    if any(arm.page for arm in arms):
        _check_visited(recording, arms, where)
    if cell and (
        len(arms) != 2
        or recording.blank
        or any(a.value is not None or a.on is not None or a.off or a.cures for a in arms)
    ):
        raise PlanError(f"{where}: the cell of a matrix has two arms, before and after the change")
    if any(arm.value is not None for arm in arms):
        check_swept(arms, where)
    elif any(arm.on is not None for arm in arms):
        check_combined(arms, recording.switches == TOGETHER, where)
    elif any(arm.off or arm.cures for arm in arms):
        check_screening(arms, where)
    starts = {
        (
            arm.command,
            arm.subject,
            arm.arguments,
            tuple(sorted(arm.env.items())),
            arm.cores,
            arm.tap,
            arm.page,
            arm.listen,
        )
        for arm in arms
    }
    one_way = len(starts) == 1 and not any(arm.label == EMPTY for arm in arms)
    if recording.switching and not one_way:
        raise PlanError(
            f"{where}: a subject that switches arms is started one way for all of them, without an empty arm"
        )
    if recording.switching and any(arm.tap for arm in arms):
        raise PlanError(
            f"{where}: a subject that switches arms says so in its stream; a tapped one has none of its own"
        )
    if any(arm.listen for arm in arms) and (recording.switching or any(arm.tap for arm in arms)):
        raise PlanError(
            f"{where}: what comes over the network is one arm's own stream: it is neither switched nor tapped"
        )
    if recording.blank and not (one_way and len(arms) == 2 and len({arm.observers for arm in arms}) == 1):
        raise PlanError(f"{where}: a blank test has two arms that are one build, started one way")
    if recording.blank and (recording.switching or recording.until_decided):
        raise PlanError(f"{where}: a blank test has a fixed number of runs and starts its subject for each")


def _check_visited(recording: RecordingTable, arms: Sequence[Arm], where: str) -> None:
    """What nobody is there to see to, where a page plays in a visitor's own browser."""
    if not all(arm.page for arm in arms):
        raise PlanError(f"{where}: either all arms are pages in a visitor's own browser, or none is")
    seen_to = {
        "switching": recording.switching,
        "until_decided": recording.until_decided,
        "played by hand": recording.played == BY_HAND,
        "reset": recording.reset,
        "same_start": recording.same_start,
        "start_counter": recording.start_counter,
        "files": recording.files,
        "quiet_share": recording.quiet_share,
    }
    if asked := [name for name, value in seen_to.items() if value]:
        raise PlanError(f"{where}: {asked[0]} needs a recorder; in a visitor's own browser there is none")


def _sheet(conditions: Mapping[str, Any], where: str) -> dict[str, str]:
    sheet = {key: str(value) for key, value in conditions.items()}
    for key, value in sheet.items():
        if len(value) > limits.VALUE:
            raise PlanError(f"{where}: condition {key!r} has {len(value)} characters; {limits.VALUE} are allowed")
    return sheet


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
            arm = replace(arm, command=(*subjects[arm.subject], *arm.arguments))
        arms.append(arm)
    return replace(plan, arms=tuple(arms))


def as_blank(plan: Plan) -> Plan:
    """The plan with its first arm as both arms: a blank test."""
    first = plan.arms[0]
    arms = (replace(first, name="once"), replace(first, label="after", name="again"))
    bench = replace(plan.bench, until_decided=False, switching=False)
    return replace(plan, arms=arms, bench=bench, title=f"Blank test of {first.name}")


def _choosing(tables: PlanTables, where: str) -> Choosing | None:
    sweep = tables.sweep
    if sweep is None or sweep.until_pct is None:
        return None
    if tables.scenario.target_fps is None:
        raise PlanError(f"{where}: levels are chosen around a budget: the scenario needs a target")
    if tables.recording.runs not in (None, FIRST_PASSES):
        raise PlanError(
            f"{where}: levels that are chosen begin with {FIRST_PASSES} runs each; [recording] runs cannot say otherwise"
        )
    return Choosing(sweep.until_pct, sweep.most_runs or MOST_RUNS, sweep.most_value or math.inf)


def _first_runs(tables: PlanTables, arms: Sequence[Arm], where: str) -> int:
    """Runs of each arm that the recording begins with."""
    if tables.hunt:
        return FIRST
    if tables.sweep and tables.sweep.until_pct is not None:
        return FIRST_PASSES
    return _runs(tables.recording, arms, where)


def _runs(recording: RecordingTable, arms: Sequence[Arm], where: str) -> int:
    """Runs an arm; the most of them where the recording ends once it is decided."""
    if not recording.until_decided:
        return recording.runs or RUNS
    if sum(arm.label != EMPTY for arm in arms) != 2:
        raise PlanError(f"{where}: until_decided is for two arms")
    most = recording.runs or MOST_PAIRS
    if not FIRST_LOOK < most <= MOST_LOOKED_AT:
        raise PlanError(
            f"{where}: [recording] runs must be from {FIRST_LOOK + 1} to {MOST_LOOKED_AT} until it is decided, got {most}"
        )
    return most


def _load(tables: PlanTables, where: str) -> Load | None:
    """The load of a recording: what it asks for, else the first of the scenario's values."""
    load, asked = tables.scenario.load, tables.recording.load
    if load is None:
        if asked is not None:
            raise PlanError(f"{where}: the scenario has no load, so [recording] cannot choose one")
        return None
    value = load.values[0] if asked is None else asked
    if value not in load.values:
        known = ", ".join(f"{v:g}" for v in load.values)
        raise PlanError(f"{where}: load {value:g} is none of the scenario's; it has {known}")
    return Load(load.knob, float(value))


def _patience_s(recording: RecordingTable, run_s: float) -> float:
    """How long a run may take where the plan does not say: a person may play for an hour."""
    return 3600.0 if recording.played == BY_HAND else 2.0 * run_s + 30.0


def _bench(recording: RecordingTable) -> Bench:
    return Bench(
        retries=recording.retries,
        quiet_share=recording.quiet_share,
        quiet_wait_s=recording.quiet_wait_s,
        reset=tuple(recording.reset),
        same_start=tuple(recording.same_start),
        start_counter=recording.start_counter,
        files=tuple(recording.files),
        by_hand=recording.played == BY_HAND,
        switching=recording.switching,
        discard_s=recording.discard_s,
        until_decided=recording.until_decided,
    )


def _arms(tables: Sequence[ArmTable], base: Path, where: str, least: int) -> tuple[Arm, ...]:
    played = [a for a in tables if not a.empty]
    if len(played) < least:
        raise PlanError(f"{where}: a plan needs two [[arm]] tables, before and after; there are {len(played)}")
    if len(tables) - len(played) > 1:
        raise PlanError(f"{where}: a plan has one empty arm at most and {MOST_ARMS} arms; there are {len(tables)}")
    arms = [_arm(table, ArmRef.at(i).label, base, where) for i, table in enumerate(played)]
    arms += [_arm(table, EMPTY, base, where) for table in tables if table.empty]
    names = [arm.name for arm in arms]
    if len(set(names)) != len(names):
        raise PlanError(f"{where}: two arms have one name: {', '.join(names)}")
    return tuple(arms)


def _arm(table: ArmTable, label: str, base: Path, where: str) -> Arm:
    named = bool(table.command) + bool(table.subject) + bool(table.page)
    if named != 1 and not (table.listen and named == 0):
        raise PlanError(f"{where}: arm {label} needs a command, a subject or a page, one of them")
    if table.page:
        _check_page(table, label, where)
    if odd := [k for k in table.env if not k or "=" in k]:
        raise PlanError(f"{where}: env of arm {label} cannot hold a variable named {odd[0]!r}")
    return Arm(
        label=label,
        name=table.name or label,
        command=tuple(table.command),
        subject=table.subject,
        arguments=tuple(table.arguments),
        env={key: str(value) for key, value in table.env.items()},
        cwd=base / table.cwd,
        cores=tuple(table.cores),
        observers=tuple(table.observers),
        tap=table.tap,
        page=table.page,
        listen=table.listen,
        off=table.off,
        cures=table.cures,
        on=None if table.on is None else tuple(table.on),
        value=table.value,
        side=table.side,
        richness=table.richness,
    )


def _check_page(table: ArmTable, label: str, where: str) -> None:
    page_origin(table.page, f"{where}: the page of arm {label}")
    if table.tap or table.listen or table.arguments or table.env or table.cores or table.cwd:
        raise PlanError(
            f"{where}: arm {label} is a page: its browser is not ours to start, so that it has neither tap, listen, arguments, env, cores nor cwd"
        )


def page_origin(address: str, what: str = "the page") -> str:
    """The origin of a page, as browsers say it. Raises :class:`PlanError` for what is no address of one."""
    try:
        parts = urlsplit(address)
        host, port = parts.hostname, parts.port
    except ValueError as error:
        raise PlanError(f"{what} is no address: {error}") from error
    if parts.scheme not in ("http", "https") or not host or not host.isascii() or any(c.isspace() for c in address):
        raise PlanError(f"{what} must be an address that begins with http:// or https://, got {address[:80]!r}")
    if parts.username is not None or parts.fragment:
        raise PlanError(f"{what} must have neither a name before its host nor a # part, which says who is asked")
    named = f"[{host}]" if ":" in host else host
    usual = {"http": 80, "https": 443}[parts.scheme]
    return f"{parts.scheme}://{named}" + (f":{port}" if port not in (None, usual) else "")
