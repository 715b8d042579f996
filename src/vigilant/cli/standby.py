"""``vigilant standby``: wait for recordings planned on the server and carry them out here."""

from __future__ import annotations

import time
from dataclasses import replace
from pathlib import Path

import click
from rich.console import Console

from vigilant.bench.deliver import Delivery, printable
from vigilant.bench.errors import BenchError, DeliveryError
from vigilant.bench.machine import rig_facts
from vigilant.bench.record import prepare
from vigilant.bench.spool import PLANNED, RecordingSpool
from vigilant.formats.errors import PlanError
from vigilant.plan import Plan, load_subjects, parse_plan, with_subjects
from vigilant.plan.hunting import BUILD_VARIABLE

from .push import deliver, delivery_to
from .record import carry_out, default_spool, find_programs, listening

LOOK_S = 1.0


@click.command("standby")
@click.option("--subjects", type=click.Path(path_type=Path), required=True, help="Programs this machine may start.")
@click.option("--rig", required=True, help="The alias of this machine, as it is offered on the Bench screen.")
@click.option("--spool", type=click.Path(path_type=Path), help="Where runs are kept (VIGILANT_SPOOL).")
@click.option("--server", envvar="VIGILANT_SERVER", help="Address of the server (VIGILANT_SERVER).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
def standby_command(subjects: Path, rig: str, spool: Path | None, server: str | None, token: str | None) -> None:
    """Wait for recordings asked of this machine, until stopped.

    A plan from the server names subjects, never programs: only what the subjects file lists is
    started, with the plan's arguments.
    """
    notes = Console(stderr=True)
    try:
        known = load_subjects(subjects)
        delivery = delivery_to(server, token)
    except (BenchError, PlanError) as error:
        raise click.UsageError(str(error)) from error
    facts = rig_facts()
    waiting: list[RecordingSpool] = []
    notes.print(f"{rig} stands by for {', '.join(sorted(known))}", highlight=False)
    reachable = True
    while True:
        try:
            asked = delivery.stand_by(rig, sorted(known), facts)
            reachable = True
        except DeliveryError as error:
            if reachable:
                notes.print(f"{error}; trying again", highlight=False)
            reachable, asked = False, None
        if reachable and waiting:
            waiting = [s for s in waiting if not _delivered(notes, s, delivery)]
        if asked is not None:
            recorded = _carry_out(notes, asked, known, rig, spool or default_spool(), delivery)
            waiting += [] if recorded is None or _delivered(notes, recorded, delivery) else [recorded]
        time.sleep(LOOK_S)


def _carry_out(
    notes: Console,
    asked: dict[str, object],
    known: dict[str, tuple[str, ...]],
    rig: str,
    root: Path,
    delivery: Delivery,
) -> RecordingSpool | None:
    """Record what was asked for; None where it cannot be made here, which the server is told.

    Whatever goes wrong in one recording is that recording's outcome: the machine goes on standing by.
    """
    identity = str(asked.get("id"))
    recording = None
    try:
        plan = _plan(asked, known, rig, root)
        listener = listening(plan)
        recording = prepare(plan, root, identity)
        carry_out(notes, plan, recording, delivery.url, delivery.token, listener=listener)
    except Exception as error:
        foreseen = isinstance(error, (BenchError, PlanError, OSError))
        said = str(error) if foreseen else f"a fault of the recorder: {type(error).__name__}: {error}"
        notes.print(f"not recorded: {printable(said)}", highlight=False, markup=False)
        if not foreseen:
            notes.print_exception()
        if recording is not None and any(slot.outcome != PLANNED for slot in recording.slots):
            recording.stopped, recording.remark = True, said
            return recording
        try:
            delivery.refuse(identity, said)
        except DeliveryError as refused:
            notes.print(f"{refused}", highlight=False, markup=False)
        return None
    return recording


def _plan(asked: dict[str, object], known: dict[str, tuple[str, ...]], rig: str, root: Path) -> Plan:
    """The plan asked for. Raises :class:`PlanError` for what a recorder standing by does not do."""
    raw = asked.get("plan")
    plan = parse_plan(raw if isinstance(raw, dict) else {}, root)
    if any(arm.command for arm in plan.arms):
        raise PlanError("a recorder standing by starts named subjects only, no commands")
    named = (*plan.bench.files, *plan.bench.same_start)
    if any(Path(name).is_absolute() or ".." in Path(name).parts for name in named):
        raise PlanError("a recorder standing by looks at files beside its spool only")
    own = {BUILD_VARIABLE} if plan.account == "line" else set()
    if plan.bench.reset or any(arm.env.keys() - own or arm.cwd != root for arm in plan.arms):
        raise PlanError("a recorder standing by takes no reset, env or cwd; record with vigilant record --entry")
    plan = replace(with_subjects(plan, known), rig_alias=rig)
    find_programs(plan)
    return plan


def _delivered(notes: Console, recording: RecordingSpool, delivery: Delivery) -> bool:
    """Deliver a recording; False where it is to be tried again."""
    try:
        deliver(notes, recording, delivery)
    except DeliveryError as error:
        if error.refused:
            notes.print(f"Not delivered: {error}. Later: vigilant push {recording.directory}", highlight=False)
            return True
        notes.print(f"Not delivered: {error}. Kept in {recording.directory}; trying again", highlight=False)
        return False
    except Exception as error:
        notes.print(f"Not delivered: a fault of the recorder: {error}. Kept in {recording.directory}", highlight=False)
        notes.print_exception()
    return True
