"""``vigilant record``: follow a plan, keep everything, say the verdict."""

from __future__ import annotations

import json
import os
import select
import shutil
import sys
from collections.abc import Callable
from contextlib import nullcontext
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeElapsedColumn

from vigilant.bench.deliver import Delivery
from vigilant.bench.errors import BenchError, DeliveryError, NoRuns
from vigilant.bench.levels import places_of
from vigilant.bench.listening import Listener
from vigilant.bench.record import Control, Watcher, prepare, record, refuse_pages, verdicts
from vigilant.bench.spool import RecordingSpool, SlotRecord
from vigilant.bench.tapped import tap_library
from vigilant.bench.watch import ServerWatcher
from vigilant.core import CoreError
from vigilant.core.looks import MOST_PAIRS
from vigilant.core.vary import Step
from vigilant.formats import FormatError
from vigilant.formats.errors import PlanError
from vigilant.plan import EMPTY, Plan, load_plan, load_subjects, parse_plan, with_subjects
from vigilant.wording import comparison_document
from vigilant.wording.ramp import step_sentence

from . import exits
from .consent import ask_once
from .one_build import say_line
from .output import print_comparison, print_json, print_net, print_places
from .push import deliver, delivery_to
from .swept import (
    cores_document,
    cores_of,
    knob_document,
    knob_of,
    leg_ramp_document,
    leg_ramp_of,
    print_cores,
    print_knob,
    print_leg_ramp,
    print_ramp,
    print_trade,
    ramp_document,
    ramp_of,
    trade_document,
    trade_of,
)
from .switched import (
    accounts,
    document,
    mixture_document,
    mixtures,
    print_account,
    print_mixture,
    print_untangled,
    untangled_accounts,
    untangled_document,
)


class NoVerdict(click.ClickException):
    """What was recorded cannot be compared: wrong input, and no usage line."""

    exit_code = 2


def default_spool() -> Path:
    """Where recordings are kept: VIGILANT_SPOOL, else the user's state directory."""
    named = os.environ.get("VIGILANT_SPOOL")
    if named:
        return Path(named)
    state = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(state) / "vigilant" / "spool"


LISTEN_HELP = "HOST:PORT where arms with listen = true send their frames, or HOST:PORT/CODE for a code that stays (VIGILANT_LISTEN)."


class ProgressWatcher:
    """A progress bar over the whole recording, and a line for every run that did not complete."""

    def __init__(self, progress: Progress, plan: Plan) -> None:
        self.progress = progress
        self.run_s = plan.run_s
        self.task = progress.add_task("preparing", total=len(plan.arms) * plan.runs * self.run_s)

    def slot_started(self, slot: SlotRecord, total: int) -> None:
        again = f", attempt {slot.attempt}" if slot.attempt > 1 else ""
        self.progress.update(self.task, description=f"run {slot.position + 1} of {total}, {slot.arm}{again}")

    def slot_running(self, slot: SlotRecord, seconds: float) -> None:
        self.progress.update(self.task, completed=slot.position * self.run_s + min(seconds, self.run_s))

    def slot_ended(self, slot: SlotRecord) -> None:
        self.progress.update(self.task, completed=(slot.position + 1) * self.run_s)
        if slot.outcome != "complete":
            self.progress.console.print(
                f"! run {slot.position + 1} ({slot.arm}): {slot.outcome}: {slot.detail}", highlight=False, markup=False
            )
            for line in slot.output_tail.strip().splitlines()[-3:]:
                self.progress.console.print(f"    {line}", highlight=False, markup=False)

    def looked(self, looks: list[dict[str, Any]]) -> None:
        last = looks[-1]
        self.progress.console.print(
            f"look after {last['pairs']} pairs, at {100 * last['level']:.2g} %: {last['verdict']}", highlight=False
        )

    def chosen(self, spool: RecordingSpool, step: Step) -> None:
        self.progress.update(self.task, total=(places_of(spool) + len(step.loads)) * self.run_s)
        said = step_sentence(step, places_of(spool)) if "hunt" not in spool.plan else _hunted_so_far(spool, step)
        self.progress.console.print(said, highlight=False)

    def waiting(self, slot: SlotRecord, why: str) -> None:
        self.progress.update(self.task, description=f"run {slot.position + 1}: {why}")

    def control(self) -> Control:
        return "run"

    def marks(self) -> list[tuple[str, float]]:
        return []


def _hunted_so_far(spool: RecordingSpool, step: Step) -> str:
    if not step.loads:
        return f"After {places_of(spool)} runs: {step.why}."
    return f"After {places_of(spool)} runs: next {spool.plan['hunt']['builds'][int(step.loads[0])]}."


