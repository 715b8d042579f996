"""A real spool, delivered through the real application with the line cut at every place."""

import contextlib

import httpx
import pytest
from bench.recording import plan, quick, run_plan
from django.core.wsgi import get_wsgi_application

from vigilant.bench.deliver import Delivery
from vigilant.bench.errors import DeliveryError
from vigilant.bench.record import verdict
from vigilant.bench.spool import RecordingSpool
from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.entries.models import Entry
from vigilant.server.runs.models import Run
from vigilant.server.runs.store import read_series


class CutLine(httpx.BaseTransport):
    """Passes requests on and cuts the line at request number ``at``: before it arrives, or before its answer."""

    def __init__(self, at: int, answered: bool) -> None:
        self.inner = httpx.WSGITransport(app=get_wsgi_application())
        self.at, self.answered, self.count = at, answered, 0

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        self.count += 1
        if self.count != self.at:
            return self.inner.handle_request(request)
        if self.answered:
            self.inner.handle_request(request)
        raise httpx.ReadError("the line was cut")


@pytest.fixture(scope="module")
def recorded(tmp_path_factory):
    raw = plan(quick(12.0), quick(9.0), runs=2)
    return run_plan(raw, tmp_path_factory.mktemp("resume"))


@pytest.mark.django_db(transaction=True)
def test_whatever_the_recorder_noted_can_be_registered(recorded, settings, tmp_path):
    """Control characters in how an attempt ended, and texts at length: none of it makes a recording stick."""
    settings.ALLOWED_HOSTS = ["testserver"]
    _, spool = recorded
    spool = RecordingSpool.load(spool.directory)
    spool.recording = "7d8f0e62-3d3c-4f0c-9a55-6f9f3a3c8a11"
    spool.slots[0].detail, spool.conditions = "a\x1b[1m\0" + "x" * 3000, {"window": "w\0" * 1000}
    _, token = RecorderToken.issue(Book.objects.create(slug="river", name="River"), "recorder")
    client = httpx.Client(transport=httpx.WSGITransport(app=get_wsgi_application()))
    Delivery("http://testserver", token, client).register(spool)


@pytest.mark.django_db(transaction=True)
def test_a_cut_line_loses_and_doubles_nothing(recorded, settings):
    settings.ALLOWED_HOSTS = ["testserver"]
    parsed, spool = recorded
    _, token = RecorderToken.issue(Book.objects.create(slug="river", name="River"), "recorder")
    for at in range(1, 40):
        cut = CutLine(at, answered=at % 2 == 0)
        client = httpx.Client(transport=cut)
        spool = RecordingSpool.load(spool.directory)
        with contextlib.suppress(DeliveryError):
            answer = Delivery("http://testserver", token, client).deliver(spool)
            break
    assert spool.delivered
    assert answer["verdict"] == verdict(parsed, spool).verdict
    assert (Run.objects.count(), Entry.objects.count()) == (4, 1)
    for slot in spool.slots:
        stored = read_series(Run.objects.get(pk=slot.run))
        assert stored.frame_ms.tobytes() == spool.read(slot).series.frame_ms.tobytes()
    again = Delivery("http://testserver", token, httpx.Client(transport=CutLine(0, False))).deliver(spool)
    assert again == answer


@pytest.mark.django_db(transaction=True)
def test_a_revoked_token_is_reported_and_the_spool_kept(recorded, settings):
    settings.ALLOWED_HOSTS = ["testserver"]
    _, spool = recorded
    client = httpx.Client(transport=CutLine(0, False))
    with pytest.raises(DeliveryError, match=r"\(401\): This token is not known"):
        Delivery("http://testserver", "wrong", client).deliver(spool)
    assert all(spool.stream_path(s).exists() for s in spool.slots)
