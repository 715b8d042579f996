"""Clients of the Redis that the settings name: one server, or whichever the sentinels say is master now."""

from __future__ import annotations

from functools import cache
from typing import Any
from urllib.parse import unquote, urlsplit

import redis
import redis.asyncio
import redis.asyncio.sentinel
import redis.sentinel
from django.conf import settings

from vigilant.server.configuration import SENTINEL


def client(**how: Any) -> redis.Redis:
    """A client of the queue's Redis, with ``how`` of its connections; behind sentinels each new connection asks them."""
    if not settings.REDIS.startswith(SENTINEL):
        return redis.Redis.from_url(settings.REDIS, **how)
    places, kept = _sentinels()
    asked = redis.sentinel.Sentinel(places, sentinel_kwargs={**kept, **how}, **kept, **how)
    master: redis.Redis = asked.master_for(settings.REDIS_MASTER)
    return master


def async_client(**how: Any) -> redis.asyncio.Redis:
    """The same for a loop."""
    if not settings.REDIS.startswith(SENTINEL):
        return redis.asyncio.Redis.from_url(settings.REDIS, **how)
    places, kept = _sentinels()
    asked = redis.asyncio.sentinel.Sentinel(places, sentinel_kwargs={**kept, **how}, **kept, **how)  # type: ignore[no-untyped-call]
    master: redis.asyncio.Redis = asked.master_for(settings.REDIS_MASTER)
    return master


@cache
def _sentinels() -> tuple[list[tuple[str, int]], dict[str, str]]:
    """Where they are, and the password of them and of what they watch."""
    parts = [urlsplit(part) for part in settings.REDIS.split(";")]
    places = [(part.hostname or "", part.port or 26379) for part in parts]
    return places, {"password": unquote(parts[0].password)} if parts[0].password else {}