class MarkWatcher(ProgressWatcher):
    """At a terminal, beside a tapped program: a line of text sets a mark of that name."""

    says = "Type a name and Enter to begin a leg of that name."

    def __init__(self, progress: Progress, plan: Plan) -> None:
        super().__init__(progress, plan)
        self.asked: list[tuple[str, float]] = []
        progress.console.print(self.says)

    def slot_running(self, slot: SlotRecord, seconds: float) -> None:
        while select.select([sys.stdin], [], [], 0)[0]:
            line = sys.stdin.readline()
            if not line:
                break
            self.typed(line.strip())
        super().slot_running(slot, seconds)

    def typed(self, line: str) -> None:
        if line:
            self.asked.append((line, 0.0))

    def marks(self) -> list[tuple[str, float]]:
        asked, self.asked = self.asked, []
        return asked


class HandWatcher(MarkWatcher):
    """A run played by hand: beside that an empty line ends the run."""

    says = "Played by hand: type a name and Enter for a mark, Enter alone ends the run."
    ended = False

    def slot_started(self, slot: SlotRecord, total: int) -> None:
        self.ended = False
        super().slot_started(slot, total)

    def typed(self, line: str) -> None:
        super().typed(line)
        self.ended = self.ended or not line

    def control(self) -> Control:
        return "end" if self.ended else "run"


def _watcher(plan: Plan) -> type[ProgressWatcher]:
    if plan.bench.by_hand:
        return HandWatcher
    return MarkWatcher if any(arm.tap for arm in plan.arms) and sys.stdin.isatty() else ProgressWatcher


@click.command("record")
@click.argument("plan_path", metavar="[PLAN.toml]", type=click.Path(path_type=Path), required=False)
@click.option("--entry", type=int, help="Record what was planned on the server for this entry.")
@click.option("--recording", "planned", help="Record what was planned on the server under this id, for no entry.")
@click.option("--go-on", "go_on", type=click.Path(path_type=Path), help="Go on with a recording that was cut off.")
@click.option("--until-decided", is_flag=True, help="End once a look decides, at levels that keep 5 % over all looks.")
@click.option("--build", metavar="ID", help="With --line: the build that the plan's one [[arm]] is.")
@click.option(
    "--line", "of_line", is_flag=True, help="Record one build for its line, and hold it against the builds before."
)
@click.option("--newest", is_flag=True, help="With --line: a build that has no place in the order takes the newest.")
@click.option("--subjects", type=click.Path(path_type=Path), help="The programs this machine may start, by name.")
@click.option("--rig", help="The alias of this machine.")
@click.option("--spool", type=click.Path(path_type=Path), help="Where runs are kept (VIGILANT_SPOOL).")
@click.option("--server", envvar="VIGILANT_SERVER", help="Deliver to this server (VIGILANT_SERVER, or the plan's).")
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
@click.option("--listen", help=LISTEN_HELP)
@click.option("--yes", is_flag=True, help="Start what the server's plan names without asking.")
@click.option("--all-the-same", is_flag=True, help="Go on with an arm whose attempts all fail the same way.")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def record_command(
    plan_path: Path | None,
    entry: int | None,
    planned: str | None,
    go_on: Path | None,
    until_decided: bool,
    build: str | None,
    of_line: bool,
    newest: bool,
    subjects: Path | None,
    rig: str | None,
    spool: Path | None,
    server: str | None,
    token: str | None,
    listen: str | None,
    yes: bool,
    all_the_same: bool,
    json_: bool,
) -> None:
    """Record the arms of PLAN.toml, of a plan on the server, or of a spool, interleaved, and say the verdict, or the
    account of a plan that switches features off one at a time. With --line record one build, and say what it is against the
    builds before it.

    Exit code: 0 account, gain or no material change, 1 regression or trade-off, or a build worse than its line, 2 wrong use or
    input, 3 undecided, 4 void, 5 recorded but not delivered, 6 an arm has no complete run.
    """
    notes = Console(stderr=True)
    if sum(given is not None for given in (plan_path, entry, planned, go_on)) != 1:
        raise click.UsageError("give one of PLAN.toml, --entry, --recording and --go-on")
    try:
        known = load_subjects(subjects) if subjects else {}
        asked = {"until_decided": True, "runs": MOST_PAIRS} if until_decided else {}
        if asked and plan_path is None:
            raise click.UsageError("--until-decided goes with PLAN.toml; another plan says so itself")
        if of_line != (build is not None) or (newest and not of_line) or (of_line and plan_path is None):
            raise click.UsageError("--line goes with --build ID and PLAN.toml, and --newest with --line")
        plan, known_as = _prepared(plan_path, planned or entry, go_on, known, rig, server, token, asked, build)
        if plan.account == "hunt":
            raise PlanError("a plan with [hunt] is recorded by vigilant hunt")
        url = server or plan.server_url
        if url:
            delivery_to(url, token)
        find_programs(plan)
        listener = listening(plan, listen)
        if planned is not None or entry is not None:
            ask_once(notes, plan, f"recording {planned}" if planned else f"entry {entry}", str(url), yes)
        if same_start(plan):
            notes.print("Both arms start the same way: this is a blank test, and vigilant blank says what it shows.")
        recording = (
            known_as if isinstance(known_as, RecordingSpool) else prepare(plan, spool or default_spool(), known_as)
        )
    except (BenchError, PlanError) as error:
        raise click.UsageError(str(error)) from error
    except OSError as error:
        raise click.UsageError(f"the spool cannot be written: {error}") from error
    written, undelivered = kept_and_delivered(notes, plan, recording, url, token, all_the_same, listener)
    if plan.account == "line":
        sys.exit(say_line(plan, recording, url, token, newest, undelivered, json_))
    _say(plan, recording, json_, written, undelivered)


