"""Deliver a spooled recording to the server: resumable, idempotent, nothing dropped."""

from __future__ import annotations

import base64
import gzip
import hashlib
import time
import uuid
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any
from urllib.parse import quote

import httpx

from vigilant import __version__
from vigilant.formats import limits, strict_json
from vigilant.formats.frames import is_whole

from .errors import DeliveryError
from .live import head_of
from .spool import PLANNED, RecordingSpool, SlotRecord

BATCH_BYTES = 1024 * 1024
#: Answers that another try may find changed: too busy, away for a moment.
_PASSING = (408, 425, 429, 500, 502, 503, 504)
TIMEOUT_S = 60.0
LIVE_TIMEOUT_S = 2.0
#: A comparison is made behind the answer; it is asked for so often, and so long.
JOB_POLL_S, PATIENCE_S = 0.25, 900.0
_SLOT = ("position", "arm", "run", "attempt", "outcome", "detail")


def batches(path: Path) -> Iterator[bytes]:
    """The stream's whole lines after the head in pieces of at most 1 MiB, and no more lines than a batch may have."""
    with path.open("rb") as stream:
        stream.readline()
        piece: list[bytes] = []
        size = 0
        for line in stream:
            if not line.endswith(b"\n"):
                if not is_whole(line):
                    break  # cut off in the middle
                line += b"\n"
            if piece and (size + len(line) > BATCH_BYTES or len(piece) == limits.BATCH_LINES):
                yield b"".join(piece)
                piece, size = [], 0
            piece.append(line)
            size += len(line)
        if piece:
            yield b"".join(piece)


def printable(text: str) -> str:
    """A text as the server takes it: control characters and halves of surrogate pairs, which a subject may
    print, become the replacement character."""
    whole = text.encode("utf-8", "replace").decode()
    return "".join(c if c >= " " or c in "\n\r\t" else "\ufffd" for c in whole)


def _sheet(values: Mapping[str, str]) -> dict[str, str]:
    return {key: printable(value)[: limits.VALUE] for key, value in values.items()}


def _document(answer: httpx.Response) -> dict[str, Any]:
    """The JSON object of an answer; empty where it holds none."""
    try:
        value = strict_json.loads(answer.content)
    except strict_json.JsonRefused:
        return {}
    return value if isinstance(value, dict) else {}


def content_digest(body: bytes) -> str:
    """The Content-Digest of a body (RFC 9530)."""
    return f"sha-256=:{base64.b64encode(hashlib.sha256(body).digest()).decode()}:"


