"""Jobs: begun once, taken up once, taken up again where a worker died, cancelled, given up."""

from datetime import timedelta

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from server.delivering import deliver, lines, put_batch, recording, run_body
from vigilant.core import CORE_VERSION
from vigilant.server.books.models import Book
from vigilant.server.entries.models import Entry
from vigilant.server.jobs import services
from vigilant.server.jobs.models import Job
from vigilant.server.jobs.sweeping import sweep_all
from vigilant.server.problems import unprocessable
from vigilant.server.runs import figures, tasks
from vigilant.server.runs.models import Run, RunBatch

pytestmark = pytest.mark.django_db


class Dies(BaseException):
    """A worker that is killed says nothing more."""


@pytest.fixture(autouse=True)
def queued(settings, monkeypatch):
    """Jobs wait in a list, as they would in the queue."""
    settings.JOBS_INLINE = False
    found = []
    monkeypatch.setattr(services, "publish", lambda job, kind: found.append(job))
    monkeypatch.setattr(services.transaction, "on_commit", lambda call: call())
    monkeypatch.setattr(services, "_alive", _Nothing)
    return found


class _Nothing:
    def __init__(self, work):
        pass

    def __enter__(self):
        pass

    def __exit__(self, *exc):
        pass


@pytest.fixture
def handler(monkeypatch):
    """A kind "count" whose handler does what the test says; the runs it made."""
    made = []

    def do(work, subject, arguments):
        made.append((subject, work.attempt))
        return do.then(work)

    do.then = lambda work: {"n": len(made)}
    do.made = made
    monkeypatch.setitem(services._handlers, "count", do)
    return do


def again(job):
    job.refresh_from_db()
    return job


def lapse(job):
    Job.objects.filter(pk=job.pk).update(lease_until=timezone.now() - timedelta(seconds=1))


def test_a_job_is_begun_once_and_done_once(handler, queued):
    job = services.start("count", "a")
    assert services.start("count", "a") == job
    assert services.start("count", "b") != job
    assert queued[0] == job.pk
    assert len(queued) == 2
    services.run(job.pk)
    services.run(job.pk)
    assert handler.made == [("a", 1)]
    assert (again(job).state, job.result, job.progress) == ("done", {"n": 1}, 1.0)
    assert services.start("count", "a") != job


def test_what_is_asked_for_while_it_runs_is_done_once_more(handler, queued):
    job = services.start("count", "a")
    handler.then = lambda work: services.start("count", "a") and None
    services.run(job.pk)
    assert again(job).state == "done"
    follows = Job.objects.get(state="waiting")
    assert queued == [job.pk, follows.pk]


def test_a_job_is_not_seen_over_before_what_follows_it_is_there(handler, monkeypatch):
    job = services.start("count", "a")
    handler.then = lambda work: (
        services.start("count", "a") and monkeypatch.setattr(services, "start", lambda *_: 1 / 0)
    )
    with pytest.raises(ZeroDivisionError):
        services.run(job.pk)
    assert again(job).state == "running"


def test_a_dead_workers_job_is_taken_up_again_and_the_dead_one_has_no_say(handler, queued):
    job = services.start("count", "a")

    def dies(work):
        raise Dies

    handler.then = dies
    with pytest.raises(Dies):
        services.run(job.pk)
    assert again(job).state == "running"
    services.run(job.pk)
    assert len(handler.made) == 1, "its lease has not run out"
    assert services.sweep() == []
    lapse(job)
    assert services.sweep() == [job.pk]
    handler.then = lambda work: services._over(services.Work(job.pk, 1, job.kind), "failed") or {"by": work.attempt}
    services.run(job.pk)
    assert (again(job).state, job.result, job.attempts) == ("done", {"by": 2}, 2)


def test_one_that_kills_its_worker_each_time_is_given_up(handler):
    job = services.start("count", "a")
    Job.objects.filter(pk=job.pk).update(state="running", attempts=services.MOST_ATTEMPTS)
    lapse(job)
    assert services.sweep() == []
    assert (again(job).state, job.problem["code"], job.active) == ("failed", "job-failed", None)


