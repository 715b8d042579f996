"""What was measured of each build: the complete runs of a scenario whose build has a place in the order, by rig and set-up."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

from django.db.models import Q

from vigilant.core.audit.conditions import keys_to_match
from vigilant.core.figures import FIGURES
from vigilant.core.sheet import AWAY, CLOCK
from vigilant.core.trend import FOLLOWED, successions
from vigilant.server.runs.plans import policy_of
from vigilant.server.scenarios.models import Build, Conditions, Rig, Scenario, ScenarioVersion
from vigilant.server.scenarios.services import fingerprint

from .build_runs import RecordedWay, Runs, recorded_ways
from .ordering import places_of

#: What a set-up is called that a refresh cap holds.
HELD = "held at the refresh"


@dataclass(frozen=True, eq=False)
class Setup:
    """A version of a scenario, a rig as it was, the conditions that must match, and whether a refresh cap held most of the runs.
    ``facts`` are all of that by name, to say what a break is about."""

    key: str
    version: int
    facts: Mapping[str, str]


@dataclass(frozen=True, eq=False)
class Measurement:
    """The runs of one build on one set-up, of one session (recording) or several."""

    build: str
    place: int
    setup: str
    runs: Runs


@dataclass(frozen=True, eq=False)
class RigLine:
    """The measurements on one rig whose set-ups follow each other, in build order; ``chain`` numbers the lines of the rig. ``rig`` is the
    rig's first row, by which addresses name it."""

    rig: Rig
    chain: int
    setups: Mapping[str, Setup]
    measurements: tuple[Measurement, ...]

    @property
    def newest(self) -> int:
        return max(m.place for m in self.measurements)

    def holds(self, build: str, recording: UUID) -> bool:
        """Whether runs of this build and recording are among its measurements."""
        return any(m.build == build and len(m.runs.of(recording)) for m in self.measurements)


@dataclass(frozen=True, eq=False)
class Gathered:
    """All lines of a scenario, and how many runs were left out of them, by reason."""

    scenario: Scenario
    version: ScenarioVersion
    lines: Sequence[RigLine]
    left_out: Mapping[str, int]

    def of_rig(self, rig: Rig) -> list[RigLine]:
        return [one for one in self.lines if same_rig(one.rig, rig)]


def same_rig(one: Rig, other: Rig) -> bool:
    """Rigs of one alias are one rig, whose facts may have changed; one without an alias is itself alone."""
    return one.alias == other.alias if one.alias else one.pk == other.pk


def on_same_rig(rig: Rig) -> Q:
    """The same of what has a rig, for the database."""
    return Q(rig__alias=rig.alias) if rig.alias else Q(rig=rig)


@dataclass
class _Reading:
    """What is looked up once while runs are gathered."""

    versions: Mapping[int, ScenarioVersion]
    rigs: Mapping[int, Rig]
    sheets: Mapping[int, Mapping[str, str]]
    matched: dict[tuple[int, int], dict[str, str]] = field(default_factory=dict)
    known: dict[tuple[int, int, int, bool], Setup] = field(default_factory=dict)

    def setup(self, way: RecordedWay) -> Setup:
        own = way.version, way.rig, way.conditions, way.held
        if own not in self.known:
            facts = self.facts(*own)
            self.known[own] = Setup(fingerprint(facts), self.versions[way.version].number, facts)
        return self.known[own]

    def facts(self, version: int, rig: int, sheet: int, held: bool) -> dict[str, str]:
        if (version, sheet) not in self.matched:
            own = self.sheets[sheet]
            keys = {*keys_to_match([own], policy_of(self.versions[version].definition)), "frame_is", CLOCK}
            self.matched[version, sheet] = {key: own[key] for key in sorted(keys) if key in own}
        facts = {f"rig: {key}": value for key, value in sorted(self.rigs[rig].facts.items())}
        return {
            "version": str(self.versions[version].number),
            **facts,
            **self.matched[version, sheet],
            HELD: "yes" if held else "no",
        }


def gathered(scenario: Scenario, newest: str = "") -> Gathered:
    """Every line of a scenario that has a version. A build counts by the name its runs were recorded under; ``newest`` is taken for the
    newest where it has no place yet."""
    version = scenario.versions.order_by("-number")[0]
    places = places_of(scenario.book_id)
    if newest:
        places.setdefault(newest, 1 + max(places.values(), default=-1))
    labels = {
        key: label
        for key, label in Build.objects.filter(book=scenario.book_id).values_list("pk", "label")
        if label in places
    }
    ways = recorded_ways(scenario, labels)
    reading = _Reading(
        {v.pk: v for v in scenario.versions.all()},
        Rig.objects.in_bulk({way.rig for way in ways}),
        {c.pk: c.facts for c in Conditions.objects.filter(pk__in={way.conditions for way in ways})},
    )
    away = {pk for pk, sheet in reading.sheets.items() if any(sheet.get(key) == value for key, value in AWAY.items())}
    taken = [(labels[way.build], way) for way in ways if len(way.runs) and way.conditions not in away]
    left_out = Counter({
        "of a window that was not in front": sum(len(way.runs) for way in ways if way.conditions in away),
        "broken": sum(way.broken for way in ways),
        "set aside": sum(way.aside for way in ways),
    })  # fmt: skip
    return Gathered(scenario, version, _lines(taken, places, reading), +left_out)


def _lines(taken: Iterable[tuple[str, RecordedWay]], places: Mapping[str, int], reading: _Reading) -> list[RigLine]:
    by_rig: dict[str, dict[str, dict[str, list[Runs]]]] = {}
    setups: dict[str, Setup] = {}
    firsts: dict[str, Rig] = {}
    for build, way in taken:
        setup = reading.setup(way)
        setups[setup.key] = setup
        row = reading.rigs[way.rig]
        named = row.alias or str(row.pk)
        firsts[named] = min(firsts.get(named, row), row, key=lambda r: r.pk)
        by_rig.setdefault(named, {}).setdefault(setup.key, {}).setdefault(build, []).append(way.runs)
    lines = []
    for named, of_setup in sorted(by_rig.items()):
        keys = list(of_setup)
        for chain, members in enumerate(successions([[places[b] for b in of_setup[key]] for key in keys])):
            own = [keys[i] for i in members]
            found = [
                Measurement(build, places[build], key, Runs.together(runs))
                for key in own
                for build, runs in of_setup[key].items()
            ]
            lines.append(RigLine(firsts[named], chain, {k: setups[k] for k in own}, tuple(sorted(found, key=lambda m: m.place))))  # fmt: skip
    return lines


def watched(version: ScenarioVersion) -> tuple[list[str], list[str]]:
    """The figures that carry the scenario's verdict and have a line, and those that have none."""
    policy = policy_of(version.definition)
    wanted = [name for name in policy.primaries if policy.target_fps is not None or not FIGURES[name].needs_target]
    return [n for n in wanted if n in FOLLOWED], [n for n in wanted if n not in FOLLOWED]
