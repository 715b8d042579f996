"""Jobs are started, taken up, kept alive, cancelled, and taken up again where a worker died.

The rows are the truth: losing the queue, or every worker, loses no work, since the sweep finds what
is left. Handlers take a subject's key, may be run again at any point, and keep their own short
transactions.
"""

from __future__ import annotations

import hashlib
import logging
import threading
from collections.abc import Callable, Mapping
from datetime import timedelta
from functools import partial
from typing import Any
from uuid import UUID

import orjson
import structlog
from django.conf import settings
from django.db import IntegrityError, OperationalError, close_old_connections, connection, transaction
from django.db.models import F, Q
from django.utils import timezone

from vigilant.server.books.models import Book
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable
from vigilant.server.upkeep.metrics import JOB_S, JOBS
from vigilant.server.wake import tell

from .models import Job

log = logging.getLogger(__name__)
#: A worker that has not said it lives for so long is taken for dead; it says so three times as often.
LEASE_S = 30.0
#: A job that fails by no fault of its subject is tried so often.
MOST_ATTEMPTS = 5
#: So long nobody took it up: the queue was lost, or never reached.
UNHEARD_S = 10.0
#: So long a job that is over can be asked for, with what it found.
KEPT_DAYS = 30
#: One that waits for something looks again after so long.
AGAIN_S = 1.0

Handler = Callable[["Work", str, Mapping[str, Any]], Any]
_handlers: dict[str, Handler] = {}
_needed: set[str] = set()
_heavy: set[str] = set()


class Cancelled(Exception):
    """Somebody asked for the job to be cancelled, and its handler gave way."""


class NotYet(Exception):
    """What the job needs is not there yet: it waits and looks again. Not an attempt."""


def handles(kind: str, needed: bool = False, heavy: bool = False) -> Callable[[Handler], Handler]:
    """Registers the handler of a kind: called with the work, the subject's key and the job's arguments. Nobody can
    cancel one that is ``needed``: what waits for it would wait for ever. What is ``heavy`` has workers of its own."""

    def register(handler: Handler) -> Handler:
        _handlers[kind] = handler
        if needed:
            _needed.add(kind)
        if heavy:
            _heavy.add(kind)
        return handler

    return register


class Work:
    """What a handler sees of its job."""

    def __init__(self, job: UUID, attempt: int, kind: str) -> None:
        self.job, self.attempt, self.kind = job, attempt, kind

    def at(self, share: float, message: str = "") -> None:
        """Say how far it is; raises :class:`Cancelled` where that was asked for."""
        mine = Job.objects.filter(pk=self.job, attempts=self.attempt)
        mine.update(progress=min(1.0, max(0.0, share)), message=message[:300])
        tell(self.job)
        if mine.filter(cancel_asked=True).exists():
            raise Cancelled


def start(kind: str, subject: Any, book: Book | None = None, **arguments: Any) -> Job:
    """The active job of this kind on this subject, begun if there is none. It is published when the transaction
    around is committed; with :setting:`JOBS_INLINE` it is done at once."""
    key = f"{kind} {subject}"
    # Locked while the caller's transaction lasts: a worker that takes the job up reads what the caller wrote.
    known = Job.objects.select_for_update() if connection.in_atomic_block else Job.objects
    job = known.filter(active=key).first()
    Job.objects.filter(active=key, state=Job.State.RUNNING).update(again=True)
    if job is None:
        try:
            with transaction.atomic():
                job = Job.objects.create(kind=kind, subject=str(subject), active=key, book=book, arguments=arguments)
        except IntegrityError:  # another was quicker
            return Job.objects.get(active=key)
        if settings.JOBS_INLINE:
            run(job.pk)
            job.refresh_from_db()
        else:
            transaction.on_commit(partial(publish, job.pk, kind))
    return job


def digest_of(*asked: Any) -> str:
    """A subject for a job that is known by all it is asked."""
    return hashlib.sha256(orjson.dumps(asked, option=orjson.OPT_SORT_KEYS)).hexdigest()


def publish(job: UUID, kind: str) -> None:
    """Wake a worker of its queue. Where the queue is away the sweep does it later."""
    from .tasks import work_on

    try:
        work_on.apply_async((str(job),), queue=settings.QUEUES[kind in _heavy])
    except Exception as error:
        log.warning("job %s waits for the sweep: the queue does not answer (%s)", job, error)


def run(job_id: UUID) -> None:
    """Take a job up and do it, unless somebody else has or it is over."""
    now = timezone.now()
    free = Q(state=Job.State.WAITING) & (Q(not_before=None) | Q(not_before__lte=now))
    lapsed = Q(state=Job.State.RUNNING, lease_until__lt=now)
    taken = Job.objects.filter(free | lapsed, pk=job_id).update(
        state=Job.State.RUNNING,
        attempts=F("attempts") + 1,
        lease_until=now + timedelta(seconds=LEASE_S),
        started_at=now,
        problem=None,
    )
    if not taken:
        return
    job = Job.objects.get(pk=job_id)
    work = Work(job.pk, job.attempts, job.kind)
    if job.cancel_asked:
        return _over(work, Job.State.CANCELLED)
    handler = _handlers.get(job.kind)
    if handler is None:
        return _fail(work, "job-unknown", f"No worker knows work of the kind {job.kind!r}.")
    with (
        _alive(work),
        structlog.contextvars.bound_contextvars(job=str(job.pk), kind=job.kind),
        JOB_S.labels(job.kind).time(),
    ):
        try:
            result = handler(work, job.subject, job.arguments)
        except Cancelled:
            _over(work, Job.State.CANCELLED)
        except NotYet as reason:
            soon = timezone.now() + timedelta(seconds=AGAIN_S)
            mine = Job.objects.filter(pk=work.job, attempts=work.attempt)
            mine.update(state=Job.State.WAITING, attempts=F("attempts") - 1, not_before=soon, message=str(reason)[:300])
        except Problem as problem:
            _fail(work, problem.problem_code, str(problem.detail))
        except Exception as error:
            log.exception("job %s failed", job)
            _again(work, error)
        else:
            _done(work, result)


