"""The written form of a plan: its tables, the limits of their values, and every default, once.

The same models check a plan file, a plan sent to the server and a scenario's definition, and describe
them in the API's schema.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, WithJsonSchema

from vigilant.core.guards import MARGIN
from vigilant.core.policy import DEFAULT_PRIMARIES
from vigilant.formats import limits

BY_ITSELF: Literal["by itself"] = "by itself"
MOST_ARMS = 33
#: Values of a sweep; two arms of it make twice as many.
MOST_LEVELS = 16
#: How the switches of a plan are recorded: each off alone, or the combinations of a design.
ONE_AT_A_TIME: Literal["one at a time"] = "one at a time"
COMBINED: Literal["in combinations"] = "in combinations"
#: Loads, and no changes: none of them, each by itself, and all of them at once.
TOGETHER: Literal["alone and together"] = "alone and together"
#: What builds differ by beside their runs, per cent, where nothing is said.
SPREAD_PCT = 0.2
#: Richnesses that a load is ramped at.
MOST_RICHNESSES = 8


def _plain(value: Any) -> Any:
    if not isinstance(value, (str, int, float, bool)):
        raise ValueError("must be a text, a number, or true or false")
    return value


def _table_of_name(value: Any) -> Any:
    return {"name": value} if isinstance(value, str) else value


#: A value of a sheet as it may be written; it is kept as text.
Plain = Annotated[
    Any, BeforeValidator(_plain), WithJsonSchema({"type": ["string", "number", "integer", "boolean"]})
]  # fmt: skip
Name = Annotated[str, Field(min_length=1, max_length=limits.NAME)]
Argument = Annotated[str, Field(max_length=limits.ARGUMENT)]
Arguments = Annotated[list[Argument], Field(max_length=limits.ARGUMENTS)]
Names = Annotated[list[str], Field(max_length=limits.ARGUMENTS)]
Seconds = Annotated[float, Field(ge=0, lt=limits.SECONDS)]
Positive = Annotated[float, Field(gt=0, lt=1e6)]


class Table(BaseModel):
    """A table of a plan: known keys alone, values of their own kind."""

    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)


SwitchName = Annotated[str, Field(max_length=limits.NAME)]


class LegTable(Table):
    """A stretch of the course: from ``from_s`` on, or from the mark of its name."""

    name: Name
    from_s: Seconds | None = None
    play: bool = True


class SettleTable(Table):
    """A run counts from where ``counter`` changes by less than ``within`` for ``for_s`` seconds."""

    counter: Name
    within: Annotated[float, Field(gt=0, lt=1e4)] = 0.01
    for_s: Annotated[float, Field(gt=0, lt=1e4)] = 2.0


class LoadTable(Table):
    """How much the subject is given to do: a knob and the values it is recorded at."""

    knob: Annotated[str, Field(min_length=1, max_length=30)]
    values: Annotated[list[Seconds], Field(min_length=1, max_length=limits.ARGUMENTS)]


class GuardTable(Table):
    """A side figure that must not get worse; a name alone is enough."""

    name: Name
    higher_is_better: bool = False
    margin: Positive | None = Field(None, description=f"a share of the level; {MARGIN:g} where nothing is said")


GuardOrName = Annotated[
    GuardTable,
    BeforeValidator(_table_of_name),
    WithJsonSchema({"anyOf": [{"type": "string"}, GuardTable.model_json_schema()]}),
]


class PolicyTable(Table):
    """What a comparison is judged by."""

    primaries: Annotated[list[str], Field(min_length=1, max_length=100)] = list(DEFAULT_PRIMARIES)
    margins: dict[str, Positive] = {}
    late_tolerance: Annotated[float, Field(ge=0, lt=10)] = 0.05
    must_match: Names = []
    may_differ: Names = []
    change: Names = []
    witnesses: Names = []
    guards: Annotated[list[GuardOrName], Field(max_length=100)] = []


class ScenarioDefinition(Table):
    """What makes a version of a scenario, beside its policy. Times in seconds."""

    target_fps: Annotated[float, Field(gt=0, lt=100_000)] | None = None
    duration_s: Annotated[float, Field(ge=0.1, lt=limits.SECONDS)] = 120.0
    warm_up_s: Seconds = 0.0
    cool_down_s: Seconds = 0.0
    seed: Annotated[int, Field(ge=-(2**31), le=2**31)] = 0
    legs: Annotated[list[LegTable], Field(max_length=limits.ARGUMENTS)] = []
    settle: SettleTable | None = None
    kind: Annotated[str, Field(max_length=limits.LABEL)] | None = None
    load: LoadTable | None = None


class ScenarioTable(ScenarioDefinition):
    name: Annotated[str, Field(min_length=1, max_length=limits.LABEL)]


class Definition(ScenarioDefinition):
    """A scenario's definition as it is stored and edited: its keys, and the policy among them."""

    policy: PolicyTable = PolicyTable()


