"""What a comparison of stored runs is made of, and made from it: of runs that are named, or of a recording's slots."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from vigilant.core import Basis, CoreError, Finding, crash_rates, failed_runs
from vigilant.core.looks import MOST_PAIRS
from vigilant.plan.armref import EMPTY, held
from vigilant.server.problems import unprocessable
from vigilant.server.runs.models import ArmLabel, Outcome, Recording, Run, Slot
from vigilant.server.runs.plans import arm_name, policy_of
from vigilant.server.runs.store import read_every
from vigilant.server.scenarios.models import ScenarioVersion

from .keeping import Made
from .models import Comparison, ComparisonRun
from .stored_arms import placed, recorded_order, unlike, usable


@dataclass(frozen=True)
class Stored:
    """The runs of every arm, in the order that they are judged in; ``core`` is what the core judges."""

    arms: Mapping[str, Sequence[Run]]
    core: Basis
    version: ScenarioVersion
    recording: Recording | None = None

    @property
    def labels(self) -> list[str]:
        """The arms held against the first."""
        return [name for name in self.arms if name not in (ArmLabel.BEFORE.value, self.core.empty)]

    def made(self) -> list[Made]:
        """The comparison of each arm with the first. Raises a problem for runs that cannot be compared."""
        try:
            several = self.core.judged()
        except CoreError as error:
            raise unprocessable(error.code, str(error)) from error
        more: dict[str, Any] = {}
        blank = False
        if self.recording is None:
            more = {} if self.core.sessions is None else {"sessions_of_slots": list(self.core.sessions)}
        else:
            blank = bool(self.recording.asked("recording").get("blank"))
            if several.net:
                more["net"] = [{**asdict(n), "arm": arm_name(self.recording.plan, n.arm)} for n in several.net]
            if several.ranks:
                more["ranks"] = placed(several, {n: arm_name(self.recording.plan, n) for n in several.names})
        before = self.arms["before"]
        return [
            Made(before, self.arms[label], self.order_of(label), several.pairs["before", label], more, blank)
            for label in self.labels
        ]

    def order_of(self, label: str) -> list[str | None] | None:
        """The slots of one arm and the first, the one called *after*; slots of other arms keep their place."""
        named = {"before": "before", label: "after"}
        order = self.core.order
        return None if order is None else [named.get(arm) if arm else None for arm in order]


def of_runs(
    before: Sequence[Run],
    after: Sequence[Run],
    order: Sequence[str | None] | None,
    sessions: Sequence[int] | None = None,
) -> Stored:
    """Stored runs under the newest of their scenario versions. Raises a problem for runs that enter no arm.

    Without an ``order`` the one they were recorded in counts, if all were recorded."""
    arms: Mapping[str, Sequence[Run]] = {"before": before, "after": after}
    if order is None and (recorded := recorded_order(arms)):
        arms, order, sessions = recorded.arms, recorded.order, recorded.sessions
    version = usable([*before, *after])
    core = Basis(
        {arm: read_every(runs) for arm, runs in arms.items()},
        policy_of(version.definition),
        order,
        sessions,
        {("before", "after"): unlike(before, after)},
    )
    return Stored(arms, core, version)


# -- a recording


def tried(recording: Recording, stopped: bool) -> list[Slot]:
    slots = recording.slots.select_related("run__scenario_version__scenario", "run__rig", "run__conditions")
    return [s for s in slots if s.run is not None or not stopped]


def labels_of(recording: Recording) -> list[str]:
    """The arms held against the first, in the plan's order."""
    return held(recording.slots.values_list("arm", flat=True))


def of_slots(recording: Recording, slots: Sequence[Slot]) -> Stored:
    """Every arm of a recording against its first, in one family."""
    return _of_order(recording, slots, _order(slots))


