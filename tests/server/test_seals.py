"""A book's seal: what is written in the ledger is chained, and what was altered past it is found and named."""

from datetime import timedelta

import pytest
from django.apps import apps
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.utils import timezone

from server.standing import doors, kept_recording
from vigilant.server.entries.models import Comparison, Correction, Decision, Entry
from vigilant.server.goals.models import Goal, GoalMove
from vigilant.server.runs.models import Run
from vigilant.server.seals import services
from vigilant.server.seals.models import Chain, Link

pytestmark = pytest.mark.django_db
_shared = doors("module")
book, people, token, recorder = _shared.book, _shared.people, _shared.token, _shared.recorder
editor, owner = _shared.editor, _shared.owner

RIVER = "/api/books/river/"
WHY = {"why": "The wrong scene was loaded."}


@pytest.fixture(scope="module")
def sealed(book, recorder, editor):
    """Two recorded entries, one corrected and decided twice, one withdrawn; a goal moved; runs set aside, one back."""
    opened = editor.post(f"{RIVER}entries/", {"title": "Awnings", "why": "Painted twice.", "expected": "Less."})
    assert opened.status_code == 201
    runs = [s["run"] for s in kept_recording(recorder, seed=1)["slots"]]
    kept_recording(recorder, 10.5, 10.0, seed=2)
    assert editor.patch(f"{RIVER}entries/2/", {"title": "Other words"}).status_code == 200
    for choice in ("more runs", "kept"):
        assert editor.post(f"{RIVER}entries/2/decisions/", {"choice": choice, "why": "So."}).status_code == 201
    editor.post(f"{RIVER}entries/3/withdrawals/", {"withdrawn": True, **WHY})
    scenario = editor.get(f"{RIVER}scenarios/").json()[0]["id"]
    goal = {"figure": "p99_ms", "threshold": 20, "reason": "The finale."}
    goals = editor.post(f"{RIVER}scenarios/{scenario}/goals/", goal).json()
    editor.post(f"{RIVER}goals/{goals[0]['id']}/moves/", {"threshold": 18.5, "reason": "Seen."})
    for ids, aside in ((runs[:2], True), (runs[:1], False)):
        assert editor.post(f"{RIVER}runs/aside/", {"runs": ids, "aside": aside, **WHY}).status_code == 200
    return runs


def test_all_that_the_ledger_writes_is_sealed_and_whole(editor, book, sealed):
    assert services.faults_of(book) == []
    done = list(Link.objects.order_by("number").values_list("what", "subject"))
    assert done[0] == ("opened", "entry 1")
    for found in (
        ("recorded", "entry 2"),
        ("corrected", "entry 2"),
        ("withdrawn", "entry 3"),
        ("set aside", f"run {sealed[1]}"),
        ("taken back", f"run {sealed[0]}"),
    ):
        assert found in done
    assert sum(what == "decided" for what, _ in done) == 2
    before = editor.get(f"{RIVER}seal/").json()
    assert (before["length"], before["checked_at"]) == (len(done), None)
    after = editor.post(f"{RIVER}seal/").json()
    assert (after["checked_length"], after["faults"], after["head"]) == (len(done), [], Link.objects.last().hash)


def test_a_reader_may_check_and_a_stranger_sees_nothing(people, sealed, client, django_user_model):
    client.force_login(people["reader"])
    assert client.post(f"{RIVER}seal/").status_code == 202
    client.force_login(django_user_model.objects.create_user("stranger"))
    assert client.get(f"{RIVER}seal/").status_code == 404


def _result_altered():
    made = Comparison.objects.get(entry__number=2)
    made.result["figures"]["mean_ms"]["d"] *= 1.0000001
    made.save()


