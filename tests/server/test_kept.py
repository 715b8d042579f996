"""Results that outlive the core that made them: read with keys missing, computed anew, migrated from the first shape."""

import json

import pytest
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from server.delivering import ORDER, PLAN, deliver, recording
from vigilant.core import CORE_VERSION
from vigilant.server.entries import comparing
from vigilant.server.entries.keeping import stored
from vigilant.server.entries.models import Balance, Comparison, EarlierResult, Entry
from vigilant.server.runs.models import FigureValue, Run, RunFigures
from vigilant.server.runs.store import read_every
from vigilant.wording import comparison_document

ENTRY = "/api/books/river/entries/1/"
THREE = ["before", "after", "after 2", "after 2", "after", "before"] * 3


@pytest.fixture
def entry(recorder):
    registered = recording()
    deliver(recorder, registered, {"before": 12.0, "after": 10.5})
    recorder.post(f"/api/recordings/{registered['id']}/complete/")
    return Entry.objects.get()


def _paths(document, deep=2):
    """Every key of a document, and of the objects right below it."""
    for key, value in document.items():
        yield (key,)
        inner = value[0] if isinstance(value, list) and value and isinstance(value[0], dict) else value
        if deep > 1 and isinstance(inner, dict):
            yield from ((key, *(rest)) for rest in _paths(inner, deep - 1))


def _without(document, path):
    copy = json.loads(json.dumps(document))
    at = copy
    for key in path[:-1]:
        at = at[key][0] if isinstance(at[key], list) else at[key]
    del at[path[-1]]
    return copy


@pytest.mark.django_db
def test_a_result_is_read_whatever_key_it_lacks(editor, entry):
    kept = Comparison.objects.get()
    whole = kept.result
    assert "sentence" not in json.dumps(whole)
    assert "words" not in json.dumps(whole)
    mean = [("figures", "mean_ms", key) for key in whole["figures"]["mean_ms"]]
    paths = [*_paths(whole), *mean]
    assert len(paths) > 60
    unread = []
    for path in paths:
        Comparison.objects.update(result=_without(whole, path))
        answer = editor.get(ENTRY)
        assert answer.status_code == 200, path
        if answer.json()["result"] is None:
            unread.append(path)
        else:
            assert answer.json()["result"]["sentence"]
    # A comparison without a mean frame can be said nothing of: it is computed anew.
    assert unread == [("figures",), ("figures", "mean_ms"), *(p for p in mean if p[-1] in ("before", "after"))]


@pytest.mark.django_db
def test_an_earlier_cores_verdict_is_made_anew_and_kept_beside(editor, entry):
    whole = Comparison.objects.get().result
    editor.post(f"{ENTRY}decisions/", {"choice": "kept", "why": ""})
    wrong = {**whole, "verdict": "undecided", "figures": {"mean_ms": {**whole["figures"]["mean_ms"], "after": 11.9}}}
    Comparison.objects.update(result=wrong, verdict="undecided", core_version="1")
    assert editor.get(ENTRY).json()["result"]["core_version"] == "1"
    call_command("recompute")
    now = editor.get(ENTRY).json()
    assert (now["verdict"], now["result"]["core_version"]) == ("gain", CORE_VERSION)
    assert Comparison.objects.get().result == whole
    (earlier,) = now["earlier"]
    assert (earlier["stamp"], earlier["core_version"], earlier["changed"]) == ("Undecided", "1", True)
    assert EarlierResult.objects.get().result == wrong
    call_command("recompute")
    assert EarlierResult.objects.count() == 1


@pytest.mark.django_db
def test_every_member_of_a_family_is_made_anew_as_it_was(recorder):
    plan = {**PLAN, "arm": [{"name": n, "command": ["x"]} for n in ("old", "cells", "third")]}
    registered = recording(THREE, plan=plan)
    deliver(recorder, registered, {"before": 12.0, "after": 10.0, "after 2": 11.0})
    recorder.post(f"/api/recordings/{registered['id']}/complete/")
    kept = {c.pk: c.result for c in Comparison.objects.all()}
    assert len(kept) == 2
    Comparison.objects.update(core_version="1")
    for pk in comparing.outdated():
        assert comparing.recompute(pk)
    assert {c.pk: c.result for c in Comparison.objects.all()} == kept


