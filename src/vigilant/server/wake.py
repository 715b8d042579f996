"""A word through Redis that something is new, so that streams of any web process look at once.

What is new stands in the database: a word that is lost costs a moment, since streams also look now
and then. Without a Redis nothing is said, and they look more often.
"""

from __future__ import annotations

import asyncio
import logging
from functools import cache

import redis
import redis.asyncio
from django.conf import settings
from django.db import transaction

from vigilant.server import queue

log = logging.getLogger(__name__)
CHANNEL = "vigilant:new"
#: How often streams look where words come, and where none do.
LOOK_S, POLL_S = 5.0, 0.5


@cache
def _client() -> redis.Redis:
    return queue.client(socket_timeout=0.5, socket_connect_timeout=0.5)


def tell(topic: object) -> None:
    """Say, once the transaction around is committed, that there is something new of ``topic``."""
    if settings.REDIS:
        transaction.on_commit(lambda: _publish(str(topic)))


def _publish(topic: str) -> None:
    try:
        _client().publish(CHANNEL, topic)
    except redis.RedisError as error:
        log.info("no word of %s: %s", topic, error)


class Listener:
    """Waits for words; :meth:`wait` returns when one came, or when it is time to look anyway."""

    def __init__(self) -> None:
        self._words: redis.asyncio.client.PubSub | None = None
        self._client: redis.asyncio.Redis | None = None

    async def wait(self) -> None:
        if not settings.REDIS:
            await asyncio.sleep(POLL_S)
            return
        try:
            if self._words is None:
                self._client = queue.async_client(socket_connect_timeout=1.0)
                self._words = self._client.pubsub(ignore_subscribe_messages=True)
                await self._words.subscribe(CHANNEL)
                return
            await self._words.get_message(timeout=LOOK_S)
            # What came in the same moment is one look.
            await asyncio.sleep(0.02)
            while await self._words.get_message(timeout=0.0):
                pass
        except (redis.RedisError, OSError):
            await self.close()
            await asyncio.sleep(POLL_S)

    async def close(self) -> None:
        words, client, self._words, self._client = self._words, self._client, None, None
        try:
            if words is not None:
                await words.aclose()
            if client is not None:
                await client.aclose()
        except (redis.RedisError, OSError) as error:
            log.info("the listener's connection is gone: %s", error)
