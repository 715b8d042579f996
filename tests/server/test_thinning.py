"""Frames that nothing rests on go by a rule of the book; what an entry rests on stays, and figures stay."""

from datetime import timedelta
from types import SimpleNamespace

import pytest
from django.utils import timezone

from server.delivering import deliver, recording, side_by_side
from server.standing import kept_recording
from vigilant.server.books.models import LogLine
from vigilant.server.entries import keeping
from vigilant.server.jobs.models import Job
from vigilant.server.ledger import tasks, thinning
from vigilant.server.problems import Problem
from vigilant.server.runs import figures
from vigilant.server.runs.models import FrameChunk, Run, RunFigures, ThinningRule, TraceLevel

pytestmark = pytest.mark.django_db
RIVER = "/api/books/river/"
RULE = f"{RIVER}thinning/"
WHY = {"why": "The wrong scene was loaded."}


@pytest.fixture
def runs(recorder, editor):
    """Of an entry, and of a recording that was never completed, which no entry rests on: a run set aside, one that is only old, one of today."""
    entry = [slot["run"] for slot in kept_recording(recorder)["slots"]]
    loose = recording(["before", "after", "before"])
    deliver(recorder, loose, {"before": 12.0, "after": 10.0}, 3, 5000)
    aside, old, new = (slot["run"] for slot in loose["slots"])
    editor.post(f"{RIVER}runs/aside/", {"runs": [entry[0], aside], "aside": True, **WHY})
    long_ago = timezone.now() - timedelta(days=100)
    Run.objects.update(started_at=timezone.now())
    Run.objects.filter(pk__in=[*entry, aside, old]).update(started_at=long_ago)
    Run.objects.exclude(excluded_at=None).update(excluded_at=long_ago)
    return SimpleNamespace(entry=entry, aside=aside, old=old, new=new)


def with_frames():
    return {str(run) for run in FrameChunk.objects.values_list("run", flat=True).distinct()}


@pytest.mark.parametrize(
    ("rule", "gone"),
    [
        ({"aside_days": 90, "old_days": None}, {"aside"}),
        ({"aside_days": None, "old_days": 90}, {"aside", "old"}),
        ({"aside_days": 120, "old_days": 120}, set()),
        ({"aside_days": None, "old_days": None}, set()),
    ],
)
def test_only_what_is_old_enough_and_no_entrys_goes(owner, runs, rule, gone):
    told = owner.post(f"{RULE}due/", rule).json()
    before = with_frames()
    assert told["runs"] == len(gone)
    assert told["frames"] == 5000 * len(gone)
    assert (told["stored_bytes"] > 0, bool(told["loses"])) == (bool(gone), bool(gone))
    assert owner.put(RULE, rule).status_code == 200
    assert with_frames() == before  # a rule that is set does nothing yet
    tasks.by_the_rules()
    assert before - with_frames() == {getattr(runs, name) for name in gone}
    thinned = Run.objects.exclude(thinned_at=None)
    assert {str(run.pk) for run in thinned} == before - with_frames()
    assert not TraceLevel.objects.filter(run__in=thinned).exists()
    assert RunFigures.objects.filter(run__in=thinned).count() == len(gone)
    assert LogLine.objects.filter(what="thinned").exists() == bool(gone)
    assert owner.get(RULE).json()["thinned"] == len(gone)


def test_a_run_without_frames_is_read_by_its_figures_and_says_what_became_of_the_rest(owner, editor, recorder, runs):
    owner.put(RULE, {"aside_days": None, "old_days": 90})
    tasks.by_the_rules()
    run = editor.get(f"/api/runs/{runs.old}/").json()
    assert run["thinned_at"] is not None
    assert run["frames"] == 5000
    assert run["mean_ms"] == pytest.approx(10.0, abs=0.5)
    for path in (
        "trace/",
        "frames/",
        "frames/?as=csv",
        "work/",
        "frames/5/",
        "parts/?start=0&stop=5",
        "trace/?from_s=0&to_s=1",
    ):
        answer = editor.get(f"/api/runs/{runs.old}/{path}")
        assert (answer.status_code, answer.json()["code"]) == (409, "frames-thinned"), path
    arms = [{"name": "a", "runs": [runs.old, runs.new]}, {"name": "b", "runs": runs.entry[2:4]}]
    assert side_by_side(editor, {"arms": arms}).json()["code"] == "frames-thinned"
    listed = editor.get("/api/runs/?book=river&thinned=true").json()["results"]
    assert {line["id"] for line in listed} == {runs.aside, runs.old}
    assert editor.get(f"{RIVER}entries/1/evidence/spread/").status_code == 200
    # An entry that is made while they go finds them gone.
    taken = list(Run.objects.filter(pk__in=[runs.old, runs.new]))
    with pytest.raises(Problem, match="went on"):
        keeping.keep(taken[0].book, SimpleNamespace(before=taken[:1], after=taken[1:], order=None))


def test_figures_of_an_earlier_core_stay_where_the_frames_are_gone(owner, runs):
    owner.put(RULE, {"aside_days": None, "old_days": 90})
    tasks.by_the_rules()
    RunFigures.objects.update(core_version="0.0.1")
    assert {str(run) for run in figures.outdated()} == {*runs.entry, runs.new}


def test_a_rule_is_applied_once_a_day_and_one_that_is_changed_at_once(owner, runs):
    def applied():
        tasks.by_the_rules()
        return Job.objects.filter(kind=thinning.THIN).count()

    assert applied() == 0
    owner.put(RULE, {"aside_days": 90, "old_days": None})
    assert [applied(), applied()] == [1, 1]
    owner.put(RULE, {"aside_days": 90, "old_days": 3650})
    assert applied() == 2
    ThinningRule.objects.update(applied_at=timezone.now() - timedelta(hours=25))
    assert applied() == 3


@pytest.mark.parametrize("days", [29, 0, -1, 3651, True, "ninety", 45.5])
def test_days_that_cannot_be_are_refused_and_the_rule_stays(owner, book, days):
    answer = owner.put(RULE, {"aside_days": days, "old_days": None})
    assert answer.status_code == 400
    assert "aside_days" in answer.json()["detail"]
    assert not ThinningRule.objects.exists()


def test_a_rule_that_cannot_be_applied_is_not_begun_again_by_every_sweep(owner, runs, monkeypatch):
    def fails(rule, ids):
        raise RuntimeError("the disk is away")

    owner.put(RULE, {"aside_days": 90, "old_days": None})
    monkeypatch.setattr(thinning, "_thin_some", fails)
    for _ in range(3):
        tasks.by_the_rules()
    assert Job.objects.filter(kind=thinning.THIN).count() == 1
    assert runs.aside in with_frames()
