"""A session of the field as it is read: the documented example, and what is less than before."""

import json
import re
from pathlib import Path

import pytest
from server.field_sessions import TIER, cell, session

from vigilant.formats.errors import FormatError
from vigilant.formats.field import read_snapshot, shrinks

DOCS = Path(__file__).parents[2] / "docs" / "formats.md"


def test_the_documented_example_is_read():
    text = DOCS.read_text()
    body = re.search(r'\{"vigilant_field".*?"elsewhere_frames":0\}', text, re.DOTALL).group()
    found = read_snapshot(
        json.dumps(
            {**json.loads(body.replace("<uuid>", "0" * 32).replace("<32 hexadecimal digits>", "a" * 32))}
        ).encode()
    )
    assert found.cells[0].count == 8
    assert found.sets[0].late == 3
    assert found.bursts[0].now == 10


@pytest.mark.parametrize("body", [b"", b"[]", b"{", b'{"vigilant_field":1}', b'{"a":1,"a":2}', b"\xff", b" " * 40_000])
def test_what_is_none_is_refused(body):
    with pytest.raises(FormatError):
        read_snapshot(body)


BEFORE = session(
    [cell([12.0] * 90 + [30.0] * 10, work_ms=[9.0] * 100), cell([12.0] * 10, place=1)], labels=["rain"], sets=[[0, 0, 1, 2, 90, 3]], refused_frames=2
)  # fmt: skip


@pytest.mark.parametrize(("changes", "said"), [
    ({}, ""), ({"places": [*BEFORE["places"], {"name": "quay"}]}, ""),
    ({"installation": "b" * 32}, "another one"), ({"build": "river 42"}, "another one"), ({"refused_frames": 1}, "refused"),
    ({"cells": BEFORE["cells"][:1]}, "market bank is gone"), ({"tiers": [{**TIER, "settings": {}}]}, "landing stage is gone"),
    ({"cells": [cell([12.0] * 91 + [30.0] * 9, work_ms=[9.0] * 100), BEFORE["cells"][1]]}, "landing stage"),
    ({"cells": [cell([12.0] * 90 + [30.0] * 10), BEFORE["cells"][1]]}, "work"),
    ({"cells": [cell([12.0] * 90 + [30.0] * 10, busiest=1, work_ms=[9.0] * 100), BEFORE["cells"][1]]}, "landing stage"),
    ({"sets": []}, "label"), ({"sets": [[0, 0, 1, 1, 90, 3]]}, "label"), ({"labels": ["fog"]}, "label"),
    ({"labels": ["fog", "rain"], "sets": [[0, 0, 2, 2, 90, 3]]}, ""),
])  # fmt: skip
def test_what_a_later_upload_has_less_of_is_named(changes, said):
    found = shrinks(read_snapshot(BEFORE), read_snapshot({**BEFORE, "seq": 2, **changes}))
    assert said in found
    assert bool(found) == bool(said)
