"""Histograms of other senders, by a real exporter library and as JSON: kept in their own bounds, whatever comes twice or begins anew."""

import gzip

import orjson
import pytest

from vigilant.server.books.models import Book, RecorderToken
from vigilant.server.field import others
from vigilant.server.field.models import OtherStream

pytestmark = pytest.mark.django_db
SEND = "/api/field/otlp/v1/metrics"


@pytest.fixture
def book():
    return Book.objects.create(slug="river", name="Lanternfall")


@pytest.fixture
def send(client, book):
    _, key = RecorderToken.issue(book, "other", RecorderToken.Scope.FIELD)

    def sending(body, kind="application/json", **headers):
        data = body if isinstance(body, bytes) else orjson.dumps(body)
        return client.post(SEND, data, content_type=kind, headers={"Authorization": f"Bearer {key}", **headers})

    return sending


def export(points, unit="ms", kind="histogram", temporality=2, name="frame.time"):
    data = {kind: {"aggregationTemporality": temporality, "dataPoints": points}}
    resource = {"attributes": [{"key": "service.version", "value": {"stringValue": "river 41"}}]}
    return {
        "resourceMetrics": [
            {"resource": resource, "scopeMetrics": [{"metrics": [{"name": name, "unit": unit, **data}]}]}
        ]
    }


def point(counts, start=1, time=2, bounds=(10, 20), **more):
    place = [{"key": "place", "value": {"stringValue": "quay"}}]
    return {"startTimeUnixNano": str(start), "timeUnixNano": str(time), "explicitBounds": list(bounds), "bucketCounts": [str(c) for c in counts], "attributes": place, **more}  # fmt: skip


def kept():
    return {(low, high): count for low, high, count in OtherStream.objects.get().buckets}


def test_cumulative_ones_count_what_is_new_and_a_reset_begins_anew(send):
    assert send(export([point([5, 3, 1])])).json() == {}
    assert kept() == {(0, 10): 5, (10, 20): 3, (20, None): 1}
    send(export([point([5, 3, 1])]))  # again
    send(export([point([4, 3, 1], time=1)]))  # late
    assert kept() == {(0, 10): 5, (10, 20): 3, (20, None): 1}
    send(export([point([9, 3, 2], time=3)]))
    assert kept() == {(0, 10): 9, (10, 20): 3, (20, None): 2}
    send(export([point([1, 0, 1], start=10, time=11)]))
    assert kept() == {(0, 10): 10, (10, 20): 3, (20, None): 3}
    send(export([point([0, 0, 1], start=10, time=12)]))  # less than before without saying so
    assert kept() == {(0, 10): 10, (10, 20): 3, (20, None): 4}


def test_deltas_add_and_other_bounds_stay_beside_each_other(send):
    send(export([point([5, 3, 1], start=1, time=2)], temporality=1))
    send(export([point([5, 3, 1], start=2, time=3)], temporality=1))
    send(export([point([2, 2], start=3, time=4, bounds=(15,))], temporality=1))
    assert kept() == {(0, 10): 10, (0, 15): 2, (10, 20): 6, (15, None): 2, (20, None): 2}


def test_seconds_become_ms_and_exponential_ones_keep_their_bounds_or_fold_into_ours(send, book):
    send(export([point([1, 1, 1], bounds=(0.01, 0.02))], unit="s"))
    assert set(kept()) == {(0, 10), (10, 20), (20, None)}
    OtherStream.objects.all().delete()
    grown = {
        "startTimeUnixNano": 1,
        "timeUnixNano": 2,
        "scale": 5,
        "zeroCount": 2,
        "positive": {"offset": 128, "bucketCounts": [3, 4]},
    }
    send(export([grown], kind="exponentialHistogram"))
    assert {round(low, 6): count for (low, _), count in kept().items()} == {0.0: 2, 16.0: 7}
    OtherStream.objects.all().delete()
    send(
        export(
            [{**grown, "scale": 0, "zeroCount": 0, "positive": {"offset": 4, "bucketCounts": [7]}}],
            kind="exponentialHistogram",
        )
    )
    assert kept() == {(16, 32): 7}
    assert others.page(book, False, "river 41")[0]["said"] == "0.0 to 100.0 % over 17.5 ms: its bounds tell no nearer"


