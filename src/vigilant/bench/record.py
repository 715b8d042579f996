"""Record a plan: every slot in its drawn order, each run to disk before the next begins."""

from __future__ import annotations

import json
import os
import secrets
import subprocess
import time
import uuid
from collections import Counter
from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any, Literal, Protocol

from vigilant.core import (
    ComparisonResult,
    CoreError,
    Finding,
    Several,
    compare_several,
    crash_rates,
    failed_runs,
    look_levels,
    refuse_repeats,
)
from vigilant.core.looks import FIRST_LOOK
from vigilant.core.schedule import draw_order
from vigilant.core.sheet import (
    ARMS_SWITCHED,
    CLOCK_MHZ,
    CORES_USED,
    LOAD,
    OBSERVERS,
    OTHER_WORK,
    OTHER_WORK_BEFORE,
    PLAYED,
    POWER_W,
    RECORDER_ENDED,
    STARTED_QUIET,
    TEMPERATURE_C,
    WALL_S,
    WINDOWS,
)
from vigilant.core.vary import Step
from vigilant.formats import FormatError, ReadRun
from vigilant.formats.errors import PlanError
from vigilant.plan import BY_HAND, EMPTY, Arm, Plan

from .by_hand import finish_by_hand
from .errors import BenchError, NoRuns
from .hunting import make
from .launcher import Asked, run_subject
from .levels import choose, loads_of, what_next
from .listening import Listener, run_listened
from .machine import (
    OtherWork,
    clock_mhz,
    energy_j,
    file_digests,
    fingerprint,
    power_w,
    rig_facts,
    run_conditions,
    source_revision,
    temperature_c,
)
from .rig_speed import rig_speed
from .sampled import add_samples
from .spool import PLANNED, RecordingSpool, SlotRecord, judge_stream
from .switching import split_arms
from .tapped import MarksHeard, Tapped

Control = Literal["run", "pause", "skip", "stop", "end"]
QUIET_LOOK_S = 1.0
PAUSE_LOOK_S = 0.5
RESET_S = 120.0
#: So many attempts at an arm that fail alike are enough.
SAME_FAILURES = 3
NO_FRAMES = {
    "stream": "the subject wrote no frames to the file in VIGILANT_FRAMES",
    "listen": "nothing connected that said the code and sent frames",
    "tap": "the subject presented no frames by GLX, EGL or Vulkan; no other way is noted",
}
#: Drawn seeds stay short enough to be read out.
MOST_SEED = 10_000


class Watcher(Protocol):
    """Told what happens while a plan is recorded, and asked how to go on.

    *pause* holds before the next run, *skip* ends the present attempt, *stop* ends it and leaves
    the rest unrecorded, *end* ends a run that is played by hand. ``marks`` are the names asked for
    since the last look, with the seconds gone by since. ``slot_running`` may take its time to show things: it runs beside the subject.
    """

    def slot_started(self, slot: SlotRecord, total: int) -> None: ...

    def slot_running(self, slot: SlotRecord, seconds: float) -> None: ...

    def slot_ended(self, slot: SlotRecord) -> None: ...

    def waiting(self, slot: SlotRecord, why: str) -> None: ...

    def looked(self, looks: list[dict[str, Any]]) -> None: ...

    def chosen(self, spool: RecordingSpool, step: Step) -> None: ...

    def control(self) -> Control: ...

    def marks(self) -> list[tuple[str, float]]: ...


@dataclass(frozen=True)
class Clock:
    """Time, injected so that tests need not wait."""

    sleep: Callable[[float], None] = time.sleep
    now: Callable[[], float] = time.monotonic
    other_work: Callable[[Callable[[], float]], OtherWork] = field(default=OtherWork)


def _now() -> str:
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def refuse_pages(plan: Plan) -> None:
    """Raises :class:`BenchError` for pages of a visitor's own browser: no recorder starts it."""
    if plan.visited:
        raise BenchError(
            "its arms are pages that play in a visitor's own browser: plan it on the Bench, which gives the link and the"
            ' code; here a page is recorded by command = ["vigilant", "page", ADDRESS]'
        )


