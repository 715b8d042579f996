"""The plan of a recording and the definition of a scenario: model, defaults, reading and writing, once."""

from vigilant.core.sheet import BY_HAND

from .armref import EMPTY, ArmRef
from .hunting import with_build
from .model import (
    Arm,
    Bench,
    Choosing,
    Load,
    Plan,
    as_blank,
    check_definition,
    load_plan,
    page_origin,
    parse_plan,
    plan_policy,
    with_subjects,
)
from .read import load_subjects
from .sweeps import with_level
from .switches import Account, account_of, with_arms
from .tables import BY_ITSELF, Definition, PlanTables
from .write import plan_text

__all__ = [
    "BY_HAND",
    "BY_ITSELF",
    "EMPTY",
    "Account",
    "Arm",
    "ArmRef",
    "Bench",
    "Choosing",
    "Definition",
    "Load",
    "Plan",
    "PlanTables",
    "account_of",
    "as_blank",
    "check_definition",
    "load_plan",
    "load_subjects",
    "page_origin",
    "parse_plan",
    "plan_policy",
    "plan_text",
    "with_arms",
    "with_build",
    "with_level",
    "with_subjects",
]
