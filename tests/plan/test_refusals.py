"""What a plan may not say, just beyond what it may."""

from pathlib import Path

import pytest

from vigilant.formats import limits
from vigilant.formats.errors import PlanError
from vigilant.plan import parse_plan
from vigilant.plan.model import check_definition, with_subjects

ARMS = [{"command": ["a"]}, {"command": ["b"]}]
SAME = [{"command": ["a"]}, {"command": ["a"]}]


def parsed(arms=ARMS, **tables):
    return parse_plan({"scenario": {"name": "river"}, "arm": arms, **tables}, Path())


def with_env(env):
    return [{"command": ["a"], "env": env}, {"command": ["b"]}]


@pytest.mark.parametrize(
    ("may", "may_not", "said"),
    [
        (
            {"conditions": {"lamp": "x" * limits.VALUE}},
            {"conditions": {"lamp": "x" * (limits.VALUE + 1)}},
            rf"condition 'lamp' has {limits.VALUE + 1} characters; {limits.VALUE} are allowed",
        ),
        (
            {"arms": [*ARMS, {"command": ["c"], "empty": True}]},
            {"arms": [*ARMS, *({"command": [name], "empty": True, "name": name} for name in "cd")]},
            "one empty arm at most",
        ),
        ({"arms": with_env({"A": "="})}, {"arms": with_env({"": "1"})}, "a variable named ''"),
        ({"arms": with_env({"A_B": "1"})}, {"arms": with_env({"A=B": "1"})}, "a variable named 'A=B'"),
        (
            {"arms": [{"command": ["a"], "name": "old"}, {"command": ["b"], "name": "new"}]},
            {"arms": [{"command": ["a"], "name": "old"}, {"command": ["b"], "name": "old"}]},
            "two arms have one name",
        ),
        (
            {"arms": SAME, "recording": {"blank": True}},
            {"arms": ARMS, "recording": {"blank": True}},
            "two arms that are one build",
        ),
        (
            {"arms": SAME, "recording": {"blank": True}},
            {"arms": [*SAME, {"command": ["a"]}], "recording": {"blank": True}},
            "two arms that are one build",
        ),
        (
            {"arms": SAME, "recording": {"blank": True}},
            {
                "arms": [{"command": ["a"], "env": {"LAMPS": "1"}}, {"command": ["a"]}],
                "recording": {"blank": True},
            },
            "two arms that are one build",
        ),
        (
            {
                "arms": [{"command": ["a"], "cores": [0]}, {"command": ["a"], "cores": [0]}],
                "recording": {"blank": True},
            },
            {"arms": [{"command": ["a"], "cores": [0]}, {"command": ["a"]}], "recording": {"blank": True}},
            "two arms that are one build",
        ),
        ({"arms": [{"listen": True}, {"listen": True}]}, {"arms": [{}, {"command": ["b"]}]}, "one of them"),
        (
            {"arms": [{"listen": True, "command": ["a"]}, {"listen": True}]},
            {"arms": [{"subject": "a", "command": ["a"]}, {"command": ["b"]}]},
            "one of them",
        ),
    ],
)
def test_just_beyond_what_it_may_say_it_is_refused(may, may_not, said):
    assert parsed(**may).arms
    with pytest.raises(PlanError, match=said):
        parsed(**may_not)


@pytest.mark.parametrize(
    ("known", "said"), [({}, "known: none"), ({"rain": ("r",), "fog": ("f",)}, "known: fog, rain")]
)
def test_a_subject_that_this_machine_does_not_know_is_named_beside_those_it_does(known, said):
    plan = parsed([{"subject": "river", "name": "old"}, {"command": ["b"]}])
    with pytest.raises(PlanError, match=f"subject 'river' of arm 'old' is not known on this machine; {said}"):
        with_subjects(plan, known)


def test_named_subjects_get_their_commands_and_commands_stay():
    plan = parsed([{"subject": "river", "arguments": ["--rain"]}, {"command": ["b"]}])
    before, after = with_subjects(plan, {"river": ("play", "river")}).arms
    assert before.command[:2] == ("play", "river")
    assert after.command == ("b",)


@pytest.mark.parametrize(("definition", "said"), [({"target_fps": 60.0, "legs": None}, ""), ({"target_fps": -1.0}, "target_fps"), ({"paces": 3}, "paces")])  # fmt: skip
def test_a_scenarios_definition_is_checked_as_a_plans_is(definition, said):
    if not said:
        check_definition("river", definition)
        return
    with pytest.raises(PlanError, match=said):
        check_definition("river", definition)


@pytest.mark.parametrize(("in_one_run", "values"), [(True, (0.0, 1.0, 8.0)), (False, ())])
def test_a_sweep_in_one_run_plays_all_its_loads(in_one_run, values):
    sweep = {
        "name": "boats", "of": "load", "values": [0, 1, 8], "arguments": ["{values}" if in_one_run else "{value}"], "counter": "boats",
        "in_one_run": in_one_run,
    }  # fmt: skip
    plan = parse_plan({"scenario": {"name": "river"}, "arm": [{"command": ["a"]}], "sweep": sweep}, Path())
    assert plan.in_one_run == values
    assert parsed().in_one_run == ()