def _again(work: Work, error: Exception) -> None:
    """A failure that is not the subject's: the job waits a little longer each time, and is given up in the end."""
    if work.attempt >= MOST_ATTEMPTS:
        return _fail(work, "job-failed", f"Given up after {work.attempt} attempts: {error}"[:1000])
    try:
        soon = timezone.now() + timedelta(seconds=AGAIN_S * 2**work.attempt)
        mine = Job.objects.filter(pk=work.job, attempts=work.attempt)
        mine.update(state=Job.State.WAITING, not_before=soon, message=f"tried {work.attempt} times: {error}"[:300])
    except OperationalError:
        pass  # the database is away: its lease runs out, and the sweep takes it up
    return None


@in_transaction
def _done(work: Work, result: Any) -> None:
    """Over, and begun again where that was asked for meanwhile: nobody sees its subject without a job in between."""
    _over(work, Job.State.DONE, result=result, progress=1.0)
    job = Job.objects.select_related("book").get(pk=work.job)
    if job.again and job.state == Job.State.DONE:
        start(job.kind, job.subject, job.book, **job.arguments)


def _fail(work: Work, code: str, detail: str) -> None:
    _over(work, Job.State.FAILED, problem={"code": code, "detail": detail})


def _over(work: Work, state: str, **values: Any) -> None:
    """Only of the attempt that is still the newest: one whose lease ran out has nothing more to say."""
    ended = Job.objects.filter(pk=work.job, attempts=work.attempt, state=Job.State.RUNNING).update(
        state=state, active=None, lease_until=None, finished_at=timezone.now(), **values
    )
    if ended:
        JOBS.labels(work.kind, state).inc()
    tell(work.job)


class _alive:
    """Says, from a thread with a connection of its own, that the worker lives, while a handler is busy."""

    def __init__(self, work: Work) -> None:
        self.work, self.over = work, threading.Event()
        self.thread = threading.Thread(target=self._say, daemon=True) if not settings.JOBS_INLINE else None

    def __enter__(self) -> None:
        if self.thread:
            self.thread.start()

    def __exit__(self, *exc: object) -> None:
        self.over.set()
        if self.thread:
            self.thread.join()

    def _say(self) -> None:
        while not self.over.wait(LEASE_S / 3):
            try:
                close_old_connections()
                until = timezone.now() + timedelta(seconds=LEASE_S)
                Job.objects.filter(pk=self.work.job, attempts=self.work.attempt).update(lease_until=until)
            except OperationalError:
                continue
        connection.close()


def cancel(job: Job) -> None:
    """Ask for a job to be cancelled; one that waits is over at once. Raises a problem for one that is needed."""
    if job.kind in _needed:
        raise conflict("job-needed", f"The job {job.kind!r} is needed by what follows and cannot be cancelled.")
    Job.objects.filter(pk=job.pk, state__in=Job.ACTIVE).update(cancel_asked=True)
    Job.objects.filter(pk=job.pk, state=Job.State.WAITING).update(
        state=Job.State.CANCELLED, active=None, finished_at=timezone.now()
    )


def result_of_job(job: Job) -> Any:
    """What a job found. Raises its problem where it failed, and one of its own while there is nothing."""
    if job.state == Job.State.DONE:
        return job.result
    if job.state == Job.State.FAILED:
        raise unprocessable(job.problem["code"], job.problem["detail"])
    said = "was cancelled" if job.state == Job.State.CANCELLED else "is not done yet"
    raise conflict("job-not-done", f"The job {job.kind!r} {said}.", state=job.state)


def over(kind: str, **arguments: Any) -> set[str]:
    """Subjects that a job of this kind with these arguments is over for, however it ended."""
    ended = Job.objects.filter(kind=kind, active=None, **{f"arguments__{k}": v for k, v in arguments.items()})
    return set(ended.values_list("subject", flat=True))


def sweep() -> list[UUID]:
    """Publish again what nobody took up and what a dead worker left; the jobs. What has long been over goes."""
    now = timezone.now()
    unheard = now - timedelta(seconds=UNHEARD_S)
    waiting = Q(state=Job.State.WAITING) & (Q(not_before__lte=now) | Q(not_before=None, created_at__lte=unheard))
    left = Q(state=Job.State.RUNNING, lease_until__lt=now)
    # One that kills its worker each time would come back for ever.
    for job in Job.objects.filter(left, attempts__gte=MOST_ATTEMPTS):
        _fail(Work(job.pk, job.attempts, job.kind), "job-failed", f"Its worker died {job.attempts} times.")
    Job.objects.filter(active=None, finished_at__lt=now - timedelta(days=KEPT_DAYS)).delete()
    found = list(Job.objects.filter(waiting | left).order_by("created_at").values_list("pk", "kind")[:1000])
    for job_id, kind in found:
        publish(job_id, kind)
    return [job_id for job_id, _ in found]
