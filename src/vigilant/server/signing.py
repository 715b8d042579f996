"""The server's key, which signs what is handed out: Ed25519, kept in a file that its owner alone may read."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from django.conf import settings
from django.core.exceptions import ImproperlyConfigured


def signing_key() -> Ed25519PrivateKey:
    """The key of the file that VIGILANT_SIGNING_KEY names; made at the first time, once for all processes."""
    return _read(Path(settings.SIGNING_KEY))


@lru_cache(maxsize=4)
def _read(path: Path) -> Ed25519PrivateKey:
    if not path.exists():
        _make(path)
    try:
        key = serialization.load_pem_private_key(path.read_bytes(), None)
    except (OSError, ValueError, TypeError, UnsupportedAlgorithm) as error:
        raise ImproperlyConfigured(f"the key {path} cannot be read: {error}") from error
    if not isinstance(key, Ed25519PrivateKey):
        raise ImproperlyConfigured(f"the key {path} is no Ed25519 key")
    return key


def _make(path: Path) -> None:
    """Written whole under another name, then given its own: whoever is second finds the first one's."""
    written = Ed25519PrivateKey.generate().private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    path.parent.mkdir(parents=True, exist_ok=True)
    own = path.with_name(f"{path.name}.{os.getpid()}")
    with os.fdopen(os.open(own, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(written)
    try:
        os.link(own, path)
    except FileExistsError:
        pass
    finally:
        own.unlink()
