"""Files that their owner alone may read, and secrets kept in them."""

from __future__ import annotations

import os
import secrets
from pathlib import Path


def write_private(path: Path, text: str) -> Path:
    """Write a file of mode 600 from its first byte on."""
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        file.write(text)
    return path


def kept_secret(path: Path) -> str:
    """The secret in a file; made at the first time."""
    if not path.exists():
        write_private(path, secrets.token_urlsafe(36))
    return path.read_text()
