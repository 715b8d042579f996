"""The made-up fleet: the same from a seed, read as sessions from the field are, and with the two truths that are to be found in it."""

from collections import defaultdict
from itertools import islice

import numpy as np

from vigilant.core.field import EDGES_MS
from vigilant.formats.field import read_snapshot
from vigilant.server.field.demo import body_of, frames_of
from vigilant.subjects import fleet


def drawn(count, seed=18):
    return list(fleet.sessions(count, seed))


def test_its_buckets_are_the_cores():
    assert np.array_equal(fleet.EDGES_MS, EDGES_MS)


def test_a_seed_gives_the_same_fleet_and_every_session_can_be_read():
    sessions, again = drawn(300), drawn(300)
    for number, (one, other) in enumerate(zip(sessions, again, strict=True)):
        read = read_snapshot(body_of(one, number, frames_of([one])))
        assert sum(int(cell.counts.sum()) for cell in read.cells) == sum(int(c["counts"].sum()) for c in other["cells"])
        assert sum(own.late for own in read.sets) == sum(cell.late for cell in read.cells)


def test_the_crowd_is_commoner_where_it_is_heavy_and_costs_nothing_there():
    seconds, late = defaultdict(lambda: np.zeros(2)), defaultdict(lambda: np.zeros(2))
    for one in islice(fleet.sessions(1500), None):
        for place, _, labels, s, n, c in one["sets"]:
            name = one["places"][place]["name"]
            seconds[name] += (s, s if labels & 2 else 0)
            late[name, bool(labels & 2)] += (c, n)
    crowded = {name: with_it / whole for name, (whole, with_it) in seconds.items()}
    assert crowded["fireworks"] > 2 * crowded["landing stage"]
    for name in fleet.PLACES:
        with_it, without = (c / n for c, n in (late[name, True], late[name, False]))
        assert 0.8 < with_it / without < 1.25