ALTERED = {
    "a title": (lambda: Entry.objects.filter(number=2).update(title="Better words"), "Entry 2 was altered"),
    "an expectation": (lambda: Entry.objects.filter(number=1).update(expected="More."), "Entry 1 was altered"),
    "a withdrawal": (lambda: Entry.objects.filter(number=3).update(withdrawn_at=None), "Entry 3 was altered"),
    "a digit of a result": (_result_altered, "Entry 2 was altered"),
    "a verdict": (lambda: Comparison.objects.filter(entry__number=2).update(verdict="regression"), "Entry 2 was"),
    "a decision": (lambda: Decision.objects.filter(choice="kept").update(choice="dropped"), "of entry 2 was altered"),
    "when it was": (
        lambda: Decision.objects.filter(choice="kept").update(decided_at=timezone.now() - timedelta(days=9)),
        "of entry 2 was altered",
    ),
    "a threshold": (lambda: GoalMove.objects.filter(threshold=18.5).update(threshold=30.0), "Threshold "),
    "a goal": (lambda: Goal.objects.update(figure="p50_ms"), "Goal "),
    "an exclusion": (lambda: Run.objects.exclude(excluded_at=None).update(excluded_why="Too slow."), "Run "),
    "an exclusion taken back": (
        lambda: Run.objects.update(excluded_at=None, excluded_why="", excluded_by=None),
        "Run ",
    ),
    "a decision gone": (lambda: Decision.objects.filter(choice="more runs").delete(), "is gone; it was sealed"),
    "a correction gone": (lambda: Correction.objects.all().delete(), "Correction "),
}


@pytest.mark.parametrize("done", ALTERED)
def test_one_altered_row_is_found_and_named(done, book, sealed):
    alter, said = ALTERED[done]
    alter()
    found = services.faults_of(book)
    assert len(found) == 1
    assert said in found[0]


def test_a_row_written_past_the_ledger_is_found(book, sealed):
    Entry.objects.create(book=book, number=9, title="Smuggled in")
    Run.objects.filter(pk=sealed[2]).update(excluded_at=timezone.now(), excluded_why="Too slow.")
    assert services.faults_of(book) == [
        f"Run {sealed[2]} was never sealed: it was written past the ledger.",
        "Entry 9 was never sealed: it was written past the ledger.",
    ]


@pytest.mark.parametrize(
    ("alter", "said"),
    [
        (lambda link: Link.objects.filter(pk=link.pk).update(what="put back"), "was altered"),
        (lambda link: Link.objects.filter(pk=link.pk).update(at=link.at - timedelta(days=1)), "was altered"),
        (lambda link: link.delete(), "is gone from the chain"),
        (lambda link: Link.objects.filter(number__gt=link.number).delete(), "it was "),
        (lambda link: Chain.objects.update(length=link.number, head=link.hash), "The chain ends at link"),
    ],
)
def test_an_altered_chain_is_found(alter, said, book, sealed):
    alter(Link.objects.get(number=4))
    assert said in " ".join(services.faults_of(book))


def test_a_link_made_anew_breaks_the_one_after_it(book, sealed):
    link = Link.objects.get(number=2)
    new = services.link_hash(link.number, "put back", link.subject, link.content, link.at, link.before)
    Link.objects.filter(pk=link.pk).update(what="put back", hash=new)
    assert [f for f in services.faults_of(book) if "Link 3" in f and "does not hold the link before it" in f]


def test_what_is_purged_says_so_in_the_chain(book, owner, sealed):
    assert owner.post(f"{RIVER}entries/3/purge/", {"with_runs": True, "confirmed": "entry 3"}).status_code == 200
    assert services.faults_of(book) == []
    assert ("purged", "entry 3") in Link.objects.values_list("what", "subject")


def test_a_check_keeps_what_it_found_and_names_so_many(editor, book, sealed, monkeypatch):
    monkeypatch.setattr(services, "MOST_NAMED", 1)
    Decision.objects.update(why="Otherwise.")
    found = editor.post(f"{RIVER}seal/").json()["faults"]
    assert (len(found), found[1]) == (2, "1 more.")
    assert editor.get(f"{RIVER}seal/").json()["faults"] == found


def test_a_book_of_before_there_were_seals_is_sealed_as_it_stands(book, sealed):
    Link.objects.all().delete()
    Chain.objects.all().delete()
    step = MigrationExecutor(connection).loader.get_migration("seals", "0002_what_was_there").operations[0]
    step.code(apps, None)
    assert services.faults_of(book) == []
    assert set(Link.objects.values_list("what", flat=True)) == {"sealed"}
    Decision.objects.update(why="Otherwise.")
    assert len(services.faults_of(book)) == 2
