"""Where backups are: a folder of pieces, each named by what it holds, so that what is there already is not written again.

With a key every piece is sealed by AES-GCM, and named by a keyed digest, so that the folder tells nothing of what is in it.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import os
import secrets
from collections.abc import Iterator
from pathlib import Path

import zstandard
from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

NONCE, KEY_BYTES = 12, 32
#: How a backup is called: by when it was made, in UTC.
NAMED = "%Y%m%dT%H%M%S.%fZ"
LISTS, PIECES = "backups", "pieces"


class BackupBroken(Exception):
    """A piece that is missing, was altered, or is sealed by another key."""


class Folder:
    """Pieces and lists of them. Everything is written beside and moved, so that a cut leaves no half of a file."""

    def __init__(self, path: Path, key: bytes | None = None) -> None:
        self.path, self.sealed = path, key is not None
        self._naming = _derived(key, b"naming") if key else b""
        self._sealing = AESGCM(_derived(key, b"sealing")) if key else None

    def put(self, data: bytes) -> tuple[str, int]:
        """The name of a piece, and how many bytes were written for it: none where it is there already."""
        name = self._name(data)
        path = self._piece(name)
        if path.exists():
            return name, 0
        return name, self._write(path, self._closed(zstandard.compress(data, 3), name))

    def get(self, name: str) -> bytes:
        """Raises :class:`BackupBroken`."""
        try:
            closed = self._piece(name).read_bytes()
        except OSError as error:
            raise BackupBroken(f"the piece {name} cannot be read: {error.strerror}") from None
        try:
            data = zstandard.decompress(self._opened(closed, name))
        except zstandard.ZstdError as error:
            raise BackupBroken(f"the piece {name} was altered: {error}") from None
        if self._name(data) != name:
            raise BackupBroken(f"the piece {name} was altered: it holds something else")
        return data

    def put_list(self, name: str, text: bytes) -> None:
        self._write(self.path / LISTS / name, self._closed(zstandard.compress(text, 3), name))

    def get_list(self, name: str) -> bytes:
        try:
            return zstandard.decompress(self._opened((self.path / LISTS / name).read_bytes(), name))
        except OSError as error:
            raise BackupBroken(f"there is no backup {name} in {self.path}: {error.strerror}") from None
        except zstandard.ZstdError:
            raise BackupBroken(f"the backup {name} is sealed (name its key with --key), or was altered") from None

    def lists(self) -> list[str]:
        """The oldest first: they are named by when they were made."""
        folder = self.path / LISTS
        return sorted(path.name for path in folder.iterdir()) if folder.is_dir() else []

    def drop_list(self, name: str) -> None:
        (self.path / LISTS / name).unlink()

    def pieces(self) -> Iterator[str]:
        for folder in (self.path / PIECES).glob("*"):
            for path in folder.iterdir():
                if path.suffix != ".new":
                    yield path.name

    def drop(self, name: str) -> int:
        path = self._piece(name)
        size = path.stat().st_size
        path.unlink()
        return size

    def _piece(self, name: str) -> Path:
        return self.path / PIECES / name[:2] / name

    def _name(self, data: bytes) -> str:
        return hashlib.blake2b(data, digest_size=32, key=self._naming).hexdigest()

    def _closed(self, data: bytes, name: str) -> bytes:
        if self._sealing is None:
            return data
        nonce = os.urandom(NONCE)
        return nonce + self._sealing.encrypt(nonce, data, name.encode())

    def _opened(self, closed: bytes, name: str) -> bytes:
        if self._sealing is None:
            return closed
        try:
            return self._sealing.decrypt(closed[:NONCE], closed[NONCE:], name.encode())
        except (InvalidTag, ValueError):
            raise BackupBroken(f"{name} is sealed by another key, or was altered") from None

    def _write(self, path: Path, body: bytes) -> int:
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        beside = path.with_name(f"{path.name}.{os.getpid()}.new")
        with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
            file.write(body)
            file.flush()
            os.fsync(file.fileno())
        beside.rename(path)
        return len(body)


def _derived(key: bytes, use: bytes) -> bytes:
    return HKDF(SHA256(), KEY_BYTES, None, b"vigilant backup " + use).derive(key)


def new_key(path: Path) -> None:
    """A file with a new key. Raises ``FileExistsError``: one that is lost opens no backup again."""
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(base64.urlsafe_b64encode(secrets.token_bytes(KEY_BYTES)).decode() + "\n")


def read_key(path: Path) -> bytes:
    """Raises :class:`BackupBroken` for what is no key."""
    try:
        key = base64.urlsafe_b64decode(path.read_text().strip())
    except OSError as error:
        raise BackupBroken(f"the key {path} cannot be read: {error.strerror}") from None
    except (binascii.Error, ValueError):
        key = b""
    if len(key) != KEY_BYTES:
        raise BackupBroken(f"{path} holds no key; --new-key makes one")
    return key
