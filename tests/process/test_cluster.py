"""Several hosts: what was acknowledged is on all of them, whichever is killed."""

import random

import assess
import pytest
from cluster_stand import ClusterStand, reads_after_writes

from vigilant.server.launch.cluster import NAME


@pytest.fixture(scope="module")
def stand(tmp_path_factory):
    made = ClusterStand(tmp_path_factory.mktemp("cluster"), recorders=2)
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_parts_are_killed_while_recorders_deliver_and_nothing_is_lost(stand):
    rng = random.Random(5)
    stand.deliver(5, frames=20_000)
    for part in ("node written to", "redis", "web", "worker"):
        stand.kill(part, rng)
        assert stand.kills[-1].silent_s is not None or not stand.delivering(), stand.kills
    total = stand.account()
    assert total["runs"] == 8
    assert total["stored"] == total["acknowledged"] > 100
    assert stand.jobs()["jobs"] >= total["runs"]
    # All nodes hold the same, the one that was away too.
    assert {node.asked("SELECT COUNT(*) FROM runs_runbatch") for node in stand.cluster.nodes} == {
        len(stand.stored_batches())
    }


def test_a_node_that_comes_back_takes_nothing_from_the_one_written_to(stand):
    proxies = list(stand.cluster.proxies.values())
    before = stand.cluster.writer()
    before.kill()
    after = stand.cluster.writer()
    assert after is not before
    stand.cluster.waited(lambda: {proxy.leads_to(before) for proxy in proxies} == {after.node}, "all have gone over")
    before.start()
    proxies[0].kill()  # one that starts anew takes over what the others chose
    proxies[0].start(stand.cluster.nodes, proxies)
    stand.cluster.waited(lambda: all(proxy.sees(before) for proxy in proxies), "proxies see that it is back")
    assert {proxy.leads_to(before) for proxy in proxies} == {after.node}


def test_from_outside_a_cluster_lets_nothing_through_either(stand):
    made = "from django.contrib.auth.models import User; User.objects.create_user('outside', password='a lantern by the river')"
    stand.cluster.manage("web1", made)
    server = assess.Server(
        NAME, "127.0.0.1", stand.cluster.front_port, stand.cluster.plain_port, str(stand.cluster.certificate), "outside", "a lantern by the river"
    )  # fmt: skip
    found = assess.assess(server)
    faults = [(what, one.said) for what, _, one in found if not one.good]
    assert not faults, "\n".join(map(str, faults))
    assert len(found) == len(assess.LOOKS) > 10


def test_what_one_node_was_told_is_read_on_another(stand):
    assert reads_after_writes(stand.cluster, wait=True, reads=200)[0] == 0
    told = stand.cluster.manage(
        "web2",
        "from django.db import connection\nc = connection.cursor()\nc.execute('SELECT @@wsrep_sync_wait')\nprint(c.fetchone()[0])",
    )
    assert told.strip() == "1"
