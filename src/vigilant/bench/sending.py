"""Send files to be brought in: in pieces, gone on with where they stand, read on the server as they were here."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any
from uuid import NAMESPACE_URL, uuid5

from vigilant.formats import limits

from .deliver import JOB_POLL_S, PATIENCE_S, Delivery, content_digest
from .errors import DeliveryError


class FileDelivery(Delivery):
    """Talks to the files of the token's book."""

    def file(
        self, book: str, path: Path, folder: str, asked: Mapping[str, Any], told: Callable[[float], None]
    ) -> dict[str, Any]:
        """Send a file, or what is not there yet of it, and have it looked at as ``asked``; the server's file.

        The same file of the same folder is the same there, whoever sends it again. ``told`` hears the share sent."""
        size = path.stat().st_size
        with path.open("rb") as content:
            digest = hashlib.file_digest(content, "sha256").hexdigest()
        file_id = uuid5(NAMESPACE_URL, f"{book}/{folder}/{path.name}/{digest}")
        where = f"/books/{book}/files/"
        stands = self._send("POST", where, json={"id": str(file_id), "name": path.name, "folder": folder, "size": size})
        with path.open("rb") as content:
            content.seek(int(stands["received"]))
            number = int(stands["next_piece"])
            while stands["state"] == "receiving" and (body := content.read(limits.PIECE_BYTES)):
                stands = self._send(
                    "PUT",
                    f"{where}{file_id}/pieces/{number}/",
                    content=body,
                    headers={"Content-Type": "application/octet-stream", "Content-Digest": content_digest(body)},
                )
                number += 1
                told(content.tell() / size)
        if stands["state"] != "brought" and asked and stands["asked"] != {**stands["asked"], **asked}:
            self._send("POST", f"{where}reading/", json={**asked, "files": [str(file_id)]})
            stands = self._send("GET", f"{where}{file_id}/")
        return self._seen(f"{where}{file_id}/", stands)

    def _seen(self, where: str, stands: dict[str, Any]) -> dict[str, Any]:
        until = time.monotonic() + PATIENCE_S
        while stands["state"] == "looking":
            if time.monotonic() > until:
                raise DeliveryError(f"the server has not looked at {stands['name']} within {PATIENCE_S:.0f} s")
            time.sleep(JOB_POLL_S)
            stands = self._send("GET", where)
        if stands["state"] == "refused":
            raise DeliveryError(f"the server cannot read {stands['name']}: {stands['problem']['detail']}", refused=True)
        return stands

    def bring(self, book: str, asked: Mapping[str, Any]) -> dict[str, Any]:
        """Make runs of files, and an entry where ``asked`` has a title; what the server's job came to."""
        return self._outcome(self._send("POST", f"/books/{book}/bring/", json=dict(asked)))
