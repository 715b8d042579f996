"""``vigilant gate``: a build passes or does not, by a policy that lies in the reader's own repository."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path

import click
from rich.console import Console

from vigilant.bench.errors import BenchError, NoRuns
from vigilant.bench.record import prepare, verdicts
from vigilant.core import ComparisonResult, CoreError
from vigilant.formats import FormatError
from vigilant.formats.errors import PlanError
from vigilant.plan import load_plan
from vigilant.plan.gating import FilesTable, GatePolicy, load_gate

from . import exits
from .files import Files, compared, matching, reading_of
from .gate_line import of_files, recorded_now
from .gate_reports import Judged, junit, markdown, of_comparison, written
from .push import delivery_to
from .record import NoVerdict, default_spool, find_programs, kept_and_delivered, listening


@click.command("gate")
@click.argument("policy_path", metavar="[POLICY.toml]", type=click.Path(path_type=Path), default=Path("gate.toml"))
@click.option("--junit", "junit_path", type=click.Path(path_type=Path), help="Write JUnit XML for the build server.")
@click.option(
    "--markdown", "markdown_path", type=click.Path(path_type=Path), help="Write Markdown for a merge request."
)
@click.option("--spool", type=click.Path(path_type=Path), help="Where runs are kept (VIGILANT_SPOOL).")
@click.option(
    "--server", envvar="VIGILANT_SERVER", help="Deliver to this server, and link the entry (VIGILANT_SERVER)."
)
@click.option("--token", envvar="VIGILANT_TOKEN", help="Recorder token (VIGILANT_TOKEN).")
@click.option("--build", metavar="ID", help="With [line]: the build that is judged.")
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def gate_command(
    policy_path: Path,
    junit_path: Path | None,
    markdown_path: Path | None,
    spool: Path | None,
    server: str | None,
    token: str | None,
    build: str | None,
    json_: bool,
) -> None:
    """Judge a build by POLICY.toml (gate.toml): its plan is recorded on the spot, baseline and build interleaved, or
    files that were recorded are compared. With [line] the build alone is recorded, and held against the builds before it.

    Exit code: 0 passes, 1 regression or trade-off, 2 wrong use or input, 3 undecided, 4 void, 5 recorded but not
    delivered, 6 an arm has no complete run.
    """
    notes = Console(stderr=True)
    try:
        policy = load_gate(policy_path)
    except (PlanError, OSError) as error:
        raise click.UsageError(str(error)) from error
    if (policy.line is not None) != (build is not None):
        raise click.UsageError("--build ID goes with a policy that has [line]")
    undelivered = False
    if policy.line is not None and build is not None:
        if policy.plan is None:
            judged = [of_files(policy, policy.line, build)]
        else:
            judged = [recorded_now(notes, policy, policy.line, build, spool, server, token)]
    elif policy.files is not None:
        judged = [_judged(policy, policy_path.stem, _of_files(policy.files, policy.base))]
    else:
        judged, undelivered = _recorded(notes, policy, spool, server, token)
    for path, make in ((junit_path, junit), (markdown_path, markdown)):
        _report(path, make, judged)
    if json_:
        print(json.dumps([{"build": j.name, "passes": j.passed, "link": j.link, **j.document} for j in judged], ensure_ascii=False, indent=1))  # fmt: skip
    else:
        for one in judged:
            one.show(Console())
            Console().print(f"{one.name}: {'passes' if one.passed else 'does not pass'}.", highlight=False, markup=False)  # fmt: skip
    failed = [exits.OF_VERDICT[j.verdict] for j in judged if not j.passed]
    worst = max(failed, key=exits.WORST.index, default=0)
    sys.exit(worst or (exits.NOT_DELIVERED if undelivered else 0))


def _judged(policy: GatePolicy, name: str, result: ComparisonResult, link: str = "") -> Judged:
    # Undecided may pass; what cannot be judged at all was not held against anything.
    judgeable = result.design in ("position", "order-unknown")
    return of_comparison(name, result, judgeable and policy.passes(result.verdict), link)


def _report(path: Path | None, make: Callable[[list[Judged]], str], judged: list[Judged]) -> None:
    if path is None:
        return
    try:
        written(path, make(judged))
    except OSError as error:
        raise click.UsageError(f"{path} cannot be written: {error.strerror}") from error


def _of_files(files: FilesTable, base: Path) -> ComparisonResult:
    """The comparison of files as they were recorded: a stored baseline of another session cannot be told from drift."""
    before, after = matching(base, files.before), matching(base, files.after)
    order = "b" * len(before) + "a" * len(after) if files.recorded == "apart" else files.order
    reading = reading_of(base, files.reading)
    given = Files(files.target_fps, files.column, reading, None, 0.0, False, before, after, order)
    return compared(given)[0]


def _recorded(
    notes: Console, policy: GatePolicy, spool: Path | None, server: str | None, token: str | None
) -> tuple[list[Judged], bool]:
    """Record the policy's plan, judge every build against its baseline; whether delivering failed."""
    assert policy.plan is not None
    try:
        plan = load_plan(policy.plan, policy.recording)
        if plan.account:
            raise PlanError(f"{policy.plan}: a gate judges builds; switches judge none")
        url = server or plan.server_url
        if url:
            delivery_to(url, token)
        find_programs(plan)
        listener = listening(plan)
        recording = prepare(plan, spool or default_spool(), None)
    except (BenchError, PlanError) as error:
        raise click.UsageError(str(error)) from error
    except OSError as error:
        raise click.UsageError(f"the spool cannot be written: {error}") from error
    entry, undelivered = kept_and_delivered(notes, plan, recording, url, token, listener=listener)
    # The server names the entry of the second arm; others have entries of their own.
    link = f"{str(url).rstrip('/')}{entry['path']}" if entry and "path" in entry else ""
    names = {arm.label: arm.name for arm in plan.arms}
    try:
        pairs = verdicts(plan, recording).pairs
    except NoRuns as error:
        notes.print(f"No verdict: {error}.", highlight=False, markup=False)
        sys.exit(exits.NOT_DELIVERED if undelivered else exits.NO_RUNS)
    except (BenchError, FormatError, CoreError) as error:
        raise NoVerdict(f"no verdict: {error}") from error
    judged = [
        _judged(policy, names[label], result, link if label == "after" else "") for (_, label), result in pairs.items()
    ]
    return judged, undelivered