def prepare(plan: Plan, spool_root: Path, recording: str | None = None, speed: bool = True) -> RecordingSpool:
    """Draw the order and lay out the spool. ``recording`` is the id of one planned on the server.

    Raises :class:`BenchError` for cores that this machine does not have, and for pages of a visitor's browser.
    """
    refuse_pages(plan)
    for arm in plan.arms:
        missing = set(arm.cores) - os.sched_getaffinity(0)
        if missing:
            raise BenchError(f"arm {arm.name!r}: this machine has no core {min(missing)} for us")
    order_seed = plan.order_seed if plan.order_seed is not None else secrets.randbelow(MOST_SEED)
    recording = recording or str(uuid.uuid4())
    facts = rig_facts()
    order = draw_order(plan.runs, order_seed, plan.order, [arm.label for arm in plan.arms])
    spool = RecordingSpool(
        directory=spool_root / recording,
        recording=recording,
        created=_now(),
        plan=dict(plan.raw),
        order_seed=order_seed,
        rig={
            "alias": plan.rig_alias,
            "facts": facts,
            "fingerprint": fingerprint(facts),
            "speed": rig_speed() if speed else None,
        },
        conditions=dict(plan.conditions),
        slots=[SlotRecord(i, arm, str(uuid.uuid4())) for i, arm in enumerate(order)],
    )
    spool.save()
    return spool


def record(
    plan: Plan,
    spool: RecordingSpool,
    watcher: Watcher,
    clock: Clock = Clock(),
    all_the_same: bool = False,
    listener: Listener | None = None,
) -> None:
    """Record every slot that was not recorded yet, so that a recording cut off can be gone on with.

    A subject that crashes, hangs or writes nonsense is an outcome; it is tried again as often as the
    plan allows, every attempt is kept, and the rest goes on. An arm whose first attempts all fail the
    same way stops the recording, with what was kept, unless the rest is wanted ``all_the_same``. Arms whose frames come
    over the network need a ``listener``.
    """
    arms = {arm.label: arm for arm in plan.arms}
    _keep_what_was_cut_off(plan, spool)
    at = len(spool.slots) if spool.decided else 0
    if not spool.decided:
        spool.stopped, spool.remark = False, ""
    while True:
        if at == len(spool.slots):
            if (further := _chosen(plan, spool, watcher)) is None:
                break
            plan = further
            arms = {arm.label: arm for arm in plan.arms}
        slot = spool.slots[at]
        if slot.outcome == PLANNED:
            if not _held(slot, watcher, clock):
                spool.stopped = True
                break
            group = _together(plan, spool, at)
            _attempt(plan, arms[slot.arm], spool, slot, watcher, clock, listener)
            if plan.bench.switching:
                _distribute(plan, spool, group)
            again = [_next_attempt(s) for s in group] if any(_again(plan, s) for s in group) else []
            at += len(group) - 1
            spool.slots[at + 1 : at + 1] = again
            spool.save()
            for ended in group:
                watcher.slot_ended(ended)
            if not all_the_same and (hopeless := _hopeless(plan, spool, slot.arm)):
                spool.stopped, spool.remark = True, hopeless
                break
            if plan.bench.until_decided and _decided(plan, spool, watcher):
                spool.stopped = True
                break
            if plan.cool_down_s and at + 1 < len(spool.slots) and watcher.control() != "stop":
                watcher.waiting(slot, f"cooling down for {plan.cool_down_s:g} s")
                clock.sleep(plan.cool_down_s)
        at += 1
    spool.save()


def _chosen(plan: Plan, spool: RecordingSpool, watcher: Watcher) -> Plan | None:
    """The plan with the levels that a ramp records next, laid out in the spool; None where it is done, or where they cannot be
    chosen, which is said."""
    try:
        step = what_next(plan, spool)
        if step is None:
            return None
        watcher.chosen(spool, step)
        return choose(plan, spool, step.loads) if step.loads and not step.enough else None
    except (CoreError, FormatError, PlanError) as error:
        spool.stopped, spool.remark = True, f"no further level was chosen: {error}"
        return None


def _hopeless(plan: Plan, spool: RecordingSpool, arm: str) -> str:
    """Why an arm need not be tried again: its first attempts all failed in the same way. "" while there is hope: a level of a
    ramp may fail where others do not, which is its ceiling."""
    if plan.account == "ramp" and any(s.outcome == "complete" for s in spool.slots):
        return ""
    tried = [s for s in spool.slots if s.arm == arm and s.outcome not in (PLANNED, "skipped")]
    ways = {(s.outcome, s.detail) for s in tried}
    if len(tried) < SAME_FAILURES or len(ways) > 1 or tried[0].outcome == "complete":
        return ""
    return f"all {len(tried)} attempts at arm {arm} failed the same way ({tried[0].outcome}: {tried[0].detail})"


