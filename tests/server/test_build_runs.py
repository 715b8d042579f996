"""What is kept of each build's runs is what a reading of every run says, whatever happens to one of them."""

import uuid
from datetime import timedelta

import pytest
from django.utils import timezone

from server.delivering import deliver, lines, put_batch, recording, run_body
from server.lines import builds, record
from vigilant.server.books.models import Book
from vigilant.server.ledger.purging import purge_runs
from vigilant.server.runs import figures
from vigilant.server.runs.aside import set_aside
from vigilant.server.runs.closing import close_unreached
from vigilant.server.runs.models import Run, RunFigures
from vigilant.server.scenarios.models import Build, Scenario
from vigilant.server.trend import build_runs
from vigilant.server.trend.models import BuildRuns

pytestmark = pytest.mark.django_db


def said():
    """Of every scenario and way: its runs and what is left out."""
    every = list(Build.objects.values_list("pk", flat=True))
    return {
        (scenario.name, way.version, way.build, way.rig, way.conditions): (way.runs.rows.tobytes(), way.broken, way.aside)
        for scenario in Scenario.objects.all()
        for way in build_runs.recorded_ways(scenario, every)
        if len(way.runs) or way.broken or way.aside
    }  # fmt: skip


def said_anew():
    BuildRuns.objects.all().delete()
    for book in Book.objects.all():
        build_runs.mark_all(book)
    return said()


@pytest.fixture
def three(book, recorder):
    """Builds with three runs each, one of a session that lost a run, and a recording delivered over the line."""
    for i, build in enumerate(builds(3)):
        record(book, build, 12.0 + i, seed=i, day=i)
    record(book, "b03", 12.0, seed=9, day=9, outcomes=["complete", "crashed", "complete"])
    deliver(recorder, recording(), {"before": 12.0, "after": 11.0})
    return book


def _aside(three, **_):
    set_aside(three, [Run.objects.filter(state="complete").first().pk], True, "a fan stood still", None)


def _open_run(recorder):
    asked = recording(order=["before", "after"])
    assert recorder.post("/api/recordings/", asked).status_code == 201
    slot = asked["slots"][0]
    assert recorder.put(f"/api/runs/{slot['run']}/", run_body(asked, slot)).status_code == 201
    assert put_batch(recorder, slot["run"], 0, lines([12.0] * 300, end=False)).status_code == 201
    return asked, slot


def _given_up(three, recorder, **_):
    _open_run(recorder)
    assert len(close_unreached(timezone.now() + timedelta(hours=1))) == 1


def _reopened(three, recorder, **_):
    asked, slot = _open_run(recorder)
    close_unreached(timezone.now() + timedelta(hours=1))
    yield
    assert recorder.put(f"/api/runs/{slot['run']}/", run_body(asked, slot)).status_code == 200
    assert Run.objects.get(pk=slot["run"]).state == "receiving"


def _crashed(three, recorder, **_):
    asked = recording(order=["before", "after"])
    recorder.post("/api/recordings/", asked)
    slot = asked["slots"][0]
    given = run_body(asked, slot, head=None, outcome="crashed")
    assert recorder.put(f"/api/runs/{slot['run']}/", given).status_code == 201


def _delivered(three, recorder, **_):
    deliver(recorder, recording(), {"before": 12.0, "after": 11.0}, seed=3)


def _recorded(three, **_):
    record(three, "b02", 13.0, seed=77, day=20)


def _newer_core(three, monkeypatch, **_):
    run = Run.objects.filter(state="complete").first()
    made = figures.summarize_view
    monkeypatch.setattr(
        figures, "summarize_view", lambda view: made(view).__class__(**{**made(view).__dict__, "mean_ms": 99.0})
    )
    figures.recompute_figures(run.pk)
    assert RunFigures.objects.get(run=run).values["mean_ms"] == 99.0


def _taken_back(three, **_):
    run = Run.objects.filter(state="complete").first().pk
    set_aside(three, [run], True, "a fan stood still", None)
    yield
    set_aside(three, [run], False, "it had not", None)


def _purged(three, **_):
    run = Run.objects.filter(state="complete", build__label="b01").first().pk
    set_aside(three, [run], True, "a fan stood still", None)
    yield
    purge_runs(three, [run], "1 run", None)


CHANGES = (_aside, _taken_back, _given_up, _reopened, _crashed, _delivered, _recorded, _newer_core, _purged)


@pytest.mark.parametrize("change", CHANGES, ids=lambda one: one.__name__.strip("_"))
def test_every_change_of_a_run_is_seen(three, recorder, monkeypatch, change):
    before = said()
    steps = change(three=three, recorder=recorder, monkeypatch=monkeypatch)
    if steps is not None:
        next(steps)
        before = said()
        assert next(steps, "over") == "over"
    after = said()
    assert after != before
    assert after == said_anew()


def test_what_is_kept_is_read_alone(three, django_assert_num_queries):
    before = said()
    assert before == said_anew()
    with django_assert_num_queries(Scenario.objects.count() + 2):
        assert said() == before


def test_a_reading_that_a_change_overtakes_is_not_kept(three, monkeypatch):
    run = Run.objects.filter(state="complete", build__label="b01").first()
    build_runs.mark_all(three)
    numbers = build_runs._numbers

    def overtaken(values):
        monkeypatch.setattr(build_runs, "_numbers", numbers)
        set_aside(three, [run.pk], True, "a fan stood still", None)
        return numbers(values)

    monkeypatch.setattr(build_runs, "_numbers", overtaken)
    said()
    after = said()
    assert after == said_anew()
    (mine,) = [kept for way, kept in after.items() if way[2] == run.build_id]
    assert mine[2] == 1


def test_a_row_of_other_columns_is_read_anew(three):
    before = said()
    row = BuildRuns.objects.exclude(body=None).first()
    row.body = bytes(16) + bytes(row.body)[16:]
    row.save()
    assert said() == before
    row.refresh_from_db()
    assert bytes(row.body).startswith(build_runs.MADE_OF)


def test_ids_keep_their_zeros(three):
    """A run's id may end in zeros, and a recording's too."""
    run = Run.objects.filter(state="complete", build__label="b01").first()
    row = Run.objects.filter(pk=run.pk).values().get()
    ending = uuid.UUID(int=(run.pk.int >> 16) << 16)
    Run.objects.bulk_create([Run(**{**row, "id": ending})])
    of = RunFigures.objects.get(run=run)
    RunFigures.objects.create(run_id=ending, values=of.values, core_version=of.core_version)
    build_runs.mark_all(three)
    scenario = run.scenario_version.scenario
    (way,) = build_runs.recorded_ways(scenario, [run.build_id])
    assert ending in way.runs.ids()
    assert len(way.runs.of(run.slot.recording_id)) == 3