class ArmTable(Table):
    """How the subject of one arm is started: by a command, or by a name that the recorder's machine knows. ``tap``
    records it as it is, by the frames it presents. ``page`` is the address of a page that reports by itself, in a
    visitor's own browser. With ``listen`` its frames come over the network, from a program that the command starts
    elsewhere, or a person does. ``off`` names the switch that is off in this arm alone, ``cures`` the one that it is a cheaper
    way of, ``on`` all those that are on in it, ``value`` that of what is swept, ``side`` which of two arms and ``richness`` how rich what is
    loaded is: such arms are made of a plan's switches, or of its sweep."""

    name: Annotated[str, Field(max_length=limits.LABEL)] = ""
    command: Arguments = []
    subject: Annotated[str, Field(max_length=limits.ALIAS)] = ""
    arguments: Arguments = []
    env: dict[str, Plain] = {}
    cwd: Argument = ""
    cores: Annotated[list[Annotated[int, Field(ge=0, lt=4096)]], Field(max_length=limits.ARGUMENTS)] = []
    observers: Arguments = []
    empty: bool = False
    tap: bool = False
    page: Argument = ""
    listen: bool = False
    off: SwitchName = ""
    cures: SwitchName = ""
    on: Annotated[list[SwitchName], Field(max_length=MOST_ARMS)] | None = None
    value: Annotated[float, Field(ge=0, lt=1e9)] | None = None
    side: Literal["", "before", "after"] = ""
    richness: Annotated[float, Field(ge=0, lt=1e9)] | None = None


class SwitchTable(Table):
    """Something of the subject that can be switched: what is added to its arguments while it is ``off``, and for a
    ``cure``, a cheaper way of it. In combinations it is a change: what is added while it is ``on``, or else while it is off; alone and
    together a load that is there while it is on."""

    name: Annotated[str, Field(min_length=1, max_length=limits.NAME)]
    off: Arguments = []
    cure: Arguments = []
    on: Arguments = []


class RichnessTable(Table):
    """How rich that is of which there is so much: the load is ramped at every value. ``arguments`` are added, with the value for {value}."""

    name: Name
    values: Annotated[list[Annotated[float, Field(ge=0, lt=1e9)]], Field(min_length=2, max_length=MOST_RICHNESSES)]
    arguments: Arguments


class SweepTable(Table):
    """Values that one setting is recorded at, an arm each: a ``load`` that grows, of which the budget carries so much, a ``knob``
    that has a best place, or the ``cores`` that the subject may use. ``arguments`` are added, with the value for {value}; ``counter`` says
    what load there really was. With ``until_pct`` further levels of a load are chosen one after the other around the budget, until half
    of the interval is within so many per cent, ``most_runs`` are recorded, or ``most_value`` is carried. With ``richness`` a load is
    ramped at each of its values: few rich against many simple. With ``in_one_run`` every run plays all values, each in a leg of its own, in
    an order that is drawn for each run and said to the subject for {values}."""

    name: Name
    of: Literal["load", "knob", "cores"]
    values: Annotated[list[Annotated[float, Field(ge=0, lt=1e9)]], Field(min_length=2, max_length=MOST_LEVELS)]
    arguments: Arguments = []
    counter: Annotated[str, Field(max_length=limits.NAME)] = ""
    until_pct: Annotated[float, Field(ge=0.1, le=50)] | None = None
    most_runs: Annotated[int, Field(ge=8, le=400)] | None = None
    most_value: Annotated[float, Field(gt=0, lt=1e9)] | None = None
    richness: RichnessTable | None = None
    in_one_run: bool = False