def _decided(plan: Plan, spool: RecordingSpool, watcher: Watcher) -> bool:
    """Look once a pair more is whole. Every look is written down: it has spent its share of the error."""
    whole = Counter(s.arm for s in spool.counting() if s.outcome == "complete")
    pairs = min(whole["before"], whole["after"])
    if pairs < FIRST_LOOK or (spool.looks and spool.looks[-1]["pairs"] >= pairs):
        return False
    got = verdict(plan, spool)
    spool.looks.append({"pairs": pairs, "most": plan.runs, "level": got.alpha, "verdict": got.verdict})
    spool.save()
    watcher.looked(spool.looks)
    return spool.decided


def _keep_what_was_cut_off(plan: Plan, spool: RecordingSpool) -> None:
    """A run during which the recorder itself was ended is an outcome too; its place is tried again."""
    for first in [s for s in spool.slots if s.outcome == PLANNED and spool.stream_path(s).exists()]:
        at = spool.slots.index(first)
        group = _together(plan, spool, at)
        _, _, run = judge_stream(spool.stream_path(first))
        for slot in group:
            slot.outcome, slot.detail = "broken", RECORDER_ENDED
        first.frames = 0 if run is None else int(run.series.frame_ms.size)
        spool.slots[at + len(group) : at + len(group)] = [_next_attempt(s) for s in group]


def _next_attempt(slot: SlotRecord) -> SlotRecord:
    return SlotRecord(slot.position, slot.arm, str(uuid.uuid4()), slot.attempt + 1)


