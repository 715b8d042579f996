"""Files of laps: as the emitters write them, and as tables; what is none is refused with its line."""

import contextlib
import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.formats.errors import FormatError
from vigilant.formats.laps import as_rows, of_rows, read_laps

ROWS = "[100, 10, 0.001]\n[100, 10, 0.0011]\n[200, 5, 0.002]\n"
STREAM = '{"vigilant_laps": 1, "name": "find", "version": "cells"}\n' + ROWS
TABLE = "process;Items;repeats;seconds;checksum\n1;100;10;0.001;aa\n1;200;5;0.002;bb\n2;100;10;0.0012;aa\n2;200;5;0.0021;bb\n"


def test_a_stream_is_one_process():
    found = read_laps(STREAM, "x.jsonl")
    assert (found.name, found.version, len(found.processes)) == ("find", "cells", 1)
    (one,) = found.processes
    assert (one.items.tolist(), one.repeats.tolist(), one.seconds.tolist()) == (
        [100, 100, 200],
        [10, 10, 5],
        [0.001, 0.0011, 0.002],
    )
    assert one.checksum == ()


@pytest.mark.parametrize("separator", [";", ",", "\t"])
def test_a_table_holds_several_processes(separator):
    found = read_laps("\ufeff" + TABLE.replace(";", separator))
    assert [p.seconds.tolist() for p in found.processes] == [[0.001, 0.002], [0.0012, 0.0021]]
    assert found.processes[1].checksum == ("aa", "bb")


@pytest.mark.parametrize(("text", "said"), [
    ("", "holds no lap"), ("\n \n", "holds no lap"), (STREAM.splitlines()[0], "holds no lap"),
    ("{}\n" + ROWS, 'begins with no {"vigilant_laps": 1}'), ('{"vigilant_laps": 2}\n' + ROWS, "begins with no"),
    ("{nonsense\n", "line 1: this is no JSON"), (STREAM + "[1, 2]\n", "line 5: a lap is"), (STREAM + "[1, 2\n", "line 5"),
    (STREAM + '["a", 2, 3]\n', "line 5: items, repeats and seconds are numbers, got 'a'"),
    (STREAM + "[1, true, 3]\n", "numbers, got True"), (STREAM + "[100, 0, 3]\n", "once or more"), (STREAM + "[0, 1, 3]\n", "more than 0"),
    ("items,seconds\n1,2\n", "repeats is missing"), (TABLE + "3;100;10;soon;\n", "line 6: items"), (TABLE + "3;100\n", "line 6"),
    ("items,repeats,seconds\n", "holds no lap"), ("a\x00b", "zero byte"), (STREAM + "[1e999, 1, 1]\n", "line 5"),
    ('{"vigilant_laps": 1, "name": 7}\n' + ROWS, "name is a text"),
])  # fmt: skip
def test_what_are_no_laps_is_refused(text, said):
    with pytest.raises(FormatError) as refused:
        read_laps(text, "laps.csv")
    assert said in str(refused.value)


def test_too_many_are_refused(monkeypatch):
    monkeypatch.setattr("vigilant.formats.limits.LAPS", 2)
    for text in (STREAM, TABLE):
        with pytest.raises(FormatError, match="2 laps"):
            read_laps(text)
    monkeypatch.setattr("vigilant.formats.limits.LAPS", 100)
    monkeypatch.setattr("vigilant.formats.limits.LAP_PROCESSES", 1)
    with pytest.raises(FormatError, match="2 processes"):
        read_laps(TABLE)


@given(st.text(max_size=200))
def test_no_text_makes_it_fall_over(text):
    with contextlib.suppress(FormatError):
        read_laps(text)


def test_a_process_is_stored_and_read_back():
    for process in (*read_laps(TABLE).processes, *read_laps(STREAM).processes):
        again = of_rows(as_rows(process))
        assert (again.items.tolist(), again.seconds.tolist(), again.checksum) == (
            process.items.tolist(), process.seconds.tolist(), process.checksum)  # fmt: skip


PYTHON = """
from vigilant_laps import Laps
laps = Laps("sum", version='with "quotes"')
for items in (10, 1000):
    for _ in range(3):
        with laps.lap(items, repeats=20) as lap:
            for _ in range(20):
                total = sum(range(items))
        lap.result(total)
try:
    with laps.lap(1):
        raise ValueError
except ValueError:
    pass
laps.close()
laps.close()
"""
C = r"""
#include "vigilant_laps.h"
int main(void) {
    vigilant_laps *l = vigilant_laps_open("sum", "with \"quotes\"");
    for (int size = 10; size <= 1000; size *= 100)
        for (int sample = 0; sample < 3; sample++) {
            volatile uint64_t total = 0;
            vigilant_lap_begin(l);
            for (int r = 0; r < 20; r++) { total = 0; for (int i = 0; i < size; i++) total += i; }
            vigilant_lap_end(l, size, 20, total);
        }
    return vigilant_laps_close(l);
}
"""


@pytest.fixture(scope="module", params=["python", "c", "c++"])
def emitted(request, tmp_path_factory):
    """A program in each language that really laps; without VIGILANT_LAPS it runs and writes nothing."""
    root = Path(__file__).resolve().parents[2] / "emitters"
    folder = tmp_path_factory.mktemp("laps")
    if request.param == "python":
        (folder / "lapped.py").write_text(PYTHON)
        command = [sys.executable, str(folder / "lapped.py")]
    else:
        source = folder / ("lapped.c" if request.param == "c" else "lapped.cpp")
        source.write_text(C)
        command = [str(folder / "lapped")]
        compiler = ["cc", "-std=gnu99"] if request.param == "c" else ["c++", "-std=c++17"]
        subprocess.run(
            [*compiler, "-Wall", "-Wextra", "-Werror", "-O1", f"-I{root / 'c'}", str(source), "-o", command[0]],
            check=True,
        )
    env = {**os.environ, "PYTHONPATH": str(root / "python")}
    env.pop("VIGILANT_LAPS", None)
    subprocess.run(command, env=env, check=True)
    assert not (folder / "out.jsonl").exists()
    subprocess.run(command, env={**env, "VIGILANT_LAPS": str(folder / "out.jsonl")}, check=True)
    return read_laps((folder / "out.jsonl").read_text(), "out.jsonl")


def test_the_emitters_write_what_is_read(emitted):
    assert (emitted.name, emitted.version) == ("sum", 'with "quotes"')
    (one,) = emitted.processes
    assert one.items.tolist() == [10] * 3 + [1000] * 3
    assert one.repeats.tolist() == [20] * 6
    assert (one.seconds > 0).all()
    assert one.seconds[3:].min() > one.seconds[:3].min()
    assert one.seconds.max() < 5
    assert len(set(one.checksum[:3])) == len(set(one.checksum[3:])) == 1
    assert one.checksum[0] != one.checksum[3]
