"""Limits of counters over HTTP: set from a source, on a rig or every rig, held against runs and what is expected at a view."""

import pytest

from server.standing import doors
from server.test_late_frames import ENTRY, runs  # noqa: F401  (an entry with two lanes, their parts and a counter)
from vigilant.server.backlog.models import CounterLimit

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
LIMITS = f"{ENTRY}counter-limits/"


@pytest.fixture
def counter(editor, runs):  # noqa: F811
    return editor.get(LIMITS).json()["counters"][0]


def limit(editor, of, **changes):
    body = {"counter": of, "kind": "at most", "value": 1.0, "source": "The driver's notes, March.", **changes}
    return editor.post(LIMITS, body)


def test_a_limit_says_who_set_it_from_what_and_where_it_broke(editor, counter):
    (row,) = limit(editor, counter, value=-1.0).json()["rows"]
    assert (row["broken"], row["first_run"], row["measured_here"]) == (True, 0, False)
    assert row["said"].startswith("over in 100")
    assert (row["source"], row["for_rig"]) == ("The driver's notes, March.", "thin laptop")
    (row,) = limit(editor, counter, value=1e6, measured_here=True).json()["rows"]
    assert (row["broken"], row["first_run"], row["measured_here"]) == (False, None, True)
    assert row["said"].startswith("held: ")
    assert CounterLimit.objects.count() == 2
    assert limit(editor, counter, value=None).json()["rows"] == []


def test_every_rig_is_overruled_by_this_one(editor, counter):
    assert limit(editor, counter, every_rig=True).json()["rows"][0]["for_rig"] == ""
    assert limit(editor, counter, value=7).json()["rows"][0]["value"] == 7
    assert (
        limit(editor, counter, value=None).json()["rows"] == []
    )  # taken back here, it does not come back from elsewhere


def test_what_is_expected_at_a_view_stands_with_the_checks_own_cost(editor, counter):
    answer = limit(editor, counter, kind="expected", value=-5.0, check_lane="river", check_path=["steer"])
    (row,) = answer.json()["rows"]
    assert (row["kind"], row["check"], row["broken"]) == ("expected", "river / steer", True)
    assert "too many" in row["said"]
    assert "river / steer itself takes" in row["said"]
    both = limit(editor, counter).json()["rows"]
    assert {one["kind"] for one in both} == {"at most", "expected"}


@pytest.mark.parametrize(("change", "status", "code"), [
    ({"counter": "splendour"}, 422, "counter-unknown"),
    ({"check_lane": "river", "check_path": ["dream"]}, 422, "part-unknown"),
    ({"kind": "at least"}, 400, "invalid"),
    ({"source": " "}, 400, "invalid"),
    ({"value": "many"}, 400, "invalid"),
    ({"arm": "between"}, 422, "arm-unknown"),
])  # fmt: skip
def test_a_limit_of_nothing_is_refused(editor, counter, change, status, code):
    answer = limit(editor, counter, **change)
    assert (answer.status_code, answer.json()["code"]) == (status, code)
    assert not CounterLimit.objects.exists()


def test_a_leg_that_no_run_has_says_so(editor, counter):
    (row,) = limit(editor, counter, leg="the far bank").json()["rows"]
    assert (row["said"], row["broken"]) == ("no run here has the leg the far bank", False)