def test_what_is_no_histogram_of_a_time_is_passed_over_and_said(send):
    told = send(export([point([1, 2, 3])], unit="By")).json()
    assert told["partialSuccess"]["rejectedDataPoints"] == "1"
    for wrong in ([1, 2], [1, -2, 3], [1, 2, "x"]):
        assert send(export([point(wrong)])).json()["partialSuccess"]["rejectedDataPoints"] == "1"
    assert send(export([point([1, 2, 3], bounds=(20, 10))])).json()["partialSuccess"]["rejectedDataPoints"] == "1"
    assert not OtherStream.objects.exists()


@pytest.mark.parametrize(
    ("body", "kind", "headers"),
    [
        (b"{", "application/json", {}),
        (b"[]", "application/json", {}),
        (b'{"resourceMetrics":[7]}', "application/json", {}),
        (b"\xff\xff\xff", "application/x-protobuf", {}),
        (b"no gzip", "application/x-protobuf", {"Content-Encoding": "gzip"}),
        (gzip.compress(b"\x00" * 5_000_000), "application/x-protobuf", {"Content-Encoding": "gzip"}),
        (b"", "application/x-protobuf", {"Content-Encoding": "br"}),
    ],
)
def test_what_is_no_export_is_refused(send, body, kind, headers):
    assert send(body, kind, **headers).status_code == 422


def test_a_book_holds_so_many_streams(send, monkeypatch):
    monkeypatch.setattr(others.limits, "OTHER_STREAMS", 1)
    send(export([point([1, 0, 0])]))
    assert send(export([point([1, 0, 0])], name="another")).json()["partialSuccess"]["rejectedDataPoints"] == "1"


@pytest.mark.django_db(transaction=True)
def test_a_real_exporter_is_understood(live_server):
    from opentelemetry.exporter.otlp.proto.http import Compression
    from opentelemetry.exporter.otlp.proto.http.metric_exporter import OTLPMetricExporter
    from opentelemetry.sdk.metrics import MeterProvider
    from opentelemetry.sdk.metrics.export import PeriodicExportingMetricReader
    from opentelemetry.sdk.metrics.view import ExponentialBucketHistogramAggregation, View
    from opentelemetry.sdk.resources import Resource

    book = Book.objects.create(slug="river", name="Lanternfall")
    _, key = RecorderToken.issue(book, "other", RecorderToken.Scope.FIELD)
    exporter = OTLPMetricExporter(
        f"{live_server.url}{SEND}", headers={"Authorization": f"Bearer {key}"}, compression=Compression.Gzip
    )  # fmt: skip
    reader = PeriodicExportingMetricReader(exporter, export_interval_millis=3_600_000)
    views = [View(instrument_name="grown", aggregation=ExponentialBucketHistogramAggregation())]
    provider = MeterProvider([reader], Resource({"service.version": "river 41"}), views=views)
    meter = provider.get_meter("river")
    plain = meter.create_histogram("frame.time", "ms", explicit_bucket_boundaries_advisory=[10, 17.5, 33])
    grown = meter.create_histogram("grown", "ms")
    meter.create_counter("boats").add(4)
    for i in range(200):
        for histogram in (plain, grown):
            histogram.record(30.0 if i % 10 == 0 else 12.0, {"place": "quay"})
    assert provider.force_flush()
    for _ in range(100):
        plain.record(12.0, {"place": "quay"})
    assert provider.force_flush()
    provider.shutdown()
    rows = {row["metric"]: row for row in others.page(book, False, "river 41")}
    assert (rows["frame.time"]["frames"], rows["frame.time"]["said"]) == (300, "6.7 % over 17.5 ms")
    assert rows["grown"]["frames"] == 200
    assert rows["frame.time"]["about"] == "place quay"
    # What is recorded is told to half its bucket, in its own bounds.
    assert sum(b[2] for b in OtherStream.objects.get(metric="grown").buckets if b[0] < 30 <= b[1]) == 20
