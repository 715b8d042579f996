"""Advisories are told as they are published, and what could not be asked is never taken for none."""

import io

import advisories
import pytest
from rich.console import Console

GOOD = {"name": "reed", "version": "1.2", "vulns": []}
BAD = {"name": "moss", "version": "2.0", "vulns": [{"id": "ADV-1", "fix_versions": ["2.1"]}]}
SKIPPED = {"name": "fern", "skip_reason": "not found"}
TOTAL = {"metadata": {"dependencies": {"total": 2}}}
HOLE = {
    "via": [{"title": "a hole", "severity": "high"}],
    "range": "<3",
    "fixAvailable": True,
}
THROUGH = {"via": ["moss"], "range": "*", "fixAvailable": False}


@pytest.mark.parametrize(
    ("python", "npm", "code", "said"),
    [
        ([GOOD], {"vulnerabilities": {}, **TOTAL}, advisories.NONE, ["Python: 1 packages asked about, 0", "npm: 2 packages"]),
        ([GOOD, BAD], {"vulnerabilities": {}, **TOTAL}, advisories.SOME, ["ADV-1", "2.1"]),
        ([GOOD, SKIPPED], {"vulnerabilities": {}, **TOTAL}, advisories.NOT_ASKED, ["could not ask about 1 of 2 packages; fern"]),
        ([BAD, SKIPPED], {"vulnerabilities": {}, **TOTAL}, advisories.SOME, ["ADV-1", "could not ask"]),
        ([GOOD], {"vulnerabilities": {"reed": THROUGH, "moss": HOLE}, **TOTAL}, advisories.SOME, ["a hole (high)", "1 advisories"]),
        ([GOOD], {"message": "405 Method Not Allowed"}, advisories.NOT_ASKED, ["npm: could not ask about anything", "405"]),
    ],
)  # fmt: skip
def test_what_is_published_is_said_and_what_was_not_asked_too(python, npm, code, said):
    out = io.StringIO()
    found = [advisories.of_python({"dependencies": python}), advisories.of_npm(npm)]
    assert advisories.say(found, Console(file=out, width=120)) == code
    assert [part for part in said if part not in out.getvalue()] == []


def test_a_program_that_fails_is_not_asked(tmp_path):
    assert advisories._ask(["sh", "-c", "echo no network >&2; exit 1"], tmp_path) == {"message": "no network"}
