"""The lists in findings, each written out; a word that is no figure's stays as it was given."""

import pytest

from vigilant.core import Finding
from vigilant.wording import finding_sentence


@pytest.mark.parametrize(
    ("code", "evidence", "sentence"),
    [
        (
            "work-unlike",
            {"unlike": [{"witness": "boats", "percent": 1.5}, {"witness": "lamps", "percent": -2.04}]},
            "The arms did not do the same work: boats +1.5 %; lamps -2 %.",
        ),
        (
            "odd-run",
            {"odd": [{"run": 3, "arm": "before", "percent": 12.4}, {"run": 5, "arm": "after", "percent": -7.0}]},
            "A run is unlike the others of its arm: run 3 before, 12 % slower; run 5 after, 7 % faster.",
        ),
        (
            "target-missing",
            {"dropped": ["late_share", "something of its own"]},
            "No target rate was set, so lateness was left out: Late frames, something of its own.",
        ),
    ],
)
def test_lists_are_written_out(code, evidence, sentence):
    assert finding_sentence(Finding(code, "warn", evidence)) == sentence