def _order(slots: Sequence[Slot]) -> list[tuple[str, Run] | None]:
    """Arm and run of every place. The last attempt at a place counts; failed ones keep their place."""
    last = {slot.position: slot for slot in slots}
    places = [last[position] for position in sorted(last)]
    return [
        (s.arm, s.run) if s.run.state == Run.State.COMPLETE and not s.run.excluded_at else None for s in places
    ]  # fmt: skip


def _of_order(recording: Recording, slots: Sequence[Slot], order: Sequence[tuple[str, Run] | None]) -> Stored:
    arms: dict[str, list[Run]] = {}
    for arm, run in filter(None, order):
        arms.setdefault(arm, []).append(run)
    labels = labels_of(recording)
    missing = [name for name in (ArmLabel.BEFORE.value, *labels) if name not in arms]
    if missing:
        raise unprocessable("arm-empty", f"No run of arm {missing[0]} is complete; the runs are kept.")
    arms = {name: arms[name] for name in ("before", *labels, EMPTY) if name in arms}
    version = recording.scenario_version
    core = Basis(
        {name: read_every(runs) for name, runs in arms.items()},
        policy_of(version.definition),
        [place[0] if place else None for place in order],
        findings={("before", label): _outcome_findings(slots, label) for label in labels},
        look=_look(recording, min(len(arms[a]) for a in ("before", *labels))),
        empty=EMPTY if EMPTY in arms else None,
    )
    return Stored(arms, core, version, recording)


def _look(recording: Recording, pairs: int) -> tuple[int, int] | None:
    """A recording that went on until it was decided is tested at its last look's levels."""
    asked = recording.asked("recording")
    return (pairs, int(asked.get("runs", MOST_PAIRS))) if asked.get("until_decided") else None


def _outcome_findings(slots: Sequence[Slot], label: str) -> list[Finding]:
    """What all attempts at both arms say: failed runs, and crash rates that differ."""
    outcomes: dict[str, list[str]] = {"before": [], label: []}
    for slot in slots:
        if slot.arm in outcomes:
            broken = slot.outcome == Outcome.COMPLETE and slot.run.state != Run.State.COMPLETE
            outcomes[slot.arm].append(Outcome.BROKEN.value if broken else slot.outcome)

    def rate(arm: str) -> tuple[int, int]:
        judged = [o for o in outcomes[arm] if o != Outcome.SKIPPED]
        return sum(o != Outcome.COMPLETE for o in judged), len(judged)

    return [*failed_runs([o for arm in outcomes.values() for o in arm]), *crash_rates(rate("before"), rate(label))]


# -- what is kept already


def of_comparison(comparison: Comparison) -> tuple[Stored, str]:
    """What a kept comparison is made of, from the runs it rests on in their order, and the arm that is its *after*.
    Raises a problem where they cannot be compared any more."""
    arms = {label: _arm(comparison, label) for label in ("before", "after")}
    recording = comparison.recording
    if recording is None or not comparison.order:
        sessions = comparison.result.get("sessions_of_slots")
        return of_runs(arms["before"], arms["after"], comparison.order, sessions), "after"
    rested = set(ComparisonRun.objects.filter(arm__comparison__recording=recording).values_list("run_id", flat=True))
    slots = tried(recording, recording.stopped)
    last = {slot.position: slot for slot in slots}
    order = [
        (s.arm, s.run) if s.run.pk in rested or (s.arm == EMPTY and s.run.state == Run.State.COMPLETE) else None
        for s in (last[position] for position in sorted(last))
    ]
    return _of_order(recording, slots, order), arms["after"][0].slot.arm


def made_again(comparison: Comparison) -> Made:
    """The comparison under this core. Raises a problem where it cannot be made."""
    stored, label = of_comparison(comparison)
    return stored.made()[stored.labels.index(label)]


def _arm(comparison: Comparison, label: str) -> list[Run]:
    used = ComparisonRun.objects.filter(arm__comparison=comparison, arm__label=label).order_by("position")
    return [u.run for u in used.select_related("run__scenario_version__scenario", "run__rig", "run__conditions")]
