"""A run's frames by time, across chunks; and what its legs came to."""

import numpy as np
import pytest

from server.standing import doors, kept_recording
from vigilant.core import FrameSeries, Mark, Policy, summarize
from vigilant.core.legs import only_legs
from vigilant.formats.run import ReadRun
from vigilant.server.runs.codec import CHUNK
from vigilant.server.runs.figures import store_read_run
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import frames_between

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner
FRAMES = CHUNK + 700


@pytest.fixture(scope="module")
def long(recorder):
    """A run over two chunks, with a leg that is no play between two that are."""
    kept_recording(recorder)
    run = Run.objects.first()
    x = np.random.default_rng(4).uniform(5.0, 20.0, FRAMES)
    marks = [Mark(0, "river"), Mark(1000, "menu", False), Mark(1200, "bank")]
    store_read_run(run, ReadRun(source="made", series=FrameSeries(x, marks=marks)))
    run.save()
    return run, x


@pytest.mark.parametrize("edges", [(0, 40), (CHUNK - 3, CHUNK + 5), (CHUNK, CHUNK + 1), (FRAMES - 2, FRAMES)])
def test_the_frames_that_begin_in_a_time(edges, long):
    run, x = long
    starts = np.concatenate(([0.0], np.cumsum(x)))
    first, stop = edges
    # From just before one begins up to just before another does.
    assert frames_between(run, (starts[first] - 1e-6) / 1000, (starts[stop] - 1e-6) / 1000) == (first, stop)


def test_a_window_by_time_is_that_by_frames(editor, long):
    run, x = long
    starts = np.cumsum(x) - x
    trace = f"/api/runs/{run.pk}/trace/"
    by_time = editor.get(f"{trace}?from_s={starts[500] / 1000 - 1e-7}&to_s={starts[560] / 1000 - 1e-7}").json()
    assert by_time == editor.get(f"{trace}?start=500&stop=560").json()
    assert editor.get(f"{trace}?from_s=1e5&to_s=2e5").json()["code"] == "window-empty"
    for wrong in ("from_s=1", "from_s=nan&to_s=2", "from_s=-1&to_s=2"):
        assert editor.get(f"{trace}?{wrong}").status_code == 400


def test_legs_that_count_have_their_figures(editor, long):
    run, x = long
    found = editor.get(f"/api/runs/{run.pk}/").json()["leg_rows"]
    assert [leg["leg"] for leg in found] == ["river", "bank"]
    series = FrameSeries(x, marks=[Mark(0, "river"), Mark(1000, "menu", False), Mark(1200, "bank")])
    own = summarize(only_legs(series, (), ["river"]), Policy())
    rows = {row["name"]: row["value"] for row in found[0]["rows"]}
    assert rows["mean_ms"] == f"{own.mean_ms:.2f}"
    assert rows["worst_ms"] == f"{own.worst_ms:.2f}"
