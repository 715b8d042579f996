"""The table of limits in docs/operating.md is the one in the code."""

import re
from pathlib import Path

from vigilant.formats import limits


def test_every_limit_stands_in_the_docs_with_its_number():
    text = (Path(__file__).resolve().parents[2] / "docs" / "operating.md").read_text()
    rows = dict(re.findall(r"^\| ([A-Z_]+) \| ([\d,e]+) \|", text, re.MULTILINE))
    assert {name: float(value.replace(",", "")) for name, value in rows.items()} == {
        name: float(value) for name, value in vars(limits).items() if name.isupper()
    }
