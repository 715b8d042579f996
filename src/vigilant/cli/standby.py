"""``vigilant standby``: wait for recordings planned on the server and carry them out here."""

from __future__ import annotations

import time
from pathlib import Path

import click
from rich.console import Console

from vigilant.bench.errors import BenchError, DeliveryError
from vigilant.bench.machine import rig_facts
from vigilant.bench.record import prepare
from vigilant.formats.errors import PlanError
from vigilant.formats.plan import Plan, load_subjects, parse_plan, with_subjects

from .push import deliver, delivery_to
from .record import carry_out, default_spool

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
        if asked is not None:
            _carry_out(notes, asked, known, rig, spool or default_spool(), server, token)
        time.sleep(LOOK_S)


def _carry_out(
    notes: Console, asked: dict[str, object], known: dict[str, tuple[str, ...]], rig: str, root: Path,
    server: str | None, token: str | None,
) -> None:  # fmt: skip
    delivery = delivery_to(server, token)
    identity = str(asked["id"])
    try:
        raw = asked["plan"]
        plan = parse_plan(raw if isinstance(raw, dict) else {}, root)
        if any(arm.command for arm in plan.arms):
            raise PlanError("a recorder standing by starts named subjects only, no commands")
        named = (*plan.bench.files, *plan.bench.same_start)
        if any(Path(name).is_absolute() or ".." in Path(name).parts for name in named):
            raise PlanError("a recorder standing by looks at files beside its spool only")
        if plan.bench.reset or any(arm.env or arm.cwd != root for arm in plan.arms):
            raise PlanError("a recorder standing by takes no reset, env or cwd; record with vigilant record --entry")
        plan = Plan(**{**with_subjects(plan, known).__dict__, "rig_alias": rig})
        recording = prepare(plan, root, identity)
    except (BenchError, PlanError, OSError) as error:
        notes.print(f"not recorded: {error}", highlight=False)
        delivery.refuse(identity, str(error))
        return
    carry_out(notes, plan, recording, server, token)
    try:
        deliver(notes, recording, server, token)
    except DeliveryError as error:
        notes.print(f"Not delivered: {error}. Later: vigilant push {recording.directory}", highlight=False)