class HuntTable(Table):
    """Builds, the oldest first, of which the first is good and the last is bad: the hunt records one after the other until it is certain
    with which of them the change of ``figure`` begins, or ``most_runs`` are recorded. ``command`` makes the build that {build} stands for;
    with ``neighbours`` two builds beside each other are certain enough; builds differ by ``build_spread_pct`` beside their runs."""

    builds: Annotated[list[Name], Field(min_length=2, max_length=limits.HUNT_BUILDS)]
    command: Arguments = []
    figure: Literal["mean_ms", "slowest_1pct_ms"] = "mean_ms"
    most_runs: Annotated[int, Field(ge=6, le=400)] | None = None
    neighbours: bool = False
    build_spread_pct: Annotated[float, Field(ge=0, le=20)] = SPREAD_PCT


class LineTable(Table):
    """One build recorded by itself, for its line over builds. Such a recording fills no entry."""

    build: Annotated[str, Field(min_length=1, max_length=limits.LABEL)]


class RecordingTable(Table):
    """How the arms are recorded. ``runs`` an arm, or the most of them until it is decided. ``less_work`` are the changes in combinations that
    claim to do less: with one of them witnesses may differ."""

    runs: Annotated[int, Field(ge=1, le=1000)] | None = None
    order: Literal["pairs", "mirrored"] = "pairs"
    order_seed: Annotated[int, Field(ge=0, lt=2**63)] | None = None
    timeout_s: Annotated[float, Field(ge=0.1, lt=limits.SECONDS)] | None = None
    retries: Annotated[int, Field(ge=0, le=10)] = 0
    quiet_share: Seconds | None = None
    quiet_wait_s: Seconds = 60.0
    reset: Arguments = []
    same_start: Arguments = []
    start_counter: Annotated[str, Field(max_length=limits.NAME)] = ""
    files: Arguments = []
    played: Literal["by itself", "by hand"] = BY_ITSELF
    switching: bool = False
    discard_s: Seconds = 0.5
    load: Seconds | None = None
    until_decided: bool = False
    blank: bool = False
    switches: Literal["one at a time", "in combinations", "alone and together"] = ONE_AT_A_TIME
    less_work: Annotated[list[SwitchName], Field(max_length=MOST_ARMS)] = []


class CellTable(Table):
    """The cell of a matrix that a recording is: on which size of window and in which tier. Such a recording fills no entry."""

    window: Annotated[str, Field(max_length=limits.NAME)] = ""
    tier: Annotated[str, Field(max_length=limits.NAME)] = ""


class EntryTable(Table):
    """The ledger's entry that the recording is for: the number of one that is open, or a new one's words."""

    number: Annotated[int, Field(ge=1, lt=2**31)] | None = None
    title: Annotated[str, Field(max_length=limits.TITLE)] = ""
    why: Annotated[str, Field(max_length=limits.REASON)] = ""
    expected: Annotated[str, Field(max_length=limits.EXPECTED)] = ""


class RigTable(Table):
    alias: Annotated[str, Field(max_length=limits.ALIAS)] = ""


class ServerTable(Table):
    url: Argument = ""
    book: Annotated[str, Field(max_length=limits.LABEL)] = ""


class PlanTables(Table):
    """A plan as it is written: the tables of a plan file, the same as JSON."""

    scenario: ScenarioTable
    arm: Annotated[list[ArmTable], Field(max_length=MOST_ARMS)] = []
    switch: Annotated[list[SwitchTable], Field(max_length=MOST_ARMS)] = []
    sweep: SweepTable | None = None
    hunt: HuntTable | None = None
    line: LineTable | None = None
    cell: CellTable | None = None
    recording: RecordingTable = RecordingTable()
    policy: PolicyTable = PolicyTable()
    conditions: Annotated[dict[str, Plain], Field(max_length=limits.SHEET_KEYS)] = {}
    entry: EntryTable = EntryTable()
    rig: RigTable = RigTable()
    server: ServerTable = ServerTable()
