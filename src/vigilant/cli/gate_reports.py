"""What a gate found, for those who read it: JUnit XML for a build server, Markdown for a merge request, JSON."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from junitparser import Failure, JUnitXml, Skipped, TestCase, TestSuite

from vigilant.core import ComparisonResult
from vigilant.core.verdict import CHANGED
from vigilant.wording import STAMPS, comparison_document

#: What XML 1.0 cannot hold.
_NOT_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


@dataclass(frozen=True)
class Judged:
    """One build against the baseline; ``link`` is that of its entry, "" where there is none."""

    name: str
    result: ComparisonResult
    passed: bool
    link: str = ""

    @property
    def document(self) -> dict[str, Any]:
        return comparison_document(self.result)


def _plain(text: str) -> str:
    return _NOT_XML.sub("\ufffd", text)


def junit(judged: list[Judged]) -> str:
    """A suite a build: a case for the verdict, and one for each figure that carries it."""
    xml = JUnitXml("vigilant gate")
    for one in judged:
        document = one.document
        suite = TestSuite(_plain(one.name))
        verdict = TestCase("verdict", classname=_plain(one.name))
        said = _plain(document["sentence"])
        if not one.passed:
            verdict.result = [Failure(said, one.result.verdict)]
        elif one.result.verdict == "undecided":
            verdict.result = [Skipped(said)]
        verdict.system_out = said
        suite.add_testcase(verdict)
        for name in one.result.primaries:
            if name not in document["figures"]:
                continue
            figure = document["figures"][name]
            case = TestCase(figure["words"]["label"], classname=_plain(one.name))
            change = f"{figure['words']['change']} ({figure['call']})"
            if figure["call"].startswith("worse") and one.result.verdict in CHANGED and not one.passed:
                case.result = [Failure(_plain(change), figure["call"])]
            case.system_out = _plain(change)
            suite.add_testcase(case)
        xml.add_testsuite(suite)
    xml.update_statistics()  # type: ignore[no-untyped-call]
    return str(xml.tostring().decode("utf-8"))  # type: ignore[no-untyped-call]


def markdown(judged: list[Judged]) -> str:
    """A comment for a merge request."""
    lines: list[str] = []
    for one in judged:
        document = one.document
        passed = "passes" if one.passed else "does not pass"
        lines += [f"### {_cell(one.name)}: {STAMPS[one.result.verdict]}, {passed}", "", document["sentence"], ""]
        lines += ["| figure | before | after | saved or spent | 95 % interval | shown |", "|---|--:|--:|--:|--:|---|"]
        for name in one.result.primaries:
            if name in document["figures"]:
                figure = document["figures"][name]
                words = figure["words"]
                unit = "" if words["unit"] == "a minute" else f" ({words['unit']})"
                amount = f"{words['difference']} {words['column']}".strip()
                lines.append(
                    f"| {words['label']}{unit} | {words['before']} | {words['after']} | {amount} |"
                    f" {words['interval']} | {figure['call']} |"
                )
        found = [f for f in document["findings"] if f["severity"] != "note"]
        lines += ["", *(f"- {f['sentence']}" for f in found)]
        if one.link:
            lines += ["", f"[The entry, with everything behind it]({one.link})"]
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def _cell(text: str) -> str:
    return re.sub(r"[|\n\r<>]", " ", text)


def written(path: Path, text: str) -> None:
    """Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text, encoding="utf-8")