class Delivery:
    """Talks to one server with one token. ``client`` may be injected by tests."""

    def __init__(self, url: str, token: str, client: httpx.Client | None = None) -> None:
        self.url, self.token = url.rstrip("/"), token
        self.client = client or httpx.Client(timeout=TIMEOUT_S)
        self.headers = {"Authorization": f"Bearer {token}"}

    def _ask(self, method: str, path: str, **kwargs: Any) -> httpx.Response:
        """The server's answer. Raises :class:`DeliveryError` for a refusal and for none."""
        request = uuid.uuid4().hex
        headers = {**self.headers, "X-Request-ID": request, **kwargs.pop("headers", {})}
        try:
            answer = self.client.request(method, f"{self.url}/api{path}", headers=headers, **kwargs)
        except httpx.HTTPError as error:
            raise DeliveryError(f"{self.url} cannot be reached: {error}") from error
        if answer.status_code >= 400:
            said = _document(answer)
            refused = answer.status_code not in _PASSING
            detail = str(said.get("detail") or said.get("title") or answer.reason_phrase)
            word = "refused" if refused else "could not take"
            # A fault is in the server's log, under the id of the request.
            found = f" (request {answer.headers.get('X-Request-ID', request)})" if answer.status_code >= 500 else ""
            raise DeliveryError(
                f"the server {word} {path} ({answer.status_code}): {detail}{found}", said.get("code"), refused
            )
        return answer

    def _send(self, method: str, path: str, **kwargs: Any) -> dict[str, Any]:
        answer = self._ask(method, path, **kwargs)
        self._is_of(answer, "application/json")
        return _document(answer)

    def _is_of(self, answer: httpx.Response, wanted: str) -> None:
        kind = answer.headers.get("content-type", "nothing")
        if not kind.startswith(wanted):
            raise DeliveryError(f"{self.url} does not answer like this product: it sent {kind[:60]}")

    def book(self) -> str:
        """The book that the token is for."""
        return str(self._send("GET", "/token/")["book"])

    def statement(self, asked: Mapping[str, str], kind: str) -> bytes:
        """A statement of the token's book as it is asked for, of the media type ``kind``."""
        answer = self._ask("GET", f"/books/{self.book()}/statement/", params=dict(asked))
        self._is_of(answer, kind)
        return answer.content

    def laps(self, body: Mapping[str, Any]) -> dict[str, Any]:
        """Keep the laps of a routine in the token's book; says where."""
        return self._send("POST", f"/books/{self.book()}/laps/", json=body)

    def order(self, body: Mapping[str, Any]) -> dict[str, Any]:
        """Give builds their place in the order of the token's book; says how many are new."""
        return self._send("POST", f"/books/{self.book()}/builds/", json=body)

    def line(self, recording: str, newest: bool) -> dict[str, Any]:
        """What a delivered recording of one build says against its line; as the ``newest`` where it has no place yet."""
        return self._send("POST", f"/recordings/{recording}/line/", json={"newest": newest})

    def gate(self, recording: str, alpha: float) -> dict[str, Any]:
        """The verdict of a delivered recording of one build against its line."""
        return self._send("POST", f"/recordings/{recording}/gate/", json={"alpha": alpha})

    def deliver(self, spool: RecordingSpool) -> dict[str, Any]:
        """Send what is not there yet and close the recording; returns the server's entry, or the
        ``remark`` that says why the delivered runs have no verdict."""
        self.register(spool)
        for slot in spool.slots:
            if slot.outcome != PLANNED:
                self.slot(spool, slot)
        closing = {"stopped": spool.stopped, "looks": spool.looks}
        try:
            entry = self._outcome(self._send("POST", f"/recordings/{spool.recording}/complete/", json=closing))
        except DeliveryError as error:
            if error.code != "no-verdict":
                raise
            entry = {"remark": str(error).rpartition("): ")[2]}
        spool.delivered = True
        spool.save()
        return entry

    def _outcome(self, answer: dict[str, Any]) -> dict[str, Any]:
        """What a job came to, waited for; an answer that is no job as it is."""
        until = time.monotonic() + PATIENCE_S
        while "number" not in answer and "state" in answer:
            if answer["state"] == "done":
                return dict(answer["result"] or {})
            if answer["state"] in ("failed", "cancelled"):
                said = answer.get("problem") or {"code": "job-cancelled", "detail": "the comparison was cancelled"}
                raise DeliveryError(f"the server made no verdict (422): {said['detail']}", said["code"], refused=True)
            if time.monotonic() > until:
                raise DeliveryError(f"the server has not compared the runs within {PATIENCE_S:.0f} s")
            time.sleep(JOB_POLL_S)
            answer = self._send("GET", f"/jobs/{answer['id']}/")
        return answer

    def register(self, spool: RecordingSpool) -> None:
        """Tell the server of the recording and all its slots; again tells it of new attempts."""
        body = {
            "id": spool.recording,
            "created": spool.created,
            "plan": spool.plan,
            "order_seed": spool.order_seed,
            "rig": spool.rig,
            "conditions": _sheet(spool.conditions),
            "slots": [
                {**{key: getattr(slot, key) for key in _SLOT}, "detail": printable(slot.detail)[: limits.DETAIL]}
                for slot in spool.slots
            ],
        }
        self._send("POST", "/recordings/", json=body)

    def slot(self, spool: RecordingSpool, slot: SlotRecord) -> None:
        """Deliver one attempt that has ended."""
        if not slot.delivered:
            self._run(spool, slot)
            slot.delivered = True
            spool.save()

    def planned(self, of: int | str) -> dict[str, Any]:
        """The recording planned on the server for an entry, by its number, or for none, by its own id: its id and plan."""
        return self._send("GET", "/recordings/planned/", params={"entry" if isinstance(of, int) else "recording": of})

    def live(self, recording: str, state: dict[str, Any]) -> dict[str, Any]:
        """Report what is going on; the answer says how to go on, as asked on the Bench screen, and which marks."""
        return self._send("POST", f"/recordings/{recording}/live/", json=state, timeout=LIVE_TIMEOUT_S)

    def stand_by(self, name: str, subjects: Sequence[str], facts: dict[str, str]) -> dict[str, Any] | None:
        """Say that this recorder waits for work; returns a recording asked of it, or None."""
        said = {"name": name, "subjects": list(subjects), "facts": facts, "version": __version__}
        answer = self._send("POST", "/standby/", json=said)
        return answer.get("recording")

    def refuse(self, recording: str, why: str) -> None:
        """Say that a recording asked of this machine cannot be made here."""
        self._send("POST", f"/recordings/{recording}/refuse/", json={"why": printable(why)[: limits.DETAIL]})

    def _run(self, spool: RecordingSpool, slot: SlotRecord) -> None:
        path = spool.stream_path(slot)
        head = head_of(path) if slot.frames else None
        created = {
            "recording": spool.recording,
            "position": slot.position,
            "attempt": slot.attempt,
            "conditions": _sheet(slot.conditions),
            "measured": slot.measured,
            "revision": _sheet(slot.revision),
            "started": slot.started or None,
            "outcome": slot.outcome,
            "detail": printable(slot.detail)[: limits.DETAIL],
            "output_tail": printable(slot.output_tail)[-limits.OUTPUT_TAIL :],
            "head": head,
        }
        state = self._send("PUT", f"/runs/{slot.run}/", json=created)
        if head is None or state.get("state") != "receiving":
            return
        frames = slot.frames
        # What is stored is not sent again, but for the last batch: its digest shows that the cuts are the same.
        stored = int(state.get("next_batch", 0))
        for number, piece in enumerate(batches(path)):
            if number < stored - 1:
                continue
            encoded = gzip.compress(piece, 6, mtime=0)
            self._send(
                "PUT",
                f"/runs/{slot.run}/batches/{number}/",
                content=encoded,
                headers={
                    "Content-Type": "application/x-ndjson",
                    "Content-Encoding": "gzip",
                    "Content-Digest": content_digest(encoded),
                },
            )
        self._stills(spool, slot)
        self._send("POST", f"/runs/{slot.run}/complete/", json={"frames": frames})

    def _stills(self, spool: RecordingSpool, slot: SlotRecord) -> None:
        """Send the pictures that the stream names; one that cannot be kept stops nothing."""
        folder = spool.stills_path(slot)
        slot.left = []
        if not folder.is_dir() or not any(folder.iterdir()):
            return
        for still in spool.read(slot).stills:
            file = folder / still.name
            try:
                size = file.stat().st_size
                if not file.is_file() or size > limits.STILL_BYTES:
                    slot.left.append(f"{still.name}: {size:,} bytes; {limits.STILL_BYTES:,} are allowed")
                    continue
                body = file.read_bytes()
            except OSError as error:
                slot.left.append(f"{still.name}: {error.strerror}")
                continue
            try:
                self._send(
                    "PUT",
                    f"/runs/{slot.run}/stills/{quote(still.name, safe='')}/",
                    params={
                        "leg": still.leg,
                        "frame": still.frame,
                        "shows": still.shows,
                        "sequence": still.sequence,
                    },
                    content=body,
                    headers={"Content-Type": "application/octet-stream", "Content-Digest": content_digest(body)},
                )
            except DeliveryError as error:
                if not error.refused:
                    raise
                slot.left.append(str(error).rpartition("): ")[2])