@pytest.mark.django_db
def test_a_run_excluded_since_does_not_change_what_was_compared(entry):
    before = Comparison.objects.get().result
    Run.objects.filter(slot__position=0).update(excluded_at="2026-06-01T00:00:00Z", excluded_why="a cat")
    Comparison.objects.update(core_version="1")
    assert comparing.recompute(Comparison.objects.get().pk)
    assert Comparison.objects.get().result == before


@pytest.mark.django_db
def test_figures_of_runs_and_legs_stand_as_rows_and_are_made_anew(entry):
    run = Run.objects.first()
    values = RunFigures.objects.get(run=run).values
    rows = dict(FigureValue.objects.filter(run=run, leg="").values_list("figure", "value"))
    assert rows["mean_ms"] == values["mean_ms"]
    assert rows["freezes_per_min"] == 0
    # Its one leg is the whole of the play.
    assert dict(FigureValue.objects.filter(run=run, leg="landing stage").values_list("figure", "value")) == rows
    RunFigures.objects.update(core_version="1")
    FigureValue.objects.all().delete()
    call_command("recompute")
    assert dict(FigureValue.objects.filter(run=run, leg="").values_list("figure", "value")) == rows
    assert set(RunFigures.objects.values_list("core_version", flat=True)) == {CORE_VERSION}


def _rows():
    kept = FigureValue.objects.filter(leg="").order_by("run", "figure").values_list("run", "figure", "value")
    return {f"{run} {figure}": value for run, figure, value in kept}


@pytest.mark.django_db(transaction=True)
def test_a_book_of_the_first_shape_migrates_and_shows_the_same(editor, recorder):
    """Its results held words and numbers in one, its ledger had no balance, its figures no rows."""
    for day, levels in ((4, (12.0, 10.5)), (5, (10.9, 10.9))):
        registered = recording(ORDER, created=f"2026-05-{day:02d}T18:30:00Z")
        deliver(recorder, registered, dict(zip(("before", "after"), levels, strict=True)), seed=day)
        recorder.post(f"/api/recordings/{registered['id']}/complete/")
    editor.post(f"{ENTRY}decisions/", {"choice": "kept", "why": ""})
    shown = [editor.get(f"/api/books/river/{path}").json() for path in ("entries/", "entries/1/", "standing/")]
    old = {c.pk: comparison_document(stored(c)) for c in Comparison.objects.all()}
    rows = _rows()
    executor = MigrationExecutor(connection)
    latest = executor.loader.graph.leaf_nodes()
    executor.migrate([("entries", "0003_exceeded"), ("runs", "0005_streams")])
    try:
        first = executor.loader.project_state([("entries", "0003_exceeded"), ("runs", "0005_streams")]).apps
        first.get_model("runs", "Run").objects.update(
            columns={"lanes": ["gpu"], "lane_roles": {"gpu": "graphics"}, "counters": ["draws"], "gaps": {},
                     "parts": [], "figures": {}, "skipped": {}, "zero_frames": 0, "stated_s": None}
        )  # fmt: skip
        Older = first.get_model("entries", "Comparison")
        for pk, document in old.items():
            mean = document["figures"]["mean_ms"]
            Older.objects.filter(pk=pk).update(
                result={**document, "blank": False},
                ledger_line={"stamp": document["stamp"], "runs": "5+5", "mean": mean, "saved": "1", "levels": {}},
            )
    finally:
        MigrationExecutor(connection).migrate(latest)
    again = [editor.get(f"/api/books/river/{path}").json() for path in ("entries/", "entries/1/", "standing/")]
    assert again == shown
    assert Balance.objects.count() == 2
    run = editor.get(f"/api/runs/{Run.objects.first().pk}/").json()
    assert (run["lanes"], run["counters"]) == ([{"name": "gpu", "role": "graphics"}], ["draws"])
    assert len(read_every(list(Run.objects.all()))) == Run.objects.count()
    assert _rows() == pytest.approx(rows)
