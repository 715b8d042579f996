"""The one reader of JSON: what it gives can be stored, written out and read again; the rest is refused."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vigilant.formats import strict_json

VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**63), 2**63 - 1) | st.floats(allow_nan=False, allow_infinity=False)
    | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=20).filter(lambda k: "\0" not in k), inner, max_size=4),
    max_leaves=20,
)  # fmt: skip


@given(VALUES)
def test_what_json_can_say_is_read_as_it_was_meant(value):
    text = json.dumps(value, ensure_ascii=False)
    assert strict_json.loads(text) == value
    assert strict_json.loads(json.dumps(value).encode()) == value


@given(st.binary(max_size=200))
def test_no_bytes_break_the_reader(data):
    try:
        value = strict_json.loads(data)
    except strict_json.JsonRefused:
        return
    assert strict_json.loads(json.dumps(value)) == value


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('{"a":1,"a":2}', "'a' is given twice"),
        ('[{"b":{"a":1,"a":2}}]', "'a' is given twice"),
        ('{"' + "k" * 101 + '":1}', "101 characters; 100 are allowed"),
        ("[" * 33 + "]" * 33, "deeper than 32 levels"),
        ('{"a":' * 33 + "1" + "}" * 33, "deeper than 32 levels"),
        ("[" * 5000, "depth limit|unexpected"),
        ('"\\ud800"', "surrogate"),
        ('"\ud800"', "surrogate"),
        ("1e999", "infinity"),
        ("NaN", "unexpected"),
        ('{"a\\u0000":1}', "NUL"),
        ("", "empty|EOF|unexpected|zero"),
        (b'"\xff"', "UTF-8|utf"),
    ],
)
def test_what_cannot_be_stored_is_refused(text, said):
    with pytest.raises(strict_json.JsonRefused, match=said):
        strict_json.loads(text)


@pytest.mark.parametrize(
    "text",
    [
        "[" * 32 + "]" * 32,
        '{"a":' * 32 + "1" + "}" * 32,
        '{"' + "k" * 100 + '":1}',
        '{"a":":::","b":["x:y",{"a":"1:2"}]}',  # colons that stand after no key
        '{"a:b":1,"a":{"b":1},"c":[{"a":1},{"a":1}]}',
    ],
)
def test_what_is_just_within_the_limits_is_read(text):
    assert strict_json.loads(text) == strict_json.loads(text.encode()) == json.loads(text)
