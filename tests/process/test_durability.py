"""What was acknowledged is stored, whatever is killed and when."""

import json

import httpx
import psutil
import pytest
from durable import PARTS, RUNS, Stand, killed

from vigilant.server.worker import NICE

#: One of each part that can die.
KILLS = len(PARTS)


@pytest.fixture(scope="module")
def stand(tmp_path_factory):
    made = Stand(tmp_path_factory.mktemp("durable"))
    made.start()
    yield made
    made.stop()


def test_kills_of_every_part_lose_and_double_nothing(stand):
    checked, acknowledged = killed(stand, KILLS, seed=7)
    assert checked >= stand.count * 2 * RUNS
    assert acknowledged > 50


def test_a_run_whose_recorder_never_came_back_says_that_it_is_being_received(stand):
    stand.deliver(99, frames=40_000)
    logs = [spool.directory / "acknowledged" for spool in stand.spools]
    stand.wait(lambda: all(log.exists() and log.stat().st_size for log in logs), "some batches of each")
    for recorder in stand.recorders:
        recorder.kill()
        recorder.wait()
    headers = {"Authorization": f"Bearer {stand.token}"}
    states = []
    for spool in stand.spools:
        for slot in spool.slots:
            answer = httpx.get(f"{stand.url}/api/runs/{slot.run}/", headers=headers, timeout=120)
            if answer.status_code == 200:
                states.append(answer.json()["state"])
        done = httpx.post(
            f"{stand.url}/api/recordings/{spool.recording}/complete/", headers=headers, json={}, timeout=120
        )
        assert done.status_code == 409
        assert json.loads(done.text)["code"] == "runs-missing"
    assert "receiving" in states


def test_who_waits_for_an_answer_comes_before_the_workers(stand):
    web, worker = psutil.Process(stand.web.pid), psutil.Process(stand.worker.pid)
    assert worker.nice() == min(19, web.nice() + NICE) > web.nice()


def test_while_the_queue_is_away_work_waits_and_is_done_when_it_is_back(stand):
    stand.queue.kill()
    stand.deliver(123, frames=400)
    headers = {"Authorization": f"Bearer {stand.token}"}

    def state(slot):
        answer = httpx.get(f"{stand.url}/api/runs/{slot.run}/", headers=headers, timeout=120)
        return answer.json()["state"] if answer.status_code == 200 else ""

    runs = [slot for spool in stand.spools for slot in spool.slots]
    stand.wait(lambda: all(state(slot) == "closing" for slot in runs), "all runs wait to be closed")
    stand.queue.start()
    stand.finish()
    assert {state(slot) for slot in runs} == {"complete"}