def test_a_failure_is_tried_again_a_little_later_and_given_up_in_the_end(handler):
    job = services.start("count", "a")
    handler.then = lambda work: 1 / 0
    for attempt in range(1, services.MOST_ATTEMPTS + 1):
        assert again(job).state == "waiting"
        Job.objects.update(not_before=None)
        services.run(job.pk)
        assert again(job).attempts == attempt
    assert (job.state, "division by zero" in job.problem["detail"]) == ("failed", True)


def test_a_problem_of_the_subject_is_said_at_once(handler):
    job = services.start("count", "a")

    def refuses(work):
        raise unprocessable("too-few", "One run is too few.")

    handler.then = refuses
    services.run(job.pk)
    assert (again(job).state, job.problem) == ("failed", {"code": "too-few", "detail": "One run is too few."})


def test_waiting_for_something_is_no_attempt(handler):
    job = services.start("count", "a")

    def waits(work):
        raise services.NotYet("2 runs are still being closed")

    handler.then = waits
    services.run(job.pk)
    assert (again(job).state, job.attempts, job.message) == ("waiting", 0, "2 runs are still being closed")
    services.run(job.pk)
    assert len(handler.made) == 1, "not before a moment has passed"


def test_what_nobody_took_up_is_published_again(handler, queued):
    job = services.start("count", "a")
    assert services.sweep() == []
    Job.objects.update(created_at=timezone.now() - timedelta(minutes=1))
    assert services.sweep() == [job.pk]
    assert queued == [job.pk, job.pk]


def test_a_job_is_cancelled_where_it_is_shown(handler, editor, people):
    book = Book.objects.get()
    waiting, running = (services.start("count", name, book) for name in "ab")
    url = "/api/jobs/{}/cancel/".format
    assert editor.post(url(waiting.pk)).json()["state"] == "cancelled"
    seen = []

    def steps(work):
        work.at(0.25, "a quarter")
        seen.append(editor.get(f"/api/jobs/{running.pk}/").json())
        editor.post(url(running.pk))
        work.at(0.5)
        seen.append("never")

    handler.then = steps
    services.run(running.pk)
    assert again(running).state == "cancelled"
    (at,) = seen
    assert (at["state"], at["progress"], at["message"]) == ("running", 0.25, "a quarter")
    services.run(waiting.pk)
    assert [subject for subject, _ in handler.made] == ["b"]


def test_a_job_of_another_book_is_not_there(handler, editor):
    other = Book.objects.create(slug="other", name="Other")
    job = services.start("count", "a", other)
    assert editor.get(f"/api/jobs/{job.pk}/").status_code == 404
    assert editor.post(f"/api/jobs/{job.pk}/cancel/").status_code == 404


def test_a_run_whose_closing_is_given_up_is_broken_and_nothing_waits_for_it(recorder, editor, monkeypatch):
    sent = recording(["before", "after"])
    assert recorder.post("/api/recordings/", sent).status_code == 201
    for slot in sent["slots"]:
        recorder.put(f"/api/runs/{slot['run']}/", run_body(sent, slot))
        put_batch(recorder, slot["run"], 0, lines([12.0, 13.0]))
        assert recorder.post(f"/api/runs/{slot['run']}/complete/", {"frames": 2}).json()["state"] == "closing"
    job = Job.objects.filter(kind="close run").first()
    assert editor.post(f"/api/jobs/{job.pk}/cancel/").json()["code"] == "job-needed"
    assert recorder.post(f"/api/recordings/{sent['id']}/complete/", {}).status_code == 202
    compare = Job.objects.get(kind="compare recording")
    services.run(compare.pk)
    assert again(compare).message == "2 of 2 runs are still being closed"
    for closing in Job.objects.filter(kind="close run"):
        Job.objects.filter(pk=closing.pk).update(state="running", attempts=services.MOST_ATTEMPTS)
        lapse(closing)
    sweep_all()
    sweep_all()
    for run in Run.objects.all():
        assert (run.state, run.outcome) == ("broken", "broken")
        assert "its worker died" in run.detail.lower()
    assert RunBatch.objects.exclude(body=None).count() == 2
    Job.objects.filter(pk=compare.pk).update(not_before=None)
    services.run(compare.pk)
    assert again(compare).problem["code"] == "no-verdict"