def _prepared(
    plan_path: Path | None, on_server: int | str | None, go_on: Path | None, known: dict[str, tuple[str, ...]],
    rig: str | None, server: str | None, token: str | None, asked: dict[str, Any], build: str | None = None,
) -> tuple[Plan, RecordingSpool | str | None]:  # fmt: skip
    """The plan, and the recording to go on with, or the id of one planned on the server."""
    if go_on is not None:
        spool = RecordingSpool.load(go_on)
        return with_subjects(parse_plan(spool.plan, Path.cwd(), str(go_on)), known), spool
    if plan_path is not None:
        return _aliased(with_subjects(load_plan(plan_path, asked, build), known), rig), None
    planned = delivery_to(server, token).planned(on_server or 0)
    plan = with_subjects(parse_plan(planned["plan"], Path.cwd(), f"the plan of {on_server}"), known)
    return _aliased(plan, rig), str(planned["id"])


def same_start(plan: Plan) -> bool:
    """Do all arms start one way, although nobody says that it is a blank test or that the subject switches?"""
    arms = [arm for arm in plan.arms if arm.label != EMPTY]
    starts = {(a.command, tuple(sorted(a.env.items())), a.cwd, a.cores, a.observers, a.tap) for a in arms if a.command}
    blank = plan.raw.get("recording", {}).get("blank")
    return len(starts) == 1 and all(a.command for a in arms) and not plan.bench.switching and not blank


def find_programs(plan: Plan) -> None:
    """Is every program there, before the first run? Raises :class:`BenchError`."""
    refuse_pages(plan)
    if any(arm.tap for arm in plan.arms):
        tap_library()
    for arm in plan.arms:
        if not arm.command:  # a person starts it elsewhere
            continue
        program, where = arm.command[0], arm.cwd or plan.base
        found = where / program if os.sep in program else shutil.which(program, path=arm.env.get("PATH"))
        if found is None or not os.access(found, os.X_OK) or Path(found).is_dir():
            raise BenchError(f"the program of arm {arm.name!r} cannot be started: {program} (looked in {where})")


def listening(plan: Plan, asked: str | None = None) -> Listener | None:
    """Listen where arms send their frames over the network. Raises :class:`BenchError` where nobody said where."""
    asked = asked or os.environ.get("VIGILANT_LISTEN")
    if not any(arm.listen for arm in plan.arms):
        return None
    if not asked:
        name = next(arm.name for arm in plan.arms if arm.listen)
        raise BenchError(
            f"arm {name!r} sends its frames over the network: say where to listen, as VIGILANT_LISTEN=0.0.0.0:4700"
        )
    return Listener(asked)


def _aliased(plan: Plan, rig: str | None) -> Plan:
    return plan if rig is None else replace(plan, rig_alias=rig)


def kept_and_delivered(
    notes: Console,
    plan: Plan,
    recording: RecordingSpool,
    url: str | None,
    token: str | None,
    all_the_same: bool = False,
    listener: Listener | None = None,
) -> tuple[dict[str, Any] | None, bool]:
    """Record, and deliver where there is a server: what it says of the entry, and whether delivering failed. Raises a
    usage error where the server refuses before the first run."""
    try:
        carry_out(notes, plan, recording, url, token, all_the_same, listener)
    except DeliveryError as error:
        raise click.UsageError(f"nothing was recorded: {error}") from error
    notes.print(f"Kept in {recording.directory}", highlight=False, soft_wrap=True)
    if not url:
        return None, False
    try:
        return deliver(notes, recording, delivery_to(url, token)), False
    except DeliveryError as error:
        notes.print(f"Not delivered: {error}. Later: vigilant push {recording.directory}", highlight=False)
        return None, True


