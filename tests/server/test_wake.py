"""Words through a real Redis: a stream that waits hears them at once, and again after Redis was away."""

import asyncio

import pytest

from vigilant.server import wake
from vigilant.server.launch.redis import Redis

pytestmark = pytest.mark.django_db(transaction=True)  # a word is said when what it is of is committed


@pytest.fixture
def queue(tmp_path, settings, monkeypatch):
    made = Redis(tmp_path)
    made.start()
    settings.REDIS = made.environment()["VIGILANT_REDIS"]
    monkeypatch.setattr(wake, "LOOK_S", 3600.0)  # a stream that heard nothing would wait an hour
    wake._client.cache_clear()
    yield made
    made.stop()
    wake._client.cache_clear()


def test_a_word_wakes_a_stream_at_once_and_again_after_redis_was_away(queue):
    async def heard():
        listener = wake.Listener()
        try:
            for away in (False, True):
                if away:
                    await asyncio.to_thread(queue.kill)
                    await listener.wait()  # the connection is lost: it looks by itself meanwhile
                    await asyncio.to_thread(queue.start)
                while listener._words is None:
                    await listener.wait()
                waiting = asyncio.create_task(listener.wait())
                await asyncio.to_thread(wake.tell, "a job")
                await waiting
        finally:
            await listener.close()
        return True

    assert asyncio.run(asyncio.wait_for(heard(), 30))
