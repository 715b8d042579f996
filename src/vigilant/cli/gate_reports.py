"""What a gate found, for those who read it: JUnit XML for a build server, Markdown for a merge request, JSON."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from junitparser import Failure, JUnitXml, Skipped, TestCase, TestSuite
from rich.console import Console
from rich.table import Table

from vigilant.core import ComparisonResult
from vigilant.core.verdict import CHANGED
from vigilant.wording import STAMPS, comparison_document

from .output import print_comparison

#: What XML 1.0 cannot hold.
_NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


@dataclass(frozen=True)
class Row:
    """A figure that carries the verdict, as it is read; ``failed`` where it is why a build does not pass."""

    label: str
    unit: str
    before: str
    after: str
    change: str
    interval: str
    call: str
    failed: bool


@dataclass(frozen=True)
class Judged:
    """One build against the baseline, or against its line; ``link`` is where that is read, "" where it is nowhere."""

    name: str
    verdict: str
    passed: bool
    sentence: str
    rows: Sequence[Row]
    findings: Sequence[str]
    document: Mapping[str, Any]
    show: Callable[[Console], None]
    link: str = ""
    what: str = "entry"


def of_comparison(name: str, result: ComparisonResult, passed: bool, link: str = "") -> Judged:
    """A build held against a baseline."""
    document = comparison_document(result)
    rows = []
    for figure in (document["figures"][n] for n in result.primaries if n in document["figures"]):
        words = figure["words"]
        worse = figure["call"].startswith("worse") and result.verdict in CHANGED and not passed
        amount = f"{words['difference']} {words['column']}".strip()
        unit = "" if words["unit"] == "a minute" else words["unit"]
        rows.append(Row(words["label"], unit, words["before"], words["after"], amount, words["interval"], figure["call"], worse))  # fmt: skip
    findings = [f["sentence"] for f in document["findings"] if f["severity"] != "note"]
    return Judged(
        name, result.verdict, passed, document["sentence"], rows, findings, document,
        lambda console: print_comparison(console, result), link,
    )  # fmt: skip


def of_line(found: Mapping[str, Any], passed: bool, link: str = "") -> Judged:
    """A build held against its line, as the server says it or as it is judged here."""
    rows = [
        Row(
            row["label"], "", row["level"], row["newest"], row["change"], row["interval"],
            "worse" if row["worse"] else "inside its margin" if row["inside"] else "not shown", row["worse"] and not passed,
        )
        for row in found["rows"]
    ]  # fmt: skip
    findings = [f["text"] for f in found["findings"]]
    return Judged(
        found["build"], found["verdict"], passed, found["sentence"], rows, findings, found,
        lambda console: _show_line(console, found), link, "line",
    )  # fmt: skip


def _show_line(console: Console, found: Mapping[str, Any]) -> None:
    def say(text: str, style: str = "") -> None:
        console.print(text, highlight=False, markup=False, soft_wrap=True, style=style)

    say(f"\n{found['sentence']}", "bold")
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    table.add_column("Figure", no_wrap=True)
    for head in ("its line", "this build", "change", "interval"):
        table.add_column(head, justify="right", no_wrap=True)
    for row in found["rows"]:
        table.add_row(
            row["label"], *(row[key].removesuffix(" a minute") for key in ("level", "newest", "change", "interval"))
        )
    if found["rows"]:
        console.print(table)
    for finding in found["findings"]:
        say(f"! {finding['text']}")
    say(found["false_failure"], "dim")


def _plain(text: str) -> str:
    return _NOT_XML.sub("\ufffd", text)


def junit(judged: list[Judged]) -> str:
    """A suite a build: a case for the verdict, and one for each figure that carries it."""
    xml = JUnitXml("vigilant gate")
    for one in judged:
        suite = TestSuite(_plain(one.name))
        verdict = TestCase("verdict", classname=_plain(one.name))
        said = _plain(one.sentence)
        if not one.passed:
            verdict.result = [Failure(said, one.verdict)]
        elif one.verdict == "undecided":
            verdict.result = [Skipped(said)]
        verdict.system_out = said
        suite.add_testcase(verdict)
        for row in one.rows:
            case = TestCase(row.label, classname=_plain(one.name))
            change = f"{row.change} ({row.call})"
            if row.failed:
                case.result = [Failure(_plain(change), row.call)]
            case.system_out = _plain(change)
            suite.add_testcase(case)
        xml.add_testsuite(suite)
    xml.update_statistics()  # type: ignore[no-untyped-call]
    return str(xml.tostring().decode("utf-8"))  # type: ignore[no-untyped-call]


def markdown(judged: list[Judged]) -> str:
    """A comment for a merge request."""
    lines: list[str] = []
    for one in judged:
        passed = "passes" if one.passed else "does not pass"
        lines += [f"### {_cell(one.name)}: {STAMPS[one.verdict]}, {passed}", "", one.sentence, ""]
        if one.rows:
            heads = "its line | this build | change" if one.what == "line" else "before | after | saved or spent"
            lines += [f"| figure | {heads} | 95 % interval | shown |", "|---|--:|--:|--:|--:|---|"]
        for row in one.rows:
            unit = f" ({row.unit})" if row.unit else ""
            lines.append(
                f"| {row.label}{unit} | {row.before} | {row.after} | {row.change} | {row.interval} | {row.call} |"
            )
        lines += ["", *(f"- {finding}" for finding in one.findings)]
        if one.link:
            lines += ["", f"[The {one.what}, with everything behind it]({one.link})"]
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def _cell(text: str) -> str:
    return re.sub(r"[|\n\r<>]", " ", text)


def written(path: Path, text: str) -> None:
    """Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")
