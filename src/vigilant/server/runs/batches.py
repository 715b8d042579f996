"""Taking the batches of a run: each is stored whole or not at all, and repeating it is harmless."""

from __future__ import annotations

import base64
import hashlib
import io
import re
from dataclasses import dataclass
from uuid import UUID

import zstandard
from django.db.models import QuerySet
from django.utils import timezone

from vigilant.formats import FormatError, limits
from vigilant.formats.frames import FramesParser, StreamState
from vigilant.formats.opening import DAMAGED, decoded
from vigilant.server.database import in_transaction
from vigilant.server.problems import Problem, conflict, unprocessable

from .models import Run, RunBatch

_MOST_HEADER = 1000
_DIGEST = re.compile(r"sha-256=:([A-Za-z0-9+/=]+):")


def digest_of(body: bytes) -> str:
    """The SHA-256 of a body that is not too large. Raises a problem."""
    if len(body) > limits.BATCH_BYTES:
        raise Problem(413, "batch-too-large", f"The batch has {len(body)} bytes; {limits.BATCH_BYTES} are allowed.")
    return hashlib.sha256(body).hexdigest()


def check_digest(header: str | None, body: bytes) -> str:
    """The SHA-256 of a body, as its Content-Digest says too. Raises a problem."""
    digest = digest_of(body)
    match = _DIGEST.search((header or "")[:_MOST_HEADER])
    if match is None:
        raise unprocessable("digest-missing", "Content-Digest with sha-256 is needed.")
    if match.group(1) != base64.b64encode(bytes.fromhex(digest)).decode():
        raise unprocessable("digest-differs", "The body does not fit its Content-Digest; nothing was stored.")
    return digest


def decompress(body: bytes, encoding: str | None) -> bytes:
    """The decoded body, bounded: all its members or frames, each whole. Raises a problem."""
    if encoding in (None, "", "identity"):
        return body
    if encoding not in ("gzip", "zstd"):
        raise unprocessable("encoding-unknown", f"Content-Encoding {encoding[:40]!r} is not known; use gzip or zstd.")
    try:
        plain = decoded(io.BytesIO(body), encoding).read(limits.BATCH_BYTES + 1)
    except DAMAGED as error:
        raise unprocessable("encoding-damaged", f"The body is no whole {encoding}: {error}.") from error
    if len(plain) > limits.BATCH_BYTES:
        raise unprocessable("batch-too-large", f"The lines of a batch may have {limits.BATCH_BYTES} bytes.")
    return plain


def lines_of(plain: bytes) -> list[bytes]:
    count = plain.count(b"\n") + (not plain.endswith(b"\n"))
    if count > limits.BATCH_LINES:
        raise unprocessable(
            "batch-too-long", f"The batch has {count} lines; {limits.BATCH_LINES} are allowed. Send several."
        )
    rows = plain.split(b"\n")
    if not rows[-1]:
        rows.pop()
    return rows


@dataclass(frozen=True)
class Received:
    """Where a run stands after a batch; ``made`` is False for one that was there."""

    state: str
    outcome: str
    detail: str
    next_batch: int
    frames: int
    made: bool


def put_batch(
    runs: QuerySet[Run], run_id: UUID, number: int, body: bytes, encoding: str | None, digest: str
) -> Received | None:
    """Store one batch, committed before the answer; None where the run is none of ``runs``, those that may be delivered.

    It is checked as the continuation of those before it, by the state of the stream that the run
    keeps: what is acknowledged can be closed. Nothing is locked while it is read; it takes its place
    only if that is still the next one. 409 ``batch-gap`` names the number expected; 409
    ``batch-differs`` meets another digest.
    """
    while True:
        row = (
            runs.filter(pk=run_id)
            .values_list("state", "outcome", "detail", "next_batch", "frames", "head", "stream")
            .first()
        )
        if row is None:
            return None
        state, outcome, detail, expected, frames, head, stream = row
        if number < expected:
            there = RunBatch.objects.filter(run=run_id, number=number).values_list("digest", flat=True).first()
            if there != digest:
                raise conflict("batch-differs", f"Batch {number} is stored with other content.")
            return Received(state, outcome, detail, expected, frames, made=False)
        if state != Run.State.RECEIVING:
            raise conflict("run-closed", f"The run is {state}; it takes no more batches.")
        if number > expected:
            raise conflict("batch-gap", f"Batch {number} came, {expected} is expected.", expected=expected)
        plain = decompress(body, encoding)
        parser = FramesParser(head, f"batch {number}", state=StreamState(**stream))
        try:
            parser.feed_lines(lines_of(plain))
        except FormatError as error:
            raise unprocessable(error.code, f"{error}; nothing of the batch was stored.", line=error.line) from error
        batch = RunBatch(run_id=run_id, number=number, digest=digest, body=zstandard.compress(plain, 1))
        if _take_place(batch, parser):
            return Received(state, outcome, detail, number + 1, parser.frames, made=True)


@in_transaction
def _take_place(batch: RunBatch, parser: FramesParser) -> bool:
    """Store the batch if its place is still the next one of an open run; False where somebody was quicker."""
    still = Run.objects.filter(pk=batch.run_id, state=Run.State.RECEIVING, next_batch=batch.number)
    taken = still.update(
        next_batch=batch.number + 1,
        frames=parser.frames,
        stream=vars(parser.state()),
        reached_at=timezone.now(),
    )
    if taken:
        batch.save(force_insert=True)
    return bool(taken)
