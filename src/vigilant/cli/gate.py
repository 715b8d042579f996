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
from .files import Files, ReadingType, compared
from .gate_reports import Judged, junit, markdown, written
from .output import print_comparison
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
@click.option("--json", "json_", is_flag=True, help="Print one JSON object.")
def gate_command(
    policy_path: Path,
    junit_path: Path | None,
    markdown_path: Path | None,
    spool: Path | None,
    server: str | None,
    token: str | None,
    json_: bool,
) -> None:
    """Judge a build by POLICY.toml (gate.toml): its plan is recorded on the spot, baseline and build interleaved, or
    files that were recorded are compared.

    Exit code: 0 passes, 1 regression or trade-off, 2 wrong use or input, 3 undecided, 4 void, 5 recorded but not
    delivered, 6 an arm has no complete run.
    """
    notes = Console(stderr=True)
    try:
        policy = load_gate(policy_path)
    except (PlanError, OSError) as error:
        raise click.UsageError(str(error)) from error
    undelivered = False
    if policy.files is not None:
        judged = [_judged(policy, policy_path.stem, _of_files(policy.files, policy.base))]
    else:
        judged, undelivered = _recorded(notes, policy, spool, server, token)
    for path, make in ((junit_path, junit), (markdown_path, markdown)):
        _report(path, make, judged)
    if json_:
        print(json.dumps([{"build": j.name, "passes": j.passed, "link": j.link, **j.document} for j in judged], ensure_ascii=False, indent=1))  # fmt: skip
    else:
        for one in judged:
            print_comparison(Console(), one.result)
            Console().print(f"{one.name}: {'passes' if one.passed else 'does not pass'}.", highlight=False, markup=False)  # fmt: skip
    failed = [exits.OF_VERDICT[j.result.verdict] for j in judged if not j.passed]
    worst = max(failed, key=exits.WORST.index, default=0)
    sys.exit(worst or (exits.NOT_DELIVERED if undelivered else 0))


def _judged(policy: GatePolicy, name: str, result: ComparisonResult, link: str = "") -> Judged:
    # Undecided may pass; what cannot be judged at all was not held against anything.
    judgeable = result.design in ("position", "order-unknown")
    return Judged(name, result, judgeable and policy.passes(result.verdict), link)


def _report(path: Path | None, make: Callable[[list[Judged]], str], judged: list[Judged]) -> None:
    if path is None:
        return
    try:
        written(path, make(judged))
    except OSError as error:
        raise click.UsageError(f"{path} cannot be written: {error.strerror}") from error


def _of_files(files: FilesTable, base: Path) -> ComparisonResult:
    """The comparison of files as they were recorded: a stored baseline of another session cannot be told from drift."""
    before, after = _matching(base, files.before), _matching(base, files.after)
    order = "b" * len(before) + "a" * len(after) if files.recorded == "apart" else files.order
    reading = None if files.reading is None else ReadingType().convert(_reading_of(base, files.reading), None, None)
    given = Files(files.target_fps, files.column, reading, None, 0.0, False, before, after, order)
    return compared(given)[0]


def _reading_of(base: Path, reading: str) -> str:
    return str(base / reading) if reading.endswith(".toml") else reading


def _matching(base: Path, patterns: list[str]) -> tuple[Path, ...]:
    """Files in the order of the patterns, and of their names within one. Raises a usage error."""
    found: list[Path] = []
    for pattern in patterns:
        there = sorted(p for p in base.glob(pattern) if p.is_file())
        if not there:
            raise click.UsageError(f"no file fits {pattern!r} in {base}")
        found += there
    return tuple(dict.fromkeys(found))


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