def _together(plan: Plan, spool: RecordingSpool, at: int) -> list[SlotRecord]:
    """The slots that one start of the subject fills: its own, or a whole block of a subject that switches."""
    if not plan.bench.switching:
        return [spool.slots[at]]
    block = spool.slots[at].position // len(plan.arms)
    rest = spool.slots[at:]
    length = next((i for i, s in enumerate(rest) if s.position // len(plan.arms) != block), len(rest))
    first = rest[0].attempt
    return [s for s in rest[:length] if s.attempt == first and s.outcome == PLANNED]


def _distribute(plan: Plan, spool: RecordingSpool, group: list[SlotRecord]) -> None:
    """Cut the stream of a subject that switched arms; the whole of it stays beside the pieces."""
    first = group[0]
    stream = spool.stream_path(first)
    for slot in group[1:]:
        kept = ("outcome", "detail", "seconds", "started", "output_tail")
        for name in kept:
            setattr(slot, name, getattr(first, name))
        slot.conditions, slot.measured, slot.revision = (
            dict(first.conditions),
            dict(first.measured),
            dict(first.revision),
        )
    if not stream.exists():
        return
    whole = stream.with_suffix(".whole.jsonl")
    os.replace(stream, whole)
    names = {arm.label: arm.name for arm in plan.arms}
    targets = {names[slot.arm]: spool.stream_path(slot) for slot in group}
    try:
        frames = split_arms(whole, targets, plan.bench.discard_s)
    except (BenchError, FormatError) as error:
        for slot in group:
            slot.outcome, slot.detail, slot.frames = "broken", str(error), 0
        return
    for slot in group:
        slot.frames = frames[names[slot.arm]]
        if slot.frames == 0 and slot.outcome == "complete":
            slot.outcome, slot.detail = "broken", f"the subject announced no frames of arm {names[slot.arm]!r}"
            spool.stream_path(slot).unlink()


def _again(plan: Plan, slot: SlotRecord) -> bool:
    return slot.outcome not in ("complete", "skipped") and slot.attempt <= plan.bench.retries


def _held(slot: SlotRecord, watcher: Watcher, clock: Clock) -> bool:
    """Wait while paused; False if the rest is not wanted."""
    while (control := watcher.control()) == "pause":
        watcher.waiting(slot, "paused")
        clock.sleep(PAUSE_LOOK_S)
    return control != "stop"


def _wait_for_quiet(plan: Plan, slot: SlotRecord, watcher: Watcher, clock: Clock) -> None:
    """Wait until other work is under the plan's share of a core, no longer than it allows; then go on and say so."""
    limit = plan.bench.quiet_share
    if limit is None:
        return
    other = clock.other_work(clock.now)
    until = clock.now() + plan.bench.quiet_wait_s
    while True:
        clock.sleep(QUIET_LOOK_S)
        share = other.share()
        if share is None or share <= limit:
            return
        if watcher.control() == "stop":
            return
        if clock.now() >= until:
            slot.conditions[STARTED_QUIET] = "no"
            return
        watcher.waiting(slot, f"waiting for a quiet machine: other work takes {100 * share:.0f} % of a core")


def _attempt(
    plan: Plan,
    arm: Arm,
    spool: RecordingSpool,
    slot: SlotRecord,
    watcher: Watcher,
    clock: Clock,
    listener: Listener | None,
) -> None:
    bench = plan.bench
    where = arm.cwd or plan.base
    slot.started = _now()
    try:
        make(plan, arm, where)
        _reset(plan, where)
    except BenchError as error:
        slot.outcome, slot.detail = "broken", str(error)
        return
    slot.conditions |= run_conditions()
    slot.conditions |= file_digests(bench.files, where, "file")
    slot.conditions |= file_digests(bench.same_start, where, "start")
    if arm.cores:
        slot.conditions[CORES_USED] = ", ".join(map(str, arm.cores))
    if any(a.observers for a in plan.arms):
        slot.conditions[OBSERVERS] = ", ".join(sorted(arm.observers)) or "none"
    if plan.load:
        slot.conditions[LOAD] = str(plan.load)
    if bench.by_hand:
        slot.conditions[PLAYED] = BY_HAND
    if bench.switching:
        slot.conditions[ARMS_SWITCHED] = f"in process, {bench.discard_s:g} s left out after each switch"
    slot.revision = source_revision(where)
    spool.save()  # so that a run cut off with its recorder says when it began
    _wait_for_quiet(plan, slot, watcher, clock)
    watcher.slot_started(slot, len({s.position for s in spool.slots}))
    stream = spool.stream_path(slot)
    before, other = clock.other_work(clock.now), clock.other_work(clock.now)
    clock.sleep(0.05)
    _measure(slot, OTHER_WORK_BEFORE, before.share())

    marks: list[tuple[float, str]] = []
    tapped = Tapped(spool.tap_path(slot), stream) if arm.tap else None
    hears_marks = arm.tap or bench.by_hand

    def tick(seconds: float) -> Asked:
        watcher.slot_running(slot, seconds)
        if hears_marks:
            marks.extend((time.monotonic() - ago, name) for name, ago in watcher.marks())
        if tapped is not None and tapped.presented_s(seconds) >= plan.run_s and not bench.by_hand:
            return "end"
        control = watcher.control()
        return "end" if control == "end" and bench.by_hand else "skip" if control in ("skip", "stop") else ""

    variables = {"VIGILANT_SECONDS": f"{plan.run_s:g}", "VIGILANT_SEED": str(plan.seed)}
    if plan.load:
        variables["VIGILANT_LOAD"] = f"{plan.load.value:g}"
    if plan.in_one_run:
        variables["VIGILANT_VALUES"] = ",".join(f"{value:.12g}" for value in loads_of(plan, spool, slot))
    if bench.switching:
        names = {a.label: a.name for a in plan.arms}
        variables["VIGILANT_ARMS"] = json.dumps([names[s.arm] for s in _together(plan, spool, spool.slots.index(slot))])
    stills = spool.stills_path(slot)
    stills.mkdir(parents=True, exist_ok=True)
    variables["VIGILANT_STILLS"] = str(stills)
    energy, began_at = energy_j(), time.monotonic()
    with MarksHeard(spool.directory) if hears_marks else nullcontext() as heard:
        if tapped is not None:
            ended = run_subject(tapped.arm(arm), None, variables, plan.timeout_s, tick, other)
        elif arm.listen:
            assert listener is not None
            how = f"start {arm.name} on its device with VIGILANT_FRAMES={listener.address}"
            ask = partial(watcher.waiting, slot, how)
            ended = run_listened(listener, arm, stream, variables, plan.timeout_s, tick, other, ask)
        else:
            ended = run_subject(arm, stream, variables, plan.timeout_s, tick, other)
        ended_at = time.monotonic()
        marks += heard.heard() if heard else []
    if tapped is not None:
        if ended.outcome == "complete":
            ended = replace(ended, detail="")  # it plays until it is ended, or ends by itself
        windows = tapped.gather(marks, ended.outcome == "complete")
        if windows:
            slot.conditions[WINDOWS] = windows
    elif bench.by_hand and stream.exists():
        finish_by_hand(stream, marks, ended_at)
    if stream.exists() and not arm.listen:  # the processes that are seen here are not those of the program there
        add_samples(stream, other.samples, ended_at)
    _measure(slot, TEMPERATURE_C, temperature_c())
    _measure(slot, CLOCK_MHZ, clock_mhz())
    _measure(slot, POWER_W, power_w(energy, energy_j(), ended_at - began_at))
    slot.outcome, slot.detail = ended.outcome, ended.detail
    slot.seconds, slot.output_tail = round(ended.seconds, 3), ended.output_tail
    _measure(slot, OTHER_WORK, ended.other_work)
    # Held against the frames, which fill it but for the start; a tapped program's start can take longer than its course.
    if not bench.by_hand and not bench.switching and tapped is None and not arm.listen:
        _measure(slot, WALL_S, ended.seconds)
    _judge(plan, slot, stream, "tap" if arm.tap else "listen" if arm.listen else "stream")


def _reset(plan: Plan, where: Path) -> None:
    """Bring the subject's surroundings back to their start. Raises :class:`BenchError`."""
    if not plan.bench.reset:
        return
    try:
        done = subprocess.run(plan.bench.reset, cwd=where, capture_output=True, text=True, timeout=RESET_S, check=False)
    except (OSError, subprocess.TimeoutExpired) as error:
        raise BenchError(f"the reset could not be done: {error}") from error
    if done.returncode:
        raise BenchError(f"the reset ended with exit code {done.returncode}: {done.stderr.strip()[-200:]}")


def _measure(slot: SlotRecord, name: str, value: float | None) -> None:
    if value is not None:
        slot.measured[name] = round(value, 4)


def _judge(plan: Plan, slot: SlotRecord, stream: Path, by: str) -> None:
    """Outcome and frames from the stream the subject left; what it started with goes onto the sheet."""
    if not stream.exists():
        if slot.outcome == "complete":
            slot.outcome, slot.detail = "broken", NO_FRAMES[by]
        elif slot.outcome == "hung" and by == "tap":
            slot.detail += f"; {NO_FRAMES['tap']}"
        return
    judged, detail, run = judge_stream(stream)
    slot.frames = 0 if run is None else int(run.series.frame_ms.size)
    if slot.outcome == "complete":
        slot.outcome, slot.detail = judged, detail
    if run is not None and plan.bench.start_counter:
        slot.conditions[f"start {plan.bench.start_counter}"] = _start_value(run, plan.bench.start_counter)


def _start_value(run: ReadRun, counter: str) -> str:
    values = run.series.counters.get(counter)
    return "missing" if values is None or values[0] != values[0] else f"{float(values[0]):g}"


def verdicts(plan: Plan, spool: RecordingSpool) -> Several:
    """Every arm with a complete run against the first one. Raises :class:`BenchError` when none is left."""
    runs, order = spool.complete_runs()
    labels = ["before", *(label for label in spool.arm_labels() if label in runs)]
    for name in labels[:1] if len(labels) > 1 else ["before", "after"]:
        if not runs.get(name):
            reasons = sorted({s.detail or s.outcome for s in spool.slots if s.arm == name and s.outcome != PLANNED})
            raise NoRuns(f"no run of arm {name} completed: {'; '.join(reasons) or 'none was recorded'}")
    levels = None
    if plan.bench.until_decided:
        levels = look_levels(min(len(runs[label]) for label in labels), plan.runs, plan.policy.alpha)
    empty = EMPTY if EMPTY in runs else None
    refuse_repeats(runs)
    return compare_several(
        {label: runs[label] for label in (*labels, *([empty] if empty else []))},
        plan.policy,
        order,
        empty=empty,
        findings={("before", label): recording_findings(spool, label) for label in labels[1:]},
        levels=levels,
    )


def verdict(plan: Plan, spool: RecordingSpool, label: str = "after") -> ComparisonResult:
    """The comparison of arm ``label`` with the first one, in the family of all arms. Raises
    :class:`BenchError` when an arm has no complete run."""
    found = verdicts(plan, spool).pairs.get(("before", label))
    if found is None:
        raise NoRuns(f"no run of arm {label} completed")
    return found


def recording_findings(spool: RecordingSpool, label: str) -> list[Finding]:
    """What the outcomes of all attempts say: failed runs, and crash rates that differ."""
    tried = [s for s in spool.slots if s.arm in ("before", label) and s.outcome != PLANNED]
    failed = Counter(s.arm for s in tried if s.outcome not in ("complete", "skipped"))
    total = Counter(s.arm for s in tried if s.outcome != "skipped")
    return [
        *failed_runs([s.outcome for s in tried]),
        *crash_rates((failed["before"], total["before"]), (failed[label], total[label])),
    ]
