"""What to try next: rules hold or do not, and say what they rest on."""

import pytest

from vigilant.core.work.next_steps import SHIPPED, Facts, Rule, proposals

FACTS = Facts("graphics", "gpu", 0.8, "a part", "collect", "", {"draws": 900.0, "boats": 40.0})


@pytest.mark.parametrize(("rule", "rests"), [
    (Rule("x", limit="graphics"), ("limit",)),
    (Rule("x", limit="processor"), None),
    (Rule("x", late="a part"), ("late",)),
    (Rule("x", limit="graphics", late="level"), None),  # all must hold
    (Rule("x", limit="graphics", late="a part", counter="draws", value=800.0), ("limit", "late", "counter")),
    (Rule("x", counter="draws", value=900.0), None),  # neither over nor under
    (Rule("x", counter="draws", over=False, value=1000.0), ("counter",)),
    (Rule("x", counter="draws", over=False, value=800.0), None),
    (Rule("x", counter="wakes", value=0.0), None),  # nobody reports it
    (Rule("x", counter="draws"), None),  # no number to hold it against
    (Rule("x"), None),  # a rule that asks for nothing proposes nothing
])  # fmt: skip
def test_a_rule_holds_where_all_it_asks_for_does(rule, rests):
    found = proposals(FACTS, [rule])
    assert [p.rests_on for p in found] == ([rests] if rests else [])


def test_what_was_found_is_filled_in():
    titles = [p.title for p in proposals(FACTS, SHIPPED)]
    assert titles == [
        "Draw at half the width and height",
        "Which passes fill the picture?",
        "The course without collect",
        "Whose is collect?",
    ]
    (half,) = proposals(Facts("processor", "main", 0.6), SHIPPED)
    assert "main" in half.title
    assert "{" not in half.title + half.expected
    (late,) = proposals(Facts(late="level", leg="rain on open water"), SHIPPED)
    assert late.title == "rain on open water at half the load"
    assert proposals(Facts(late="few"), SHIPPED) == []
