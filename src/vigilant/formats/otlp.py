"""Histograms of frame times that come by OTLP: in their own bounds, explicit or exponential, as protobuf or JSON.

Only what is a histogram of a time is read; everything else is counted and passed over. The open protocol is opentelemetry-proto's; bounds are
never spread over ours.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import orjson
from google.protobuf.message import DecodeError
from opentelemetry.proto.collector.metrics.v1.metrics_service_pb2 import ExportMetricsServiceRequest

from vigilant.core.errors import CoreError
from vigilant.core.field import EDGES_MS, Bucket, Histogram, explicit, exponential

from . import limits, strict_json
from .errors import FormatError

#: Units of time that a histogram may be in, ms each.
UNITS_MS = {"ns": 1e-6, "us": 1e-3, "ms": 1.0, "s": 1000.0}
CUMULATIVE = 2
_TEMPORALITY = {"AGGREGATION_TEMPORALITY_DELTA": 1, "AGGREGATION_TEMPORALITY_CUMULATIVE": CUMULATIVE}


@dataclass(frozen=True)
class Point:
    """What one stream of histograms has counted between two stamps, ns: ``build`` is its service's version, ``about`` what its attributes say,
    ``stream`` a digest of all that tells it from others."""

    metric: str
    build: str
    about: Mapping[str, str]
    stream: str
    cumulative: bool
    start_ns: int
    time_ns: int
    buckets: tuple[Bucket, ...]


@dataclass(frozen=True)
class Read:
    """Points that were read, and how many others were passed over."""

    points: tuple[Point, ...]
    passed_over: int


def read_otlp(body: bytes, is_json: bool) -> Read:
    """Raises :class:`FormatError` ``otlp-unreadable`` for a body that is none."""
    try:
        resources = _of_json(strict_json.loads(body)) if is_json else _of_protobuf(body)
    except (DecodeError, strict_json.JsonRefused, KeyError, TypeError, ValueError, AttributeError) as error:
        raise FormatError("otlp-unreadable", f"it is no export of metrics: {error}") from None
    points, passed_over = [], 0
    for attributes, metric, kind, point in resources:
        try:
            found = _point(attributes, metric, kind, point)
        except (CoreError, KeyError, TypeError, ValueError, OverflowError):
            found = None
        if found is None:
            passed_over += 1
        else:
            points.append(found)
    return Read(tuple(points), passed_over)


#: Attributes, the metric, its kind, and one point of it, all in OTLP's JSON names.
Raw = tuple[Mapping[str, str], Mapping[str, Any], str, Mapping[str, Any]]
_KINDS = ("histogram", "exponentialHistogram")


def _of_json(value: Any) -> list[Raw]:
    """JSON by hand: the library would read its ids as base64, and takes seconds for what is long."""
    return [
        (_attributes(resource.get("resource", {})), metric, kind, point)
        for resource in value["resourceMetrics"]
        for scope in resource.get("scopeMetrics", [])
        for metric in scope.get("metrics", [])
        for kind in (next((k for k in metric if isinstance(metric[k], dict) and "dataPoints" in metric[k]), ""),)
        for point in (metric[kind]["dataPoints"] if kind else [{}])
    ]


def _of_protobuf(body: bytes) -> list[Raw]:
    request = ExportMetricsServiceRequest.FromString(body)
    return list(_raw(request))


def _raw(request: Any) -> Iterator[Raw]:
    for resource in request.resource_metrics:
        own = {pair.key: _text(pair.value) for pair in resource.resource.attributes}
        for scope in resource.scope_metrics:
            for metric in scope.metrics:
                field = metric.WhichOneof("data") or ""
                kind = {"histogram": "histogram", "exponential_histogram": "exponentialHistogram"}.get(field, field)
                data = getattr(metric, field) if field else None
                head = {"name": metric.name, "unit": metric.unit, kind: {"aggregationTemporality": getattr(data, "aggregation_temporality", 0)}}  # fmt: skip
                for point in getattr(data, "data_points", [{}]):
                    yield own, head, kind, _as_json(point, kind)


def _as_json(point: Any, kind: str) -> dict[str, Any]:
    if kind not in _KINDS:
        return {}
    told: dict[str, Any] = {
        "startTimeUnixNano": point.start_time_unix_nano,
        "timeUnixNano": point.time_unix_nano,
        "attributes": [{"key": pair.key, "value": {"stringValue": _text(pair.value)}} for pair in point.attributes],
    }
    if kind == "histogram":
        return {**told, "explicitBounds": list(point.explicit_bounds), "bucketCounts": list(point.bucket_counts)}
    positive = {"offset": point.positive.offset, "bucketCounts": list(point.positive.bucket_counts)}
    return {**told, "scale": point.scale, "zeroCount": point.zero_count, "positive": positive}


def _text(value: Any) -> str:
    name = value.WhichOneof("value")
    return str(getattr(value, name))[: limits.NAME] if name in ("string_value", "int_value", "bool_value", "double_value") else ""  # fmt: skip


def _attributes(of: Mapping[str, Any]) -> dict[str, str]:
    found = {}
    for pair in of.get("attributes", []):
        value = next(iter(pair.get("value", {}).values()), "")
        if isinstance(value, (str, int, float, bool)):
            found[str(pair["key"])[: limits.NAME]] = str(value)[: limits.NAME]
    return found


def _point(resource: Mapping[str, str], metric: Mapping[str, Any], kind: str, point: Mapping[str, Any]) -> Point | None:
    """None for what is no histogram of a time."""
    unit_ms = UNITS_MS.get(metric.get("unit", ""))
    if kind not in _KINDS or unit_ms is None:
        return None
    temporality = metric[kind].get("aggregationTemporality", 0)
    temporality = _TEMPORALITY.get(temporality, temporality)
    about = _attributes(point)
    name = str(metric["name"])[: limits.NAME]
    stream = hashlib.blake2b(orjson.dumps([name, dict(resource), about], option=orjson.OPT_SORT_KEYS), digest_size=16).hexdigest()  # fmt: skip
    return Point(
        name, resource.get("service.version", "")[: limits.LABEL] or "no version", about, stream, temporality == CUMULATIVE,
        _whole(point.get("startTimeUnixNano", 0)), _whole(point.get("timeUnixNano", 0)), _buckets(kind, point, unit_ms),
    )  # fmt: skip


def _whole(value: Any) -> int:
    """64-bit numbers are texts in OTLP's JSON."""
    found = int(value)
    if not 0 <= found < 2**64 or isinstance(value, float):
        raise ValueError(f"{value!r} is no whole number")
    return found


def _buckets(kind: str, point: Mapping[str, Any], unit_ms: float) -> tuple[Bucket, ...]:
    if kind == "histogram":
        bounds = [float(bound) * unit_ms for bound in point.get("explicitBounds", [])]
        if len(bounds) > limits.OTHER_BUCKETS or not all(map(math.isfinite, bounds)):
            raise ValueError("bounds are finite, and not too many")
        return explicit(bounds, [_whole(count) for count in point.get("bucketCounts", [])])
    positive = point.get("positive", {})
    counts = [_whole(count) for count in positive.get("bucketCounts", [])]
    if len(counts) > limits.OTHER_BUCKETS:
        raise ValueError("too many buckets")
    found = exponential(int(point.get("scale", 0)), int(positive.get("offset", 0)), counts, _whole(point.get("zeroCount", 0)), unit_ms)  # fmt: skip
    return _ours(found) if isinstance(found, Histogram) else found


def _ours(found: Histogram) -> tuple[Bucket, ...]:
    lows: Sequence[float] = [0.0, *EDGES_MS[:-1]]
    return tuple(Bucket(float(lows[i]), float(EDGES_MS[i]), int(c)) for i, c in enumerate(found.counts) if c)