def test_what_cannot_be_made_anew_is_not_tried_by_every_sweep(monkeypatch):
    monkeypatch.setattr(figures, "outdated", lambda: ["a run"])
    tasks.outdated()
    tasks.outdated()
    job = Job.objects.get()
    assert (job.kind, job.arguments) == ("figures of run", {"core": CORE_VERSION})
    Job.objects.update(state="failed", active=None)
    tasks.outdated()
    assert Job.objects.count() == 1


def test_what_has_long_been_over_goes_and_what_goes_on_stays(handler):
    for days, state in ((31, "done"), (31, "failed"), (1, "done")):
        job = services.start("count", f"{days} {state}")
        Job.objects.filter(pk=job.pk).update(
            state=state, active=None, finished_at=timezone.now() - timedelta(days=days)
        )
    services.start("count", "waits")
    services.sweep()
    assert sorted(Job.objects.values_list("subject", flat=True)) == ["1 done", "waits"]


@pytest.fixture
def two_arms(recorder, settings):
    sent = recording()
    settings.JOBS_INLINE = True
    deliver(recorder, sent, {"before": 12.0, "after": 10.0}, frames=120)
    settings.JOBS_INLINE = False
    return {arm: [s["run"] for s in sent["slots"] if s["arm"] == arm] for arm in ("before", "after")}


def test_arms_side_by_side_are_found_by_a_job_that_can_be_cancelled(two_arms, editor, people):
    asked = {"arms": [{"runs": runs} for runs in two_arms.values()]}
    reader = APIClient()
    reader.force_login(people["reader"])
    begun = reader.post("/api/books/river/arms/", asked)
    assert begun.status_code == 202
    url = f"/api/books/river/arms/{begun.json()['id']}/"
    assert reader.get(url).json()["code"] == "job-not-done"
    assert reader.post("/api/books/river/arms/", asked).json()["id"] == begun.json()["id"]
    assert editor.post(f"/api/jobs/{begun.json()['id']}/cancel/").json()["state"] == "cancelled"
    assert reader.get(url).json()["code"] == "job-not-done"
    second = reader.post("/api/books/river/arms/", asked).json()
    services.run(second["id"])
    found = reader.get(url.replace(begun.json()["id"], second["id"])).json()
    assert [p["result"]["verdict"] for p in found["pairs"]] == ["gain"]
    assert editor.get(f"/api/jobs/{second['id']}/").json()["result"] is None


def test_stored_runs_become_one_entry_however_often_the_job_is_done(two_arms, editor):
    begun = editor.post("/api/books/river/comparisons/", {"title": "late", **two_arms})
    job = Job.objects.get(pk=begun.json()["id"])
    services.run(job.pk)
    assert again(job).result["verdict"] == "gain"
    Job.objects.filter(pk=job.pk).update(state="waiting", active="x")
    services.run(job.pk)
    assert again(job).state == "done"
    assert [e.title for e in Entry.objects.all()] == ["late"]
    assert editor.get(f"/api/jobs/{job.pk}/").json()["result"]["path"] == "/river/entries/1"


@pytest.mark.parametrize("path", ["comparisons", "arms"])
def test_runs_that_make_no_arm_are_refused_before_any_job(path, two_arms, editor):
    Run.objects.filter(pk=two_arms["after"][0]).update(state="broken")
    body = {"title": "x", **two_arms} if path == "comparisons" else {"arms": [{"runs": r} for r in two_arms.values()]}
    before = Job.objects.count()
    assert editor.post(f"/api/books/river/{path}/", body).json()["code"] == "run-not-complete"
    assert Job.objects.count() == before
