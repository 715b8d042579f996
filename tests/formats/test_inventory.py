"""Inventories from files, and as a stream states them."""

import io
import json

import pytest

from vigilant.core.work.inventory import Item
from vigilant.formats import FormatError, limits
from vigilant.formats.frames import FramesParser
from vigilant.formats.frames import read as read_stream
from vigilant.formats.head import check_head
from vigilant.formats.inventory import read_inventory

BOATS = [Item("boat hull", 60, {"triangles": 1240, "KiB": 0.5}), Item("spark", 400, {"triangles": 2})]


@pytest.mark.parametrize("text", [
    "kind,count,triangles,KiB\nboat hull,60,1240,0.5\nspark,400,2,\n",
    "Name;Pieces;triangles;KiB;made by\nboat hull;60;1240;0,5;Quill\nspark;400;2;n/a;Quill\n",
    "kind\tcount\ttriangles\tKiB\nboat hull\t20\t1240\t0.5\nboat hull\t40\t1240\t0.5\nspark\t400\t2\t\n",
    json.dumps([{"kind": "boat hull", "count": 60, "triangles": 1240, "KiB": 0.5}, {"kind": "spark", "count": 400, "triangles": 2, "KiB": None}]),
    '{"kind": "boat hull", "count": 60, "triangles": 1240, "KiB": 0.5}\n{"kind": "spark", "count": 400, "triangles": 2, "KiB": null}\n',
])  # fmt: skip
def test_a_table_of_any_making_is_an_inventory(text, tmp_path):
    path = tmp_path / "kinds"
    path.write_text(text)
    assert read_inventory(path) == BOATS


@pytest.mark.parametrize(("text", "said", "line"), [
    ("kind,triangles\nboat,3\n", "needs a column count; there are kind, triangles", None),
    ("what,count\nboat,3\n", "needs a column kind", None),
    ("kind,count\n", "holds no item|no row", None),
    ("kind,count\nboat,many\n", "has the count 'many'", 2),
    ("kind,count\nboat,3\nspark,-4\n", "has the count '-4'", 3),
    ("kind,count,triangles\nboat,3,5\nspark,4,few\n", "triangles of 'spark' is 'few'", 3),
    ("kind,count,triangles\nboat,3,5\nspark,4,-2\n", "triangles of 'spark' is -2", 3),
    ("kind,count\n" + "x" * 101 + ",3\n", "characters", 2),
    ("kind,count\n" + "".join(f"k{i},1\n" for i in range(limits.ITEMS + 1)), "more than 5000", None),
    ("kind,count," + ",".join(f"u{i}" for i in range(21)) + "\nboat,1" + ",2" * 21 + "\n", "21 columns of numbers; 20 are allowed", None),
])  # fmt: skip
def test_what_is_no_inventory_says_why_and_where(text, said, line, tmp_path):
    path = tmp_path / "kinds.csv"
    path.write_text(text)
    with pytest.raises(FormatError, match=said) as refused:
        read_inventory(path)
    if line is not None:
        assert refused.value.line == line


HEAD = {"vigilant_frames": 1, "columns": ["frame"]}


def stream(*lines):
    rows = [HEAD, [10.0], *lines, [11.0], {"end": {"frames": 2}}]
    return io.BytesIO("".join(json.dumps(row) + "\n" for row in rows).encode())


def test_a_stream_states_what_there_is_and_again_replaces_it():
    run = read_stream(stream(
        {"item": "boat hull", "count": 50, "weight": "triangles", "a_piece": 1240},
        {"item": "boat hull", "count": 60, "weight": "KiB", "a_piece": 0.5},
        {"item": "spark", "count": 400},
        {"item": "spark", "count": 400, "weight": "triangles", "a_piece": 3},
        {"item": "spark", "count": 400, "weight": "triangles", "a_piece": 2},
    ), "run")  # fmt: skip
    assert list(run.items) == BOATS
    assert run.series.frame_ms.tolist() == [10.0, 11.0]


@pytest.mark.parametrize(("line", "code"), [
    ({"item": "", "count": 1}, "item-unfit"),
    ({"item": 7, "count": 1}, "item-unfit"),
    ({"item": "boat"}, "item-unfit"),
    ({"item": "boat", "count": True}, "item-unfit"),
    ({"item": "boat", "count": -1}, "item-unfit"),
    ({"item": "boat", "count": 1e19}, "item-unfit"),
    ({"item": "boat", "count": 1, "weight": "", "a_piece": 1}, "item-unfit"),
    ({"item": "boat", "count": 1, "weight": "KiB", "a_piece": "much"}, "item-unfit"),
])  # fmt: skip
def test_a_line_that_states_nothing_is_refused_or_left_out(line, code):
    with pytest.raises(FormatError) as refused:
        read_stream(stream(line), "run")
    assert (refused.value.code, refused.value.line) == (code, 3)
    kept = read_stream(stream(line, {"item": "boat", "count": 2}), "run", keep_valid=True)
    assert (kept.items, len(kept.dropped)) == ((Item("boat", 2, {}),), 1)


def test_kinds_and_units_have_their_limits(monkeypatch):
    many = [{"item": f"k{i}", "count": 1} for i in range(3)]
    units = [{"item": "k", "count": 1, "weight": f"u{i}", "a_piece": 1} for i in range(21)]
    with pytest.raises(FormatError, match="more than 20 units"):
        read_stream(stream(*units), "run")
    monkeypatch.setattr(limits, "ITEMS", 2)
    with pytest.raises(FormatError, match="2 kinds of items"):
        read_stream(stream(*many), "run")


def test_lines_are_counted_over_batches(monkeypatch):
    monkeypatch.setattr(limits, "ITEMS", 1)
    monkeypatch.setattr(limits, "WEIGHTS", 2)
    line = json.dumps({"item": "boat", "count": 1}).encode()
    first = FramesParser(check_head(HEAD), "run")
    first.feed_lines([b"[10.0]", line])
    second = FramesParser(check_head(HEAD), "run", state=first.state())
    with pytest.raises(FormatError, match="2 item lines"):
        second.feed_lines([line, line])