def carry_out(
    notes: Console,
    plan: Plan,
    recording: RecordingSpool,
    url: str | None,
    token: str | None,
    all_the_same: bool = False,
    listener: Listener | None = None,
) -> None:
    """Record under a progress bar; with a server it can be watched there while it goes on.

    A server that is away is tried again later; one that refuses the recording raises
    :class:`DeliveryError` before the first run."""
    at_most = "at most " if plan.bench.until_decided else ""
    further = "" if plan.choosing is None else f" to begin with, at most {plan.choosing.most_runs} in all"
    notes.print(
        f"{plan.scenario}: {at_most}{plan.runs} runs an arm, {len(plan.arms)} arms{further}, order seed {recording.order_seed}",
        highlight=False,
    )
    columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeElapsedColumn())
    with Progress(*columns, console=notes) as progress:
        watcher: Watcher = _watcher(plan)(progress, plan)
        if url and token:
            watched = ServerWatcher(
                Delivery(url, token), recording, watcher, lambda text: notes.print(text, highlight=False)
            )
            try:
                watched.begin()
                watcher = watched
            except DeliveryError as error:
                if error.refused:
                    raise
                notes.print(f"Not watched on the server: {error}. Recording all the same.", highlight=False)
        with listener or nullcontext():
            record(plan, recording, watcher, all_the_same=all_the_same, listener=listener)
        if isinstance(watcher, ServerWatcher):
            watcher.finished()
    if recording.remark:
        notes.print(
            f"Stopped: {recording.remark}. --go-on --all-the-same records the rest.", highlight=False, markup=False
        )


def _say(plan: Plan, recording: RecordingSpool, json_: bool, written: object, undelivered: bool) -> None:
    """Every arm against the first one; the exit code is the worst of the verdicts. A screening says its account."""
    try:
        if plan.account and plan.account != "matrix":
            _say_account(plan, recording, json_)
            sys.exit(exits.NOT_DELIVERED if undelivered else 0)
        several = verdicts(plan, recording)
        found = [(label, comparison) for (_, label), comparison in several.pairs.items()]
    except NoRuns as error:
        Console(stderr=True).print(f"No verdict: {error}.", highlight=False, markup=False)
        sys.exit(exits.NOT_DELIVERED if undelivered else exits.NO_RUNS)
    except (BenchError, FormatError, CoreError) as error:
        raise NoVerdict(f"no verdict: {error}") from error
    names = {arm.label: arm.name for arm in plan.arms}
    if json_:
        net = [asdict(n) | {"arm": names.get(n.arm, n.arm)} for n in several.net]
        further = [{"arm": names[label], **comparison_document(c)} for label, c in found[1:]]
        print_json(
            found[0][1],
            {
                "spool": str(recording.directory),
                "entry": written,
                "further_arms": further,
                "net": net,
                "ranks": several.ranks,
            },
        )
    for label, comparison in [] if json_ else found:
        if len(found) > 1:
            Console().print(f"\n{names[label]} against {names['before']}", style="bold", highlight=False)
        print_comparison(Console(), comparison)
    if not json_ and several.ranks:
        print_places(Console(), several, names)
    if not json_ and several.net:
        print_net(Console(), several.net, names)
    worst = max((exits.OF_VERDICT[c.verdict] for _, c in found), key=exits.WORST.index)
    sys.exit(exits.NOT_DELIVERED if undelivered else worst)


def _say_account(plan: Plan, recording: RecordingSpool, json_: bool) -> None:
    """What comes of a recording that fills no entry."""
    console = Console()
    said: dict[str, Any]
    say: Callable[[], None]
    if plan.account == "untangled":
        names, found = untangled_accounts(plan, recording)
        said, say = untangled_document(names, found), lambda: print_untangled(console, names, found)
    elif plan.account == "mixture":
        loads, mixed = mixtures(plan, recording)
        said, say = mixture_document(loads, mixed), lambda: print_mixture(console, loads, mixed)
    elif plan.account == "trade":
        trade = trade_of(plan, recording)
        said, say = trade_document(trade), lambda: print_trade(console, plan, trade)
    elif plan.in_one_run:
        legs = leg_ramp_of(plan, recording)
        said, say = leg_ramp_document(legs), lambda: print_leg_ramp(console, plan, legs)
    elif plan.account == "ramp":
        ramp = ramp_of(plan, recording)
        said, say = ramp_document(ramp), lambda: print_ramp(console, plan, ramp)
    elif plan.account == "knob":
        knob = knob_of(plan, recording)
        said, say = knob_document(knob), lambda: print_knob(console, plan, knob)
    elif plan.account == "cores":
        cores = cores_of(plan, recording)
        said, say = cores_document(cores), lambda: print_cores(console, cores)
    else:
        screenings = accounts(plan, recording)
        said, say = document(plan, screenings), lambda: print_account(console, plan, screenings)
    if json_:
        print(json.dumps({"spool": str(recording.directory), "account": said}, indent=1, allow_nan=False))
    else:
        say()
